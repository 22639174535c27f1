import { startBackend } from '@moorage/standins/start';
import { kelpSeed } from '@moorage/standins/backend-seeds';
import type { BackendSeed } from '@moorage/standins/backend/seed';
import type { CopyChange } from '@moorage/contract/copies';
import type { TuningRequest } from '@moorage/contract/tuning';
import { provisioner } from '@moorage/core/classes/manifest';
import pino from 'pino';
import { backendVolumes } from '../backends/inventory-model';
import { Backends, ensureBackends } from '../backends/backends';
import type { Database } from '../database/database';
import { Metrics } from '../metrics/metrics';
import { Mirror } from '../mirror/mirror';
import { mirrorStates, platformObjects } from '../mirror/mirror-model';
import { moorings } from '../moorings/mooring-model';
import { mayMove, type Kind, type Work } from '../operations/kind';
import { operations } from '../operations/operation-model';
import type { PlatformObject } from '../platform/connector';
import { pools } from '../pools/pool-model';
import { reservationCopies, reservations } from '../reservations/reservation-model';
import { Vault } from '../secrets/vault';
import type { BackendView } from '../swordfish/connector';
import { BackendHttp } from '../swordfish/http';
import { SwordfishConnector } from '../swordfish/swordfish';
import { carryByHand } from './by-hand';
import { migratedDatabase } from './databases';
import type { Fate } from './fate';
import { MemoryBackend } from './memory-backend';
import { MemoryPlatform } from './memory-platform';
import { eventually } from './world';
import { beginBinding, beginRelease, onClaims } from '../binder/begin';
import { Binder } from '../binder/binder';
import { onClaims as onGrowingClaims } from '../growth/begin';
import { GrowthCarrier } from '../growth/carry';
import { SalvageCarrier } from '../salvage/carry';
import { salvaging } from '../salvage/kind';
import { growing } from '../growth/kind';
import { advance, beginOperations } from '../operations/operations';
import { CopiesCarrier } from '../copies/carry';
import { copyChanges } from '../copies/copy-change-model';
import { changingCopies } from '../copies/kind';
import { onClaims as onTunedClaims } from '../tuning/begin';
import { TuningCarrier } from '../tuning/carry';
import { tuning } from '../tuning/kind';
import { beginTuning } from '../tuning/tuning';

const vault = new Vault(Buffer.alloc(32, 7));
const metrics = new Metrics();
const site = 'quayside';

/** A backend as it is seen over the wire, for the twin to begin as. */
export async function seenBackend(seed: BackendSeed = kelpSeed()): Promise<BackendView> {
  const started = await startBackend(seed);
  const access = { name: seed.id, address: started.url, username: seed.user, password: seed.password };
  const connector = new SwordfishConnector(
    new BackendHttp({ ...access, trust: { kind: 'system' } }, 10_000, new Metrics()),
  );
  const seen = await connector.fetchView();
  await connector.close();
  await started.stop();
  return seen;
}

/** A database in which worlds of claims are opened one after the other, each with a platform and a backend in memory. */
export async function makeMemoryWorlds() {
  const seen = await seenBackend();
  const { database, end } = await migratedDatabase();
  const { id, title, user: username, password } = kelpSeed();
  const backends = [{ id, title, address: 'http://127.0.0.1:9', username, password }];
  await ensureBackends(database, vault, { site, backends, people: [] } as never);
  return {
    database,
    end,
    open: (fates: readonly Fate[], deaths: readonly boolean[], reclaim = 'Delete') =>
      open(database, seen, fates, deaths, reclaim),
    /** A world in which both claims are bound to 2 GiB, each to a volume of two copies, before anything fails. */
    bound: async (fates: readonly Fate[], deaths: readonly boolean[], reclaim = 'Delete') => {
      const world = await open(database, seen, [], [], reclaim);
      await world.carry();
      await world.bind();
      await eventually('both are bound', async () => (await world.states()).join() === 'bind bound,bind bound');
      world.meet(fates, deaths);
      return world;
    },
  };
}
export type MemoryWorlds = Awaited<ReturnType<typeof makeMemoryWorlds>>;
export type MemoryWorld = Awaited<ReturnType<typeof open>>;

