import { bucketApi, bucketClassManifest } from '@moorage/core/buckets/bucket-class';
import { provisioner } from '@moorage/core/classes/manifest';
import { kelpSeed } from '@moorage/standins/backend-seeds';
import fc from 'fast-check';
import pino from 'pino';
import { Backends, ensureBackends } from '../backends/backends';
import type { Database } from '../database/database';
import { Metrics } from '../metrics/metrics';
import { Mirror } from '../mirror/mirror';
import { mirrorStates, platformObjects } from '../mirror/mirror-model';
import { operations } from '../operations/operation-model';
import type { PlatformObject } from '../platform/connector';
import { pools } from '../pools/pool-model';
import { Vault } from '../secrets/vault';
import type { BackendView } from '../swordfish/connector';
import { carryByHand } from '../testing/by-hand';
import { migratedDatabase } from '../testing/databases';
import type { Fate } from '../testing/fate';
import { MemoryBackend } from '../testing/memory-backend';
import { MemoryPlatform } from '../testing/memory-platform';
import { seenBackend } from '../testing/memory-world';
import { eventually } from '../testing/world';
import { findForgottenBuckets, onAccesses, onBucketClaims } from './begin';
import { BucketCarrier } from './carry';
import { bucketKeys, buckets } from './bucket-model';
import { admit, KeyCarrier } from './keys';
import { LimitCarrier } from './limit';

/** Buckets between a platform and a backend in memory, carried by hand, so that many ways to fail are tried. */
const site = 'quayside';
const namespace = 'tide-gauges';
const vault = new Vault(Buffer.alloc(32, 7));
const metrics = new Metrics();
let seen: BackendView;
let database: Database;
let endDatabase: () => Promise<void>;
beforeAll(async () => {
  seen = await seenBackend();
  ({ database, end: endDatabase } = await migratedDatabase());
  const { id, title, user: username, password } = kelpSeed();
  const kelp = { id, title, address: 'http://127.0.0.1:9', username, password };
  await ensureBackends(database, vault, { site, backends: [kelp], people: [] } as never);
}, 60_000);
afterAll(() => endDatabase());

const GiB = 2 ** 30;
let worldCount = 0;

/** A world with a bucket claim and an access to it. */
async function open(fates: readonly Fate[], deaths: readonly boolean[], deletion: 'Delete' | 'Retain') {
  await mirrorStates.in(database).destroy({ where: {} });
  await platformObjects.in(database).destroy({ where: {} });
  const name = `objects-${++worldCount}`;
  const platform = new MemoryPlatform();
  const backend = new MemoryBackend(seen);
  const backends = new Backends(database, vault, metrics, 1000, () => backend);
  await backends.sync('kelp');
  const cls = { name: 'logs', pools: ['kelp-deep'], deletion, copies: 1, encrypted: false, limit: 2 * GiB };
  await platform.create(bucketClassManifest(cls as never) as unknown as PlatformObject);
  const ask = () =>
    platform.create({
      ...{ apiVersion: bucketApi, kind: 'BucketClaim', metadata: { name, namespace } },
      spec: { bucketClassName: 'logs', protocols: ['s3'] },
    });
  const claim = await ask();
  const access = await platform.create({
    ...{ apiVersion: bucketApi, kind: 'BucketAccess', metadata: { name: `${name}-key`, namespace } },
    spec: { bucketClaimName: name, credentialsSecretName: `${name}-secret`, bucketAccessClassName: provisioner },
  });
  const mirror = new Mirror(
    database,
    platform,
    {
      bucketclaims: async (changed, gone) => void (await onBucketClaims(database, changed, gone)),
      bucketaccesses: async (changed, gone) => void (await onAccesses(database, changed, gone)),
    },
    () => undefined,
    pino({ level: 'silent' }),
  );
  mirror.start();
  const begun = () =>
    operations.in(database).findAll({ where: { endedAt: null }, order: [['createdAt', 'ASC']], limit: 100 });
  await eventually('both are begun', async () => {
    await findForgottenBuckets(database);
    return (await begun()).length === 2;
  });
  const calls = [...fates];
  const dying = [...deaths];
  const works = () => [
    ...new BucketCarrier(database, platform, backends, site, () => undefined).works,
    ...new KeyCarrier(database, platform, backends).works,
    new LimitCarrier(database, site).work,
  ];
  /** Carries what is open through one server after the other until nothing moves; calls to the outside meet their fates meanwhile. */
  const carry = async (steps = Infinity) => {
    platform.fate = backend.fate = () => calls.shift() ?? 'answered';
    let left = steps;
    for (let server = 0; server < 40; server++) {
      let died = false;
      const dies = () => (died ||= --left <= 0 || (dying.shift() ?? false));
      for (let before = ''; !died;) {
        const now = (await begun()).map((o) => `${o.id} ${o.state}`).join();
        if (now === before) break;
        before = now;
        for (const { id, kind } of await begun())
          if (!died) await carryByHand(database, works().find((w) => w.kind.kind === kind)! as never, id, dies);
        await findForgottenBuckets(database);
      }
      if (left <= 0 || !died) break;
    }
    platform.fate = backend.fate = () => 'answered';
  };
  const uids = [claim.metadata.uid!, access.metadata.uid!];
  const remove = async () => {
    await platform.ensureDeleted(bucketApi, 'BucketAccess', `${name}-key`, namespace);
    await platform.ensureDeleted(bucketApi, 'BucketClaim', name, namespace);
    await eventually('they are seen to be gone', async () => {
      return (await platformObjects.in(database).count({ where: { uid: uids } })) === 0;
    });
    await findForgottenBuckets(database);
  };
  const secretOf = async () => {
    const secret = await platform.find('v1', 'Secret', `${name}-secret`, namespace);
    if (!secret) return undefined;
    const { BucketInfo } = secret.data as { BucketInfo: string };
    const { spec } = JSON.parse(Buffer.from(BucketInfo, 'base64').toString('utf8')) as {
      spec: { bucketName: string; secretS3: { accessKeyID: string; accessSecretKey: string } };
    };
    return spec;
  };
  const stands = async () => {
    const rows = await buckets.in(database).findAll({ where: { namespace, claimName: name }, limit: 10 });
    return {
      made: [...backend.objects.buckets.keys()],
      accounts: [...backend.objects.accounts.keys()],
      told: (
        await Promise.all([...backend.objects.buckets.keys()].map((b) => platform.find(bucketApi, 'Bucket', b)))
      ).map((b) => b?.status?.bucketReady),
      rows: rows.map((r) => r.state),
      keys: await bucketKeys.in(database).count(),
      secret: (await secretOf()) !== undefined,
      raw: Number((await pools.in(database).findByPk('kelp-deep'))!.reservedRaw),
    };
  };
  return {
    ...{ name, platform, backend, carry, remove, stands, secretOf },
    /** From now on, these are met. */
    meet: (more: readonly Fate[], dies: readonly boolean[]) => {
      calls.push(...more);
      dying.push(...dies);
    },
    end: async () => {
      await mirror.stop();
      await buckets.in(database).destroy({ where: {} });
      await operations.in(database).destroy({ where: {} });
    },
  };
}

