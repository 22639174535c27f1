import fc from 'fast-check';
import { aPool, aSpreadPool } from '../placement/testing';
import type { Pool } from '../pools/pool-state';
import { gibibytes, GiB, tebibytes } from '../sizes/bytes';
import { bucketClassManifest, limitKey, limitOf, readBucketClass, type BucketClass } from './bucket-class';
import { chooseBucketPool } from './choose';

const aBucketClass = (part: Partial<BucketClass> = {}): BucketClass => ({
  ...{ name: 'logs', pools: ['deep'], deletion: 'Delete', copies: 1, encrypted: false },
  ...part,
});
const objectPool = (id: string, part: Partial<Pool> = {}) => aPool(id, { protocols: ['NFS', 'S3'], ...part });
const choose = (pools: readonly Pool[], cls: Partial<BucketClass> = {}, limit = gibibytes(10), quota?: number) =>
  chooseBucketPool({
    ...{ namespace: 'tide-gauges', limit, bucketClass: aBucketClass({ pools: pools.map((p) => p.id), ...cls }) },
    pools: new Map(pools.map((p) => [p.id, p])),
    quotas: quota === undefined ? [] : [{ scope: 'namespace', limit: quota, used: 0 }],
  });
const refusals = (decision: ReturnType<typeof choose>) =>
  decision.candidates.map((c) => c.checks.filter((k) => !k.passed).map((k) => k.rule));

describe('a bucket class', () => {
  const written = fc.record({
    name: fc.constant('logs'),
    pools: fc.uniqueArray(fc.stringMatching(/^[a-z][a-z0-9-]{0,20}$/), { minLength: 1, maxLength: 5 }),
    deletion: fc.constantFrom('Delete' as const, 'Retain' as const),
    copies: fc.integer({ min: 1, max: 6 }),
    encrypted: fc.boolean(),
    limit: fc.option(
      fc.integer({ min: 1, max: 1000 }).map((n) => gibibytes(n)),
      { nil: undefined },
    ),
  });

  test('is read as it was written', () => {
    fc.assert(
      fc.property(written, ({ limit, ...rest }) => {
        const cls: BucketClass = { ...rest, ...(limit !== undefined && { limit }) };
        const manifest = bucketClassManifest(cls);
        expect(readBucketClass({ ...manifest })).toEqual({ bucketClass: cls, problems: [] });
      }),
    );
  });

  test.each([
    ['pools', 'vast-moorage.example/pools', 'a,,b'],
    ['pools', 'vast-moorage.example/pools', 'a,a'],
    ['copies', 'vast-moorage.example/copies', '0'],
    ['copies', 'vast-moorage.example/copies', '7'],
    ['encrypted', 'vast-moorage.example/encrypted', 'yes'],
    ['limit', 'vast-moorage.example/limit', '80 apples'],
    ['unknown', 'vast-moorage.example/poools', 'a'],
  ])('a parameter that cannot be read is told: %s %s=%s', (field, key, value) => {
    const { problems } = readBucketClass({ ...bucketClassManifest(aBucketClass()), parameters: { [key]: value } });
    expect(problems.map((p) => p.field)).toEqual([field]);
  });

  test('without a policy that can be read it keeps its buckets', () => {
    const { bucketClass, problems } = readBucketClass({ metadata: { name: 'logs' }, deletionPolicy: 'delete' });
    expect([bucketClass.deletion, problems.map((p) => p.field)]).toEqual(['Retain', ['deletionPolicy']]);
  });

  test('its limit holds where the claim names none; one that cannot be read is none', () => {
    const cls = aBucketClass({ limit: gibibytes(5) });
    expect(limitOf(undefined, cls)).toBe(5 * GiB);
    expect(limitOf({ [limitKey]: '2Gi' }, cls)).toBe(2 * GiB);
    expect(limitOf({ [limitKey]: 'much' }, cls)).toBeUndefined();
    expect(limitOf({}, aBucketClass())).toBeUndefined();
  });
});