const storageClass = {
  apiVersion: 'storage.k8s.io/v1',
  kind: 'StorageClass',
  metadata: { name: 'fast' },
  provisioner,
  parameters: {
    ...{ [`${provisioner}/copies`]: '2', [`${provisioner}/allow-copies`]: '1 to 4' },
    ...{ [`${provisioner}/allow-iops-floor`]: '10 to 900', [`${provisioner}/allow-iops-ceiling`]: '10 to 9000' },
  },
  reclaimPolicy: 'Delete',
  volumeBindingMode: 'Immediate',
  allowVolumeExpansion: true,
};
const claimAt = (name: string) => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'tide-gauges' },
});
const claimNamed = (name: string) => ({
  ...claimAt(name),
  spec: {
    accessModes: ['ReadWriteOnce'],
    volumeMode: 'Filesystem',
    storageClassName: 'fast',
    resources: { requests: { storage: '2Gi' } },
  },
  status: { phase: 'Pending' },
});

/** IOPS, what a claim tunes. */
type Rates = TuningRequest['tuned'];

let told = 0;

/** A world with claims that are pending; `fates` meet the calls to both sides in turn, `deaths` say after which steps the server dies. */
async function open(
  database: Database,
  seen: BackendView,
  fates: readonly Fate[],
  deaths: readonly boolean[],
  reclaimPolicy: string,
) {
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
  await platform.create({ ...storageClass, reclaimPolicy } as never);
  const claims: PlatformObject[] = [];
  for (let i = 0; i < 2; i++) claims.push(await platform.create(claimNamed(`gauge-${++told}`) as never));
  const uids = claims.map((c) => c.metadata.uid!);
  const mirror = new Mirror(
    database,
    platform,
    {
      persistentvolumeclaims: async (changed, gone) => {
        await onClaims(database, changed, gone);
        await onGrowingClaims(database, changed, gone);
        await onTunedClaims(database, changed);
      },
    },
    () => undefined,
    pino({ level: 'silent' }),
  );
  mirror.start();
  const begun = () =>
    operations.in(database).findAll({ where: { subject: uids }, order: ['createdAt', 'id'], limit: 100 });
  await eventually('the claims are known', async () => {
    // as the sweep does when their class was seen after them
    await beginBinding(database, uids);
    return (await begun()).length === uids.length;
  });

  const calls = [...fates];
  const dying = [...deaths];
  /** From now on, these are met. */
  const meet = (more: readonly Fate[], dies: readonly boolean[]) => {
    calls.push(...more);
    dying.push(...dies);
  };
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
        const works = [
          ...new Binder(database, platform, backends, metrics, site).works,
          new GrowthCarrier(database, platform, backends, metrics, site).work,
          new SalvageCarrier(database, platform).work,
          new CopiesCarrier(database, platform, backends, site, () => undefined).work,
          new TuningCarrier(database, platform, backends, site, () => undefined).work,
        ] as readonly Work[];
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
      const { name, namespace, uid } = spec!.claimRef as { name: string; namespace: string; uid?: string };
      const found = await platform.find('v1', 'PersistentVolumeClaim', name, namespace);
      const there = uid === undefined || found?.metadata.uid === uid ? found : undefined;
      await platform.mergePatch({
        ...{ apiVersion: 'v1', kind: 'PersistentVolume', metadata: { name: metadata.name } },
        status: { phase: there ? 'Bound' : 'Released' },
      });
      const { capacity } = spec!;
      if (there && there.status?.phase !== 'Bound')
        await platform.patchClaimStatus({ ...claimAt(name), status: { phase: 'Bound', capacity } });
      if (there) await platform.mergePatch({ ...claimAt(name), spec: { volumeName: metadata.name } });
    }
  };
  /** Asks for another size of every claim on the platform, and waits until that is seen. */
  const ask = async (storage: string) => {
    for (const { metadata } of claims)
      await platform.mergePatch({ ...claimAt(metadata.name), spec: { resources: { requests: { storage } } } });
    await eventually('the growths are begun', async () => {
      const growing = (await begun()).filter((o) => o.kind === 'grow' && o.endedAt === null);
      return growing.length === claims.length;
    });
  };
  /** Asks for other rates of every claim. */
  const tune = async (rates: Rates) => {
    for (const { metadata } of claims)
      await database.transaction(() =>
        beginTuning(database, { ...claimAt(metadata.name).metadata, uid: metadata.uid! }, rates, 'maren'),
      );
  };
  /** Writes rates into every claim on the platform, as somebody else would, and waits until that is seen. */
  const write = async (rates: Rates) => {
    const annotations = Object.fromEntries(
      (['iops-floor', 'iops-ceiling'] as const).map((rate) => [
        `${provisioner}/${rate}`,
        (rates[rate] === undefined ? null : String(rates[rate])) as string,
      ]),
    );
    for (const { metadata } of claims) {
      const at = claimAt(metadata.name);
      const { resourceVersion } = (await platform.mergePatch({ ...at, metadata: { ...at.metadata, annotations } }))
        .metadata;
      await eventually('it is seen', async () => {
        const seen = await platformObjects.in(database).findOne({ where: { uid: metadata.uid! } });
        return Number((seen?.body as PlatformObject | undefined)?.metadata.resourceVersion) >= Number(resourceVersion);
      });
    }
  };
  /** Of each claim: the rates that it says, that are reserved for it, and the ceiling its volume is held to. */
  const rates = async () => {
    const held = await reservations.in(database).findAll({ where: { claimUid: uids }, limit: 100 });
    return Promise.all(
      claims.map(async ({ metadata: { name, uid } }) => {
        const said = (await platform.find('v1', 'PersistentVolumeClaim', name, 'tide-gauges'))?.metadata.annotations;
        const saidOf = (rate: string) => {
          const text = said?.[`${provisioner}/${rate}`];
          return text === undefined ? undefined : Number(text);
        };
        const of = held.find((r) => r.claimUid === uid);
        return {
          said: [saidOf('iops-floor'), saidOf('iops-ceiling')],
          reserved: of && [of.iopsFloor, of.iopsCeiling],
          backendIops: of?.backendIops,
          held: of?.volumeId ? backend.ceilings.get(of.volumeId) : undefined,
        };
      }),
    );
  };
  /** Asks for one copy more or fewer of every claim's volume. */
  const changeCopies = async (change: CopyChange) => {
    for (const claimUid of uids) {
      const [operationId] = await beginOperations(database, changingCopies, [claimUid]);
      await copyChanges.in(database).create({ operationId: operationId!, claimUid, change });
    }
  };
  /** Of each claim: disks that its volume has copies on, those that are held for it, and how many it says it tunes. */
  const copies = async () => {
    const { volumes } = await backend.fetchView();
    const held = await reservationCopies.in(database).findAll({ where: { claimUid: uids }, limit: 100 });
    const seen = await Promise.all(
      claims.map((c) => platform.find('v1', 'PersistentVolumeClaim', c.metadata.name, 'tide-gauges')),
    );
    return uids.map((uid, i) => ({
      lying: (volumes.find((v) => v.name === `pvc-${uid}`)?.copies ?? []).map((c) => c.disk).sort(),
      held: held
        .filter((c) => c.claimUid === uid)
        .map((c) => c.disk)
        .sort(),
      said: seen[i]?.metadata.annotations?.[`${provisioner}/copies`],
    }));
  };
  /** What nodes do by themselves: they grow the file systems of claims that are said to need it. */
  const growFileSystems = async () => {
    for (const { metadata } of claims) {
      const claim = await platform.find('v1', 'PersistentVolumeClaim', metadata.name, metadata.namespace);
      const pending = (claim?.status?.conditions as { type: string }[] | undefined) ?? [];
      if (!pending.some((c) => c.type === 'FileSystemResizePending')) continue;
      const volume = await platform.find('v1', 'PersistentVolume', `pvc-${metadata.uid}`);
      const status = { capacity: volume!.spec!.capacity, conditions: [] };
      await platform.patchClaimStatus({ ...claimAt(metadata.name), status });
    }
  };
  /** Calls off what is under way and can be. */
  const callOff = async () => {
    for (const { id, kind, state, endedAt } of await begun()) {
      const of = [growing, salvaging, changingCopies, tuning].find((k) => k.kind === kind) as Kind | undefined;
      if (of && endedAt === null && mayMove(of, state, of.undo!))
        await advance(database, of, { id, state }, of.undo!, { cause: 'called off' });
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
  const mirrored = () => platformObjects.in(database).count({ where: { plural: 'persistentvolumeclaims', uid: uids } });
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
      reserved: held.map((r) => `${r.volumeName} ${Number(r.bytes) / 2 ** 30} GiB`).sort(),
      capacities: written.map((v) => v.spec!.capacity!.storage!),
      reservedRaw: Number(reservedRaw),
    };
  };
  const states = async () => (await begun()).map((o) => `${o.kind} ${o.state}`).sort();
  return {
    ...{ uids, claims, platform, backend, carry, bind, remove, stands, states, meet, ask, growFileSystems, callOff },
    ...{ changeCopies, copies, tune, write, rates },
    end: async () => {
      await mirror.stop();
      await reservations.in(database).destroy({ where: { volumeName: uids.map((u) => `pvc-${u}`) } });
      const { names, ...where } = { names: uids.map((u) => `pvc-${u}`), backendId: 'kelp' };
      await backendVolumes.in(database).destroy({ where: { ...where, name: names } });
    },
  };
}
