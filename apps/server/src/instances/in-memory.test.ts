import { gneissSeed } from '@moorage/standins/backend-seeds';
import { randomUUID } from 'node:crypto';
import fc from 'fast-check';
import { Backends, ensureBackends } from '../backends/backends';
import type { Database } from '../database/database';
import { Metrics } from '../metrics/metrics';
import { mayMove, type Kind, type Work } from '../operations/kind';
import { operations } from '../operations/operation-model';
import { advance } from '../operations/operations';
import { instances } from '../pools/instance-model';
import { pools } from '../pools/pool-model';
import { reservations } from '../reservations/reservation-model';
import { freeReserved } from '../reservations/reservation.sql';
import { Vault } from '../secrets/vault';
import type { BackendView } from '../swordfish/connector';
import { carryByHand } from '../testing/by-hand';
import { migratedDatabase } from '../testing/databases';
import { deaths, fates, type Fate } from '../testing/fate';
import { MemoryBackend } from '../testing/memory-backend';
import { seenBackend } from '../testing/memory-world';
import { freeInstance, getCarving } from './carve';
import { InstanceCarrier } from './carry';
import { givingBack, shifting } from './kinds';

/** Shares that move between instances of a backend in memory, carried by hand, so that many ways to fail are tried. */
const [GiB, TiB] = [2 ** 30, 2 ** 40];
const poolId = 'gneiss-shared';
const vault = new Vault(Buffer.alloc(32, 7));
let database: Database;
let end: () => Promise<void>;
let seen: BackendView;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
  seen = await seenBackend(gneissSeed());
  const backends = [{ id: 'gneiss', title: 'Gneiss', address: 'http://127.0.0.1:9', username: 'a', password: 'b' }];
  await ensureBackends(database, vault, { site: 'quayside', backends, people: [] } as never);
}, 60_000);
afterAll(() => end());

/** Two instances: shares of these sizes in the one, and room for all of them in the other. */
async function open(sizes: readonly number[]) {
  await reservations.in(database).destroy({ where: {} });
  await operations.in(database).destroy({ where: {} });
  await instances.in(database).destroy({ where: {} });
  const backend = new MemoryBackend(seen);
  const backends = new Backends(database, vault, new Metrics(), 1000, () => backend);
  await backends.sync('gneiss');
  const { path: poolPath } = await pools.in(database).findByPk(poolId, { rejectOnEmpty: true });
  const bought: string[] = [];
  for (const [id, bytes] of [['from', TiB] as const, ['to', 2 * TiB] as const]) {
    const { path } = await backend.ensureInstance({ poolPath, name: id, bytes });
    await instances.in(database).create({ poolId, id, bytes, path });
    bought.push(path);
  }
  const claims: string[] = [];
  for (const gib of sizes) {
    const [claimUid, bytes] = [randomUUID(), gib * GiB];
    const volumeName = `pvc-${claimUid}`;
    const made = await backend.createVolume({
      ...{ name: volumeName, poolPath: bought[0]!, bytes, copies: 1, encrypted: false, disks: [] },
    });
    await reservations.in(database).create({
      ...{ claimUid, namespace: 'tide-gauges', claimName: `share-${claims.length}`, className: 'charts' },
      ...{ reclaim: 'Delete', poolId, bytes, rawBytes: bytes, iopsFloor: 0, backendIops: 0, volumeName },
      ...{ volumeId: made.id, state: 'bound', instance: 'from' },
      ...{
        iopsCeiling: null,
        throughputCeiling: null,
        keepUntil: null,
        missingSince: null,
        madeAt: null,
        pvName: null,
      },
      ...{ modes: null, volumeMode: null, adriftSince: null, destroyedBy: null },
    });
    claims.push(claimUid);
  }
  await backends.sync('gneiss');
  const shown = await getCarving(database, poolId);
  const moves = claims.map((uid) => ({ volume: `pvc-${uid}`, to: 'to' }));
  await freeInstance(database, poolId, 'from', { moves }, 'tom', () => undefined);
  const begun = () => operations.in(database).findAll({ order: [['kind', 'DESC']], limit: 100 });
  return {
    ...{ backend, claims, shown },
    /** Carries what is open through one server after the other until nothing moves, or so many steps were done. */
    carry: async (calls: Fate[], dying: boolean[], steps = Infinity) => {
      backend.fate = () => calls.shift() ?? 'answered';
      let left = steps;
      // an instance that is looked at before its shares have moved is looked at again
      for (let server = 0; server < 40 && left > 0; server++) {
        const works = new InstanceCarrier(database, backends, () => undefined).works as readonly Work[];
        let died = false;
        const dies = () => (died ||= --left <= 0 || (dying.shift() ?? false));
        for (const { id, kind } of await begun())
          if (!died)
            await carryByHand(
              database,
              works.find((w) => w.kind.kind === kind)!,
              id,
              dies,
            );
        if ((await begun()).every((o) => o.endedAt !== null)) break;
      }
      backend.fate = () => 'answered';
    },
    callOff: async (only?: string) => {
      for (const { id, kind, state, endedAt } of await begun()) {
        const of = (kind === shifting.kind ? shifting : givingBack) as Kind;
        if ((only === undefined || kind === only) && endedAt === null && mayMove(of, state, of.undo!))
          await advance(database, of, { id, state }, of.undo!, { cause: 'called off' });
      }
    },
    /** As the release of a claim does that is gone. */
    letGo: async (claim: string) => {
      const volume = await backend.findVolume(`pvc-${claim}`);
      if (volume) await backend.ensureVolumeDeleted(volume.id);
      await freeReserved(database, claim);
    },
    states: async () => (await begun()).map((o) => `${o.kind} ${o.state}`).sort(),
  };
}

