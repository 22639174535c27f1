import fc from 'fast-check';
import { GiB, gibibytes, tebibytes } from '../sizes/bytes';
import { withVolume } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import type { BatchClaim } from './request';
import { fitBatch, fitOneByOne } from './batch';
import { decide } from './decide';
import { anInstance } from './instances';
import { aClaim, aClass, aPool, moored } from './testing';

const small = (id: string, gib: number, part: Partial<Pool> = {}) =>
  aPool(id, { redundancy: { kind: 'inner', survives: 2, usable: gibibytes(gib) }, ...part });
const of = (...pools: Pool[]) => new Map(pools.map((p) => [p.id, p]));
const batchClaim = (id: string, gib: number, pools: string[], part: Partial<BatchClaim['input']> = {}): BatchClaim => ({
  id,
  input: {
    claim: aClaim({ size: gibibytes(gib) }),
    storageClass: aClass({ name: pools.join('-') }),
    moorings: pools.map((p, i) => moored(p, i + 1)),
    quotas: [],
    ...part,
  },
});

/** Places everything as planned and lets the rules speak: each must pass on what the ones before it left. */
function replay(pools: ReadonlyMap<string, Pool>, claims: readonly BatchClaim[], placed: ReadonlyMap<string, string>) {
  const state = new Map(pools);
  for (const claim of claims) {
    const planned = placed.get(claim.id);
    if (!planned) continue;
    const decision = decide({ ...claim.input, pools: state, planned });
    expect(decision.winner).toBe(planned);
    state.set(
      planned,
      withVolume(
        state.get(planned)!,
        {
          provisioned: decision.provisioned!,
          backendIops: decision.backendIops!,
          backendThroughput: decision.backendThroughput!,
        },
        claim.input.storageClass,
      ),
    );
  }
}

describe('fitting a batch', () => {
  test('a claim that could go elsewhere leaves room for one that could not', () => {
    const pools = of(small('a', 100), small('b', 100));
    const claims = [batchClaim('either', 80, ['a', 'b']), batchClaim('only-a', 80, ['a'])];
    expect(fitOneByOne(pools, claims).refused).toEqual(['only-a']);
    const batch = fitBatch(pools, claims);
    expect(Object.fromEntries(batch.placed)).toEqual({ either: 'b', 'only-a': 'a' });
    expect(batch).toMatchObject({ refused: [], bytes: 160 * GiB, moves: 1 });
  });

  test('one move may need another', () => {
    const pools = of(small('a', 100), small('b', 100), small('c', 100));
    const claims = [
      batchClaim('ab', 90, ['a', 'b']),
      batchClaim('bc', 90, ['b', 'c']),
      batchClaim('only-a', 90, ['a']),
    ];
    // the first two lie on a and b; for the third one both have to go one further
    expect(fitBatch(pools, claims).refused).toEqual([]);
  });

  test('quotas and caps over a backend hold over the batch as a whole', () => {
    const cap = { limit: 150 * GiB, taken: 0 };
    const pools = of(small('a', 1000, { backendCap: cap }), small('b', 1000, { backendCap: cap }));
    const four = [1, 2, 3, 4].map((n) => batchClaim(`c${n}`, 50, ['a', 'b']));
    expect(fitBatch(pools, four).placed.size).toBe(3);
    expect(fitOneByOne(pools, four).placed.size).toBe(3);
    const quotas = [{ scope: 'namespace' as const, limit: 120 * GiB, used: 10 * GiB }];
    const limited = four.map((c) => ({ ...c, input: { ...c.input, quotas } }));
    expect(fitBatch(pools, limited).placed.size).toBe(2);
    expect(fitOneByOne(pools, limited).placed.size).toBe(2);
  });

  test('on random sites no rule is broken, and never less is placed before the first refusal than one by one', () =>
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 100_000 }), fc.integer({ min: 2, max: 12 }), (seed, poolCount) => {
        const { pools, claims } = anInstance(seed, poolCount, poolCount * 12);
        const batch = fitBatch(pools, claims);
        replay(pools, claims, batch.placed);
        const alone = fitOneByOne(pools, claims);
        expect(batch.bytesBeforeRefusal).toBeGreaterThanOrEqual(alone.bytesBeforeRefusal);
        expect(batch.placed.size + batch.refused.length).toBe(claims.length);
        expect(fitBatch(pools, claims).placed).toEqual(batch.placed);
      }),
      { numRuns: 40 },
    ));

  test('it can be stopped, and says how far it came', () => {
    const { pools, claims } = anInstance(5, 4, 200);
    const seen: number[] = [];
    const watching = { progress: (done: number) => void seen.push(done), stopped: false };
    fitBatch(pools, claims, watching);
    expect(seen).toEqual([0, 50, 100, 150]);
    expect(
      fitBatch(of(small('a', 1), aPool('z', { redundancy: { kind: 'inner', survives: 2, usable: tebibytes(9) } })), [
        batchClaim('x', 80, ['z']),
      ]).placed.get('x'),
    ).toBe('z');
  });
});
