import fc from 'fast-check';
import { GiB, gibibytes } from '../sizes/bytes';
import { withVolume } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import type { BatchClaim } from './request';
import { fitBatch, fitOneByOne } from './batch';
import { decide } from './decide';
import { anInstance } from './instances';
import { fittingInstance, siteKinds } from './kinds';
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
    expect(batch).toMatchObject({ refused: [], bytes: 160 * GiB });
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

  test('on random sites no rule is broken, and hardly fewer bytes are placed than one by one, and then more claims', () =>
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 100_000 }), fc.integer({ min: 2, max: 12 }), (seed, poolCount) => {
        const { pools, claims } = anInstance(seed, poolCount, poolCount * 12);
        const fit = () => fitBatch(pools, claims, undefined, 200);
        const batch = fit();
        replay(pools, claims, batch.placed);
        const alone = fitOneByOne(pools, claims);
        expect(batch.bytes).toBeGreaterThanOrEqual(0.995 * alone.bytes);
        expect(batch.bytes >= alone.bytes || batch.placed.size > alone.placed.size).toBe(true);
        expect(batch.placed.size + batch.refused.length).toBe(claims.length);
        expect(fit().placed).toEqual(batch.placed);
      }),
      { numRuns: 25 },
    ));

  test.each(siteKinds.map((kind) => [kind.name, kind] as const))(
    'what was laid while it was drawn is found again as a whole: %s',
    (_, kind) => {
      for (const seed of [3, 4]) {
        const { pools, claims } = fittingInstance(kind, seed);
        const batch = fitBatch(pools, claims);
        expect(batch.refused).toEqual([]);
        // each decided when it comes, with its place in the plan
        const come = fitOneByOne(pools, claims, batch);
        expect([come.refused, [...come.placed].sort()]).toEqual([[], [...batch.placed].sort()]);
      }
    },
  );

  test('where not all fit, the bytes that cost least of what is scarce are placed', () => {
    // 100 operations for what is scarce: a busy claim takes as many as nine quiet ones
    const pools = of(small('a', 1000, { iops: 1000 / 0.7 }));
    const busy = aClass({ name: 'busy', copies: 1, iopsFloor: { kind: 'per-gib', perGiB: 9 } });
    const quiet = aClass({ name: 'quiet', copies: 1, iopsFloor: { kind: 'per-gib', perGiB: 1 } });
    const of10 = (id: string, storageClass: typeof busy) => batchClaim(id, 100, ['a'], { storageClass });
    const claims = [of10('b', busy), ...Array.from({ length: 10 }, (_, i) => of10(`q${i}`, quiet))];
    expect(fitOneByOne(pools, claims).bytes).toBe(200 * GiB);
    const batch = fitBatch(pools, claims);
    expect([batch.bytes, batch.refused]).toEqual([1000 * GiB, ['b']]);
  });

  test('what no pool ever takes is refused, and moves nobody', () => {
    const pools = of(small('a', 100));
    const batch = fitBatch(pools, [batchClaim('huge', 500, ['a']), batchClaim('fits', 90, ['a'])]);
    expect([Object.fromEntries(batch.placed), batch.refused]).toEqual([{ fits: 'a' }, ['huge']]);
  });

  test('it says how far it came, and can be stopped in the turns and in the rounds', () => {
    const { pools, claims } = anInstance(5, 4, 200);
    for (const end of [100, 400]) {
      const seen: number[] = [];
      const watching = {
        progress: (done: number) => void seen.push(done),
        get stopped() {
          return seen.at(-1)! >= end;
        },
      };
      const batch = fitBatch(pools, claims, watching);
      expect(seen.slice(0, end / 50 + 1)).toEqual(Array.from({ length: end / 50 + 1 }, (_, i) => i * 50));
      // one look more in each of what would have followed
      expect(seen.length).toBeLessThanOrEqual(end / 50 + 4);
      expect(batch.placed.size + batch.refused.length).toBe(claims.length);
    }
  });
});