/** Each share lies where it is held and nowhere else, what is counted is what lies there, and nothing is bought that is not known. */
async function agrees(backend: MemoryBackend): Promise<string[]> {
  const view = (await backend.fetchView()).pools.find((p) => p.name === poolId)!;
  const held = await reservations.in(database).findAll({ limit: 100 });
  const known = await instances.in(database).findAll({ order: [['id', 'ASC']], limit: 10 });
  for (const { volumeName, instance, instanceTo, bytes } of held) {
    expect(await backend.findVolume(volumeName)).toMatchObject({ instance, bytes });
    expect(instanceTo).toBeNull();
  }
  const { sold } = view.facts.instances!;
  expect(known.map((i) => [i.id, i.used])).toEqual(sold.map((s) => [s.name, s.used]).sort());
  expect(known.every((i) => !i.leaving)).toBe(true);
  return known.map((i) => i.id);
}

const sizes = fc.array(fc.integer({ min: 10, max: 250 }), { minLength: 0, maxLength: 4 });

test('however often answers are lost and servers die, every share moves and the instance is given back', () =>
  fc.assert(
    fc.asyncProperty(fates, deaths, sizes, async (calls, dying, of) => {
      const world = await open(of);
      await world.carry([...calls], [...dying]);
      expect(await world.states()).toEqual(['give-back given', ...of.map(() => 'shift moved')]);
      expect(await agrees(world.backend)).toEqual(['to']);
    }),
    { numRuns: 20 },
  ));

test('called off at any moment, each share lies in one of the two and the instance is there while one does', () => {
  const what = fc.constantFrom('shift', 'give-back', undefined);
  return fc.assert(
    fc.asyncProperty(fates, deaths, sizes, fc.integer({ min: 0, max: 8 }), what, async (calls, dying, of, at, only) => {
      const world = await open(of);
      if (at > 0) await world.carry([...calls], [...dying], at);
      await world.callOff(only);
      await world.carry([...calls], [...dying]);
      const there = await agrees(world.backend);
      expect((await world.states()).filter((s) => !/moved|returned|given|kept/.test(s))).toEqual([]);
      const inside = await reservations.in(database).count({ where: { instance: 'from' } });
      if (inside > 0) expect(there).toContain('from');
    }),
    { numRuns: 20 },
  );
});

test('a share whose claim is let go of on the way holds nothing, and the others arrive', () =>
  fc.assert(
    fc.asyncProperty(fates, deaths, sizes, fc.integer({ min: 1, max: 6 }), async (calls, dying, of, at) => {
      fc.pre(of.length > 0);
      const world = await open(of);
      await world.carry([...calls], [...dying], at);
      await world.letGo(world.claims[0]!);
      await world.carry([...calls], [...dying]);
      expect(await agrees(world.backend)).toEqual(['to']);
      expect((await world.states()).filter((s) => !/moved|abandoned|given/.test(s))).toEqual([]);
    }),
    { numRuns: 20 },
  ));

test('what is refused for good goes back, and the instance is kept', () =>
  fc.assert(
    fc.asyncProperty(sizes, fc.integer({ min: 0, max: 3 }), async (of, answered) => {
      const world = await open(of);
      const refused: Fate[] = [
        ...Array<Fate>(answered).fill('answered'),
        ...Array<Fate>(4 * of.length + 4).fill('refused'),
      ];
      await world.carry(refused, []);
      const there = await agrees(world.backend);
      expect((await world.states()).filter((s) => !/moved|returned|given|kept/.test(s))).toEqual([]);
      if ((await reservations.in(database).count({ where: { instance: 'from' } })) > 0) expect(there).toContain('from');
    }),
    { numRuns: 15 },
  ));
