import fc from 'fast-check';
import { GiB, TiB, gibibytes } from '../sizes/bytes';
import { decide } from './decide';
import type { Change } from './change';
import { whatWouldBind } from './remedies';
import type { PlacementInput } from './request';
import { aClaim, aClass, anInput, aPool, aSpreadPool, moored } from './testing';

/** A change carried out the way a person would, written apart from the code that proposes it. */
function carryOut(input: PlacementInput, change: Change, target: string): PlacementInput {
  const pools = new Map(input.pools);
  const pool = pools.get(target)!;
  switch (change.kind) {
    case 'moor':
    case 'enable-mooring':
      return { ...input, moorings: [...input.moorings.filter((m) => m.pool !== change.pool), moored(change.pool, 9)] };
    case 'ask-mode':
      return { ...input, claim: { ...input.claim, modes: [change.mode] } };
    case 'ask-volume-mode':
      return { ...input, claim: { ...input.claim, volumeMode: change.volumeMode } };
    case 'ask-less':
      return { ...input, claim: { ...input.claim, size: change.size as typeof input.claim.size } };
    case 'raise-quota':
      return {
        ...input,
        quotas: input.quotas.map((q) => (q.scope === change.scope ? { ...q, limit: change.limit } : q)),
      };
    case 'raise-count':
      return {
        ...input,
        counts: input.counts!.map((c) =>
          c.scope === change.scope && c.of === change.of ? { ...c, limit: change.limit } : c,
        ),
      };
    case 'raise-allotment':
      pools.set(target, { ...pool, allotment: change.limit });
      return { ...input, pools };
    case 'raise-cap':
      pools.set(target, { ...pool, backendCap: { limit: change.limit, taken: pool.backendCap!.taken } });
      return { ...input, pools };
    case 'free-pool':
      pools.set(target, { ...pool, takes: 'volumes' });
      return { ...input, pools };
    case 'raise-overcommit':
      pools.set(target, { ...pool, overcommit: change.overcommit });
      return { ...input, pools };
    case 'lower-copies':
      return { ...input, storageClass: { ...input.storageClass, copies: change.copies } };
    case 'drop-encryption':
      return { ...input, storageClass: { ...input.storageClass, encrypted: false } };
    case 'lower-floor':
      return { ...input, storageClass: { ...input.storageClass, iopsFloor: { kind: 'fixed', value: change.iops } } };
    case 'grant':
      return { ...input, granted: true };
    case 'drop-expansion':
      return { ...input, storageClass: { ...input.storageClass, expansion: false } };
    case 'tune-not':
      return { ...input, claim: { ...input.claim, tuned: undefined } };
    case 'tune-within':
      return { ...input, claim: { ...input.claim, tuned: { [change.setting]: change.value } } };
    case 'lower-throughput-floor':
      return {
        ...input,
        storageClass: { ...input.storageClass, throughputFloor: { kind: 'fixed', value: change.megabytes } },
      };
    case 'drop-demand':
      if (change.demand !== 'witness') throw new Error(`no way written for ${change.demand}`);
      return { ...input, storageClass: { ...input.storageClass, witness: false } };
    case 'mend-backend':
      pools.set(target, { ...pool, reachable: true, healthy: true });
      return { ...input, pools };
    default:
      throw new Error(`no way written for ${change.kind}`);
  }
}

const inputs: fc.Arbitrary<PlacementInput> = fc
  .record({
    size: fc.integer({ min: 1, max: 900 }),
    many: fc.boolean(),
    copies: fc.integer({ min: 1, max: 4 }),
    encrypted: fc.boolean(),
    quota: fc.integer({ min: 0, max: 1500 }),
    floor: fc.integer({ min: 0, max: 80_000 }),
    swift: fc.record({
      used: fc.integer({ min: 0, max: 10 * 1024 }),
      allotment: fc.integer({ min: 1, max: 9000 }),
      reachable: fc.boolean(),
      encryption: fc.boolean(),
    }),
    nodes: fc.array(fc.integer({ min: 100, max: 1800 }), { minLength: 1, maxLength: 5 }),
    enabled: fc.boolean(),
    granted: fc.boolean(),
    witness: fc.boolean(),
    megabytes: fc.integer({ min: 0, max: 9000 }),
    tuned: fc.option(fc.integer({ min: 0, max: 90_000 }), { nil: undefined }),
  })
  .map((r) =>
    anInput(
      [
        aPool('swift', {
          subscribedRaw: r.swift.used * GiB,
          allotment: r.swift.allotment * GiB,
          reachable: r.swift.reachable,
          encryption: r.swift.encryption,
          sharedBlock: true,
        }),
        aSpreadPool('nvme', r.nodes, { access: ['file'] }),
      ],
      {
        claim: aClaim({
          size: gibibytes(r.size),
          modes: [r.many ? 'ReadWriteMany' : 'ReadWriteOnce'],
          ...(r.tuned !== undefined && { tuned: { 'iops-floor': r.tuned } }),
        }),
        storageClass: aClass({
          copies: r.copies,
          encrypted: r.encrypted,
          iopsFloor: { kind: 'fixed', value: r.floor },
          throughputFloor: { kind: 'fixed', value: r.megabytes },
          witness: r.witness,
          allowances: [{ setting: 'iops-floor', minimum: 100, maximum: 50_000, namespaces: [] }],
        }),
        moorings: [moored('swift', 1, { enabled: r.enabled })],
        quotas: [{ scope: 'namespace', limit: r.quota * GiB, used: 100 * GiB }],
        granted: r.granted,
      },
    ),
  );

test('every remedy, carried out as a person would, makes the claim land on the pool it names', () =>
  fc.assert(
    fc.property(inputs, (input) => {
      if (decide(input).winner) return;
      for (const { changes, pool } of whatWouldBind(input, 50)) {
        if (changes.some((c) => c.kind === 'add-capacity')) continue;
        const after = changes.reduce((state, change) => carryOut(state, change, pool), input);
        const candidate = decide(after).candidates.find((c) => c.pool === pool);
        expect(candidate?.score).toBeDefined();
      }
    }),
    { numRuns: 400 },
  ));

test('a remedy is the smallest of its kind: a little less does not bind', () => {
  const over = anInput([aPool('swift', { allotment: 500 * GiB, taken: 450 * GiB })]);
  const raise = whatWouldBind(over)[0]!.changes[0] as Extract<Change, { kind: 'raise-allotment' }>;
  expect(raise).toEqual({ kind: 'raise-allotment', pool: 'swift', limit: 530 * GiB, by: 30 * GiB });
  expect(decide(carryOut(over, { ...raise, limit: raise.limit - 1 }, 'swift')).winner).toBeUndefined();
  const large = anInput([aPool('swift', { subscribedRaw: 10 * TiB - 50 * GiB })]);
  const less = whatWouldBind(large).find((r) => r.changes[0]!.kind === 'ask-less')!.changes[0] as Extract<
    Change,
    { kind: 'ask-less' }
  >;
  expect(less.size).toBe(50 * GiB);
  expect(decide(carryOut(large, { ...less, size: less.size + GiB }, 'swift')).winner).toBeUndefined();
});

test('settings come before what the team gives up, that before promises, and hardware last', () => {
  const input = anInput([aPool('swift', { subscribedRaw: 10 * TiB - 50 * GiB }), aPool('broad')], {
    moorings: [moored('swift')],
  });
  expect(whatWouldBind(input).map((r) => r.changes[0]!.kind)).toEqual([
    'moor',
    'ask-less',
    'raise-overcommit',
    'add-capacity',
  ]);
});