const nothing = { made: [], accounts: [], told: [], rows: [], keys: 0, secret: false, raw: 0 };
const fates = fc.array(fc.constantFrom<Fate>('answered', 'answered', 'lost', 'unreachable'), {
  maxLength: 24,
  size: 'max',
});
const deaths = fc.array(fc.boolean(), { maxLength: 14, size: 'max' });

test('however often answers are lost and servers die, a claim has one bucket and a key that opens it; with its claim it goes without a trace', async () => {
  const property = fc.asyncProperty(fates, deaths, fates, deaths, async (calls, dying, atEnd, dyingAtEnd) => {
    const world = await open(calls, dying, 'Delete');
    const { carry, remove, stands, secretOf, backend, platform, name, end } = world;
    try {
      await carry();
      await carry();
      const { made, ...rest } = await stands();
      expect(made).toHaveLength(1);
      expect(rest).toMatchObject({ told: [true], rows: ['ready'], keys: 1, secret: true, raw: 3 * GiB });
      const { bucketName, secretS3 } = (await secretOf())!;
      expect(bucketName).toBe(made[0]);
      // the last secret that was told is the account's
      expect([...backend.objects.accounts]).toEqual([[secretS3.accessKeyID, secretS3.accessSecretKey]]);
      expect(backend.objects.buckets.get(bucketName)!.admitted).toEqual([
        { account: secretS3.accessKeyID, may: 'write' },
      ]);
      expect((await platform.find(bucketApi, 'BucketClaim', name, namespace))!.status).toMatchObject({
        ...{ bucketReady: true, bucketName },
      });
      for (let i = 0; i < 30; i++) backend.objects.buckets.get(bucketName)!.objects.set(`sheet-${i}`, 10);
      await remove();
      world.meet(atEnd, dyingAtEnd);
      await carry();
      await carry();
      expect(await stands()).toEqual(nothing);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 14 });
}, 300_000);

test('a policy that was written from an older look, after a newer one, is put right by whoever wrote it', async () => {
  const { carry, backend, end } = await open([], [], 'Delete');
  try {
    await carry();
    await carry();
    const { objects } = backend;
    const bucket = (await buckets.in(database).findOne({ where: { state: 'ready' } }))!;
    const write = objects.ensureAdmitted;
    let late = true;
    objects.ensureAdmitted = async (name, accounts) => {
      if (late) {
        late = false;
        // while this is on its way another key is given and let in
        const other = { accessUid: 'other', accessName: 'other', account: 'key-other', secretName: 'other-secret' };
        await bucketKeys.in(database).create({ ...other, namespace, claimUid: bucket.claimUid });
        await admit(database, objects, bucket);
      }
      await write(name, accounts);
    };
    await admit(database, objects, bucket);
    expect(objects.buckets.get(bucket.name)!.admitted.map((a) => a.account)).toContain('key-other');
  } finally {
    await end();
  }
});

test('deleted at any moment, nothing is left but what was there before', async () => {
  const property = fc.asyncProperty(fates, deaths, fc.integer({ min: 1, max: 9 }), async (calls, dying, steps) => {
    const { carry, remove, stands, end } = await open(calls, dying, 'Delete');
    try {
      await carry(steps);
      await remove();
      await carry();
      await carry();
      expect(await stands()).toEqual(nothing);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 14 });
}, 300_000);

test('kept by its class, no object of it is ever lost, whenever its claim goes and whatever fails', async () => {
  const property = fc.asyncProperty(fates, deaths, async (calls, dying) => {
    const { carry, remove, stands, backend, meet, end } = await open([], [], 'Retain');
    try {
      await carry();
      const [bucket] = [...backend.objects.buckets.values()];
      for (let i = 0; i < 5; i++) bucket!.objects.set(`sheet-${i}`, 10);
      await remove();
      meet(calls, dying);
      await carry();
      await carry();
      expect(await stands()).toMatchObject({ rows: ['kept'], accounts: [], keys: 0, secret: false, raw: 3 * GiB });
      expect([...backend.objects.buckets.values()][0]!.objects.size).toBe(5);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 12 });
}, 300_000);