describe('the pool of a bucket', () => {
  test('is the first of its class that fits, those above their soft mark last', () => {
    const [a, b, c] = ['a', 'b', 'c'].map((id) => objectPool(id));
    const full = objectPool('a', { consumedRaw: tebibytes(8.5) });
    expect(choose([b!, a!, c!])).toMatchObject({
      winner: 'b',
      runnerUp: 'a',
      provisioned: 10 * GiB,
      footprintFactor: 1,
    });
    expect(choose([full, b!])).toMatchObject({ winner: 'b', runnerUp: 'a' });
    expect(choose([full])).toMatchObject({ winner: 'a' });
  });

  test.each<[string, Partial<Pool>, Partial<BucketClass>, string]>([
    ['speaks no S3', { protocols: ['NFS'] }, {}, 'protocol'],
    ['is not reached', { reachable: false }, {}, 'backend'],
    ['takes nothing', { takes: 'nothing' }, {}, 'writable'],
    ['does not encrypt', { encryption: false }, { encrypted: true }, 'encryption'],
    ['survives too little', {}, { copies: 4 }, 'copies'],
    ['is at its hard mark', { consumedRaw: tebibytes(9.5) }, {}, 'fill'],
    ['has promised what it has', { subscribedRaw: tebibytes(10) }, {}, 'subscription'],
    ['gives us no more', { allotment: gibibytes(5) }, {}, 'allotment'],
  ])('one that %s is refused by the rule that says so', (_why, part, cls, rule) => {
    expect(refusals(choose([objectPool('deep', part)], cls))).toEqual([[rule]]);
  });

  test('nothing of volumes is asked: neither modes, nor disks, nor the largest volume', () => {
    const pool = objectPool('deep', { access: [], expansion: false, maximum: gibibytes(1), snapshots: false });
    expect(choose([pool])).toMatchObject({ winner: 'deep' });
  });

  test('of a pool that is sold in instances it takes what it may hold, since it is carved out of none', () => {
    const sizes = { minimum: tebibytes(1), step: tebibytes(1), maximum: tebibytes(4) };
    const held = [{ id: 'i0', size: tebibytes(4), used: 0 }];
    const full = objectPool('deep', { instances: { sizes, held }, subscribedRaw: tebibytes(10) });
    expect(refusals(choose([full]))).toEqual([['subscription']]);
    const decision = choose([objectPool('deep', { instances: { sizes, held } })]);
    expect(decision).toMatchObject({ winner: 'deep', provisioned: gibibytes(10) });
  });

  test('a limit of the namespace counts as for volumes', () => {
    expect(refusals(choose([objectPool('deep')], {}, gibibytes(10), 9 * GiB))).toEqual([['namespace-quota']]);
  });

  test('pools that are not known are told; no class names them into being', () => {
    expect(choose([], { pools: ['nowhere'] })).toEqual({ candidates: [], unknown: ['nowhere'] });
  });

  test('of a pool of shards, raw bytes count the parity', () => {
    const shards = aSpreadPool('deep', [1000, 1000, 1000, 1000, 1000, 1000], { protocols: ['S3'] });
    const pool: Pool = {
      ...shards,
      redundancy: {
        ...(shards.redundancy as object),
        scheme: { kind: 'erasure', data: 4, parity: 2 },
        disks: undefined,
      } as Pool['redundancy'],
    };
    expect(choose([pool])).toMatchObject({ winner: 'deep', footprintFactor: 1.5 });
  });

  test('whatever the pools, the winner passes every rule, and nothing before it that is no fuller does', () => {
    const pool = fc.record({
      protocols: fc.constantFrom<Pool['protocols']>(['S3'], ['NFS'], ['NFS', 'S3']),
      subscribedRaw: fc.integer({ min: 0, max: 10 }).map((n) => tebibytes(n)),
      consumedRaw: fc.integer({ min: 0, max: 10 }).map((n) => tebibytes(n)),
      reachable: fc.boolean(),
    });
    fc.assert(
      fc.property(fc.array(pool, { maxLength: 6 }), (parts) => {
        const pools = parts.map((part, i) => objectPool(`pool-${i}`, part));
        const decision = choose(pools);
        const fits = decision.candidates.filter((c) => c.checks.every((k) => k.passed)).map((c) => c.pool);
        const soft = (id: string) => pools.find((p) => p.id === id)!.consumedRaw >= tebibytes(8);
        expect(decision.winner).toBe(fits.find((id) => !soft(id)) ?? fits[0]);
      }),
    );
  });
});
