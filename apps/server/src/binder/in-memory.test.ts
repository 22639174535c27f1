import { startBackend } from '@moorage/standins/start';
import { kelpSeed } from '@moorage/standins/backend-seeds';
import fc from 'fast-check';
import { provisioner } from '@moorage/core/classes/manifest';
import pino from 'pino';
import { backendVolumes } from '../backends/inventory-model';
import { Backends, ensureBackends } from '../backends/backends';
import type { Database } from '../database/database';
import { Metrics } from '../metrics/metrics';
import { Mirror } from '../mirror/mirror';
import { mirrorStates, platformObjects } from '../mirror/mirror-model';
import { moorings } from '../moorings/mooring-model';
import type { Work } from '../operations/kind';
import { operations } from '../operations/operation-model';
import type { PlatformObject } from '../platform/connector';
import { pools } from '../pools/pool-model';
import { reservations } from '../reservations/reservation-model';
import { Vault } from '../secrets/vault';
import type { BackendView } from '../swordfish/connector';
import { BackendHttp } from '../swordfish/http';
import { SwordfishConnector } from '../swordfish/swordfish';
import { carryByHand } from '../testing/by-hand';
import { migratedDatabase } from '../testing/databases';
import type { Fate } from '../testing/fate';
import { MemoryBackend } from '../testing/memory-backend';
import { MemoryPlatform } from '../testing/memory-platform';
import { eventually } from '../testing/world';
import { beginBinding, beginRelease, onClaims } from './begin';
import { Binder } from './binder';

/** Claims bound and let go between a platform and a backend in memory, carried by hand, so that many ways to fail are tried. */
let database: Database;
let end: () => Promise<void>;
let seen: BackendView;
const vault = new Vault(Buffer.alloc(32, 7));
const metrics = new Metrics();
const site = 'quayside';

beforeAll(async () => {
  const seed = kelpSeed();
  const kelp = await startBackend(seed);
  const access = { name: 'kelp', address: kelp.url, username: seed.user, password: seed.password };
  const connector = new SwordfishConnector(
    new BackendHttp({ ...access, trust: { kind: 'system' } }, 10_000, new Metrics()),
  );
  seen = await connector.fetchView();
  await connector.close();
  await kelp.stop();
  ({ database, end } = await migratedDatabase());
  const { id, title } = seed;
  const backends = [{ id, title, address: 'http://127.0.0.1:9', username: seed.user, password: seed.password }];
  await ensureBackends(database, vault, { site, backends, people: [] } as never);
}, 60_000);
afterAll(() => end());

const storageClass = {
  apiVersion: 'storage.k8s.io/v1',
  kind: 'StorageClass',
  metadata: { name: 'fast' },
  provisioner,
  parameters: { [`${provisioner}/copies`]: '2' },
  reclaimPolicy: 'Delete',
  volumeBindingMode: 'Immediate',
};
const claimNamed = (name: string) => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'tide-gauges' },
  spec: {
    accessModes: ['ReadWriteOnce'],
    volumeMode: 'Filesystem',
    storageClassName: 'fast',
    resources: { requests: { storage: '2Gi' } },
  },
  status: { phase: 'Pending' },
});

let told = 0;

/** A world with claims that are pending; `fates` meet the calls to both sides in turn, `deaths` say after which steps the server dies. */
async function world(fates: readonly Fate[], deaths: readonly boolean[]) {
  // each world has a platform of its own
  await mirrorStates.in(database).destroy({ where: {} });
  await platformObjects.in(database).destroy({ where: {} });
  const platform = new MemoryPlatform();
  const backend = new MemoryBackend(seen);
  const backends = new Backends(database, vault, metrics, 1000, () => backend);
  await backends.sync('kelp');
  await moorings.in(database).findOrCreate({
    where: { className: 'fast', poolId: 'kelp-nvme' },
    defaults: { className: 'fast', poolId: 'kelp-nvme', rank: 1 },
  });
  await platform.create(storageClass as never);
  const claims: PlatformObject[] = [];
  for (let i = 0; i < 2; i++) claims.push(await platform.create(claimNamed(`gauge-${++told}`) as never));
  const uids = claims.map((c) => c.metadata.uid!);
  const mirror = new Mirror(
    database,
    platform,
    { persistentvolumeclaims: async (changed, gone) => void (await onClaims(database, changed, gone)) },
    () => undefined,
    pino({ level: 'silent' }),
  );
  mirror.start();
  const begun = () => operations.in(database).findAll({ where: { subject: uids }, limit: 100 });
  await eventually('the claims are known', async () => {
    // as the sweep does when their class was seen after them
    await beginBinding(database, uids);
    return (await begun()).length === uids.length;
  });

  const calls = [...fates];
  const dying = [...deaths];
  const outside = (fate: () => Fate) => (platform.fate = backend.fate = fate);
  /** Calls to the outside meet their fates only while the server works. */
  const working = async (work: () => Promise<void>) => {
    outside(() => calls.shift() ?? 'answered');
    await work();
    outside(() => 'answered');
  };
  /** Carries what is open through one server after the other until nothing moves. */
  const carry = (steps = Infinity) =>
    working(async () => {
      let left = steps;
      for (let server = 0; server < 30; server++) {
        const works = new Binder(database, platform, backends, metrics, site).works as readonly Work[];
        let died = false;
        const dies = () => (died ||= --left <= 0 || (dying.shift() ?? false));
        for (const { id, kind } of await begun()) {
          if (!died)
            await carryByHand(
              database,
              works.find((w) => w.kind.kind === kind)!,
              id,
              dies,
            );
        }
        if (left <= 0 || !died) return;
      }
      throw new Error('servers die for ever');
    });
  /** What the platform does by itself: it binds claims to volumes that name them. */
  const bind = async () => {
    const { items } = await platform.list('persistentvolumes');
    for (const { metadata, spec } of items) {
      const { name, namespace } = spec!.claimRef as { name: string; namespace: string };
      const there = await platform.find('v1', 'PersistentVolumeClaim', name, namespace);
      await platform.mergePatch({
        ...{ apiVersion: 'v1', kind: 'PersistentVolume', metadata: { name: metadata.name } },
        status: { phase: there ? 'Bound' : 'Released' },
      });
      if (there) await platform.mergePatch({ ...claimNamed(name), status: { phase: 'Bound' } });
    }
  };
  const remove = async () => {
    for (const { metadata } of claims)
      await platform.ensureDeleted('v1', 'PersistentVolumeClaim', metadata.name, metadata.namespace);
    await bind();
    await eventually('the claims are seen to be gone', async () => (await mirrored()) === 0);
    // as the sweep does for what was reserved after the claim was seen to be gone
    await beginRelease(database, uids);
  };
  const mirrored = async () =>
    (
      await database.rows(`SELECT 1 FROM platform_objects WHERE plural = 'persistentvolumeclaims' AND uid = ANY($1)`, [
        uids,
      ])
    ).length;
  const stands = async () => {
    const { volumes } = await backend.fetchView();
    const written = (await platform.list('persistentvolumes')).items;
    const held = await reservations.in(database).findAll({ where: { claimUid: uids }, limit: 100 });
    const { reservedRaw } = (await pools.in(database).findByPk('kelp-nvme'))!;
    return {
      volumes: volumes.map((v) => `${v.name} ${v.bytes / 2 ** 30} GiB`).sort(),
      written: written
        .map((v) => `${v.metadata.name} ${(v.spec!.csi as { volumeHandle: string }).volumeHandle}`)
        .sort(),
      made: volumes.map((v) => `${v.name} kelp/${v.id}`).sort(),
      held: held.map((r) => r.state),
      reservedRaw: Number(reservedRaw),
    };
  };
  const states = async () => (await begun()).map((o) => `${o.kind} ${o.state}`).sort();
  return {
    ...{ uids, platform, carry, bind, remove, stands, states },
    end: async () => {
      await mirror.stop();
      const { names, ...where } = { names: uids.map((u) => `pvc-${u}`), backendId: 'kelp' };
      await backendVolumes.in(database).destroy({ where: { ...where, name: names } });
    },
  };
}

const GiB = 2 ** 30;
const nothing = { volumes: [], written: [], made: [], held: [], reservedRaw: 0 };

async function bindAndRelease(fates: readonly Fate[], deaths: readonly boolean[]) {
  const { uids, carry, bind, remove, stands, states, end } = await world(fates, deaths);
  try {
    await carry();
    await bind();
    await eventually('both are bound', async () => (await states()).join() === 'bind bound,bind bound');
    const bound = await stands();
    expect(bound).toMatchObject({
      volumes: uids.map((u) => `pvc-${u} 2 GiB`).sort(),
      written: bound.made,
      held: ['bound', 'bound'],
      // two copies of two volumes
      reservedRaw: 8 * GiB,
    });
    await remove();
    await carry();
    expect(await stands()).toEqual(nothing);
  } finally {
    await end();
  }
}

test('claims are bound to one volume each, and let go without a trace', () => bindAndRelease([], []));

const fates = fc.array(fc.constantFrom<Fate>('answered', 'answered', 'lost', 'unreachable'), { maxLength: 16 });
const deaths = fc.array(fc.boolean(), { maxLength: 12 });

test('however often answers are lost and servers die, each claim has one volume, and nothing is left of it at the end', async () => {
  await fc.assert(fc.asyncProperty(fates, deaths, bindAndRelease), { numRuns: 40 });
}, 300_000);

test('claims that are deleted at any moment leave nothing behind', async () => {
  const property = fc.asyncProperty(fates, deaths, fc.integer({ min: 1, max: 9 }), async (calls, dying, steps) => {
    const { carry, remove, stands, states, end } = await world(calls, dying);
    try {
      await carry(steps);
      await remove();
      await carry();
      expect(await stands()).toEqual(nothing);
      expect((await states()).filter((s) => !/abandoned|bound|released/.test(s))).toEqual([]);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 40 });
}, 300_000);

test('a claim that is seen to be gone and is there keeps its volume', async () => {
  const { uids, carry, bind, stands, states, end } = await world([], []);
  try {
    await carry();
    await bind();
    await eventually('both are bound', async () => (await states()).join() === 'bind bound,bind bound');
    const before = await stands();
    await beginRelease(database, uids);
    await carry();
    expect(await stands()).toEqual(before);
    expect(await beginBinding(database, uids)).toEqual([]);
  } finally {
    await end();
  }
});
