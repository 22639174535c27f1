import fc from 'fast-check';
import { accessModes, strategies, volumeModes, type StorageClass } from '../classes/storage-class';
import { withVolume, type Taking } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { bytes, GiB, gibibytes, TiB, tebibytes } from '../sizes/bytes';
import { fitOneByOne } from './batch';
import { classRoom, decide, mostCounted, roomFor } from './decide';
import { whatWouldBind } from './remedies';
import type { PlacementInput, Quota } from './request';
import { checkPool, firstFailure, ruleContext } from './rules';
import { aClaim, aClass, anInput, aPool, aSpreadPool, moored, rock, failing } from './testing';

const arbitraryPool = (id: string): fc.Arbitrary<Pool> =>
  fc
    .record({
      access: fc.constantFrom<Pool['access']>(['block'], ['file'], ['block', 'file']),
      sharedBlock: fc.boolean(),
      encryption: fc.boolean(),
      expansion: fc.boolean(),
      reachable: fc.boolean(),
      zones: fc.subarray(['north', 'middle', 'south']),
      subscribedRaw: fc.nat(8 * TiB),
      consumedRaw: fc.nat(6 * TiB),
      overcommit: fc.constantFrom(1, 1.2, 2),
      iops: fc.nat(100_000),
      promisedIops: fc.nat(60_000),
      nodes: fc.array(fc.integer({ min: 50, max: 2000 }), { minLength: 1, maxLength: 6 }),
      spread: fc.boolean(),
    })
    .map(({ nodes, spread, ...part }) => (spread ? aSpreadPool(id, nodes, part) : aPool(id, part)));

const arbitraryInput: fc.Arbitrary<PlacementInput> = fc
  .record({
    pools: fc.tuple(arbitraryPool('a'), arbitraryPool('b'), arbitraryPool('c')),
    enabled: fc.tuple(fc.boolean(), fc.boolean(), fc.boolean()),
    size: fc.integer({ min: 1, max: 4 * TiB }),
    modes: fc.subarray([...accessModes], { minLength: 1 }),
    volumeMode: fc.constantFrom(...volumeModes),
    zone: fc.option(fc.constantFrom('north', 'south'), { nil: undefined }),
    copies: fc.integer({ min: 1, max: 4 }),
    strategy: fc.constantFrom(...strategies),
    encrypted: fc.boolean(),
    quota: fc.option(fc.record({ limit: fc.nat(4 * TiB), used: fc.nat(2 * TiB) }), { nil: undefined }),
  })
  .map((r) => {
    const quotas: Quota[] = r.quota ? [{ scope: 'namespace', ...r.quota }] : [];
    return anInput(r.pools, {
      claim: aClaim({ size: bytes(r.size), modes: r.modes, volumeMode: r.volumeMode, zone: r.zone }),
      storageClass: aClass({
        copies: r.copies,
        strategy: r.strategy,
        encrypted: r.encrypted,
        iopsFloor: { kind: 'fixed', value: 500 },
      }),
      moorings: r.pools.map((p, i) => moored(p.id, i + 1, { enabled: r.enabled[i] })),
      quotas,
    });
  });

describe('decisions on random inputs', () => {
  test('the winner breaks no rule, and a trace recomputes to its verdict', () =>
    fc.assert(
      fc.property(arbitraryInput, (input) => {
        const decision = decide(input);
        for (const candidate of decision.candidates) {
          const pool = input.pools.get(candidate.pool)!;
          const mooring = input.moorings.find((m) => m.pool === pool.id);
          expect(checkPool(ruleContext(input, pool, mooring))).toEqual(candidate.checks);
          expect(candidate.score !== undefined).toBe(candidate.checks.every((c) => c.passed));
          for (const { need, have, passed, unit, rule } of candidate.checks)
            if (unit === 'bytes' && typeof need === 'number' && typeof have === 'number' && rule !== 'fill')
              expect(need <= have).toBe(passed);
        }
        const passing = decision.candidates.filter((c) => c.score);
        expect(decision.winner !== undefined).toBe(passing.length > 0);
        if (decision.winner) expect(passing.map((c) => c.pool)).toContain(decision.winner);
      }),
    ));

  test('the quick answer is the long one: the first rule that fails when each is asked', () =>
    fc.assert(
      fc.property(
        arbitraryInput,
        fc.record({
          part: fc.record({
            secondCopy: fc.boolean(),
            offsite: fc.boolean(),
            volumeMode: fc.constantFrom('any', 'Block'),
          }),
          granted: fc.constantFrom(true, false, undefined),
          tuned: fc.constantFrom(undefined, { copies: 2 }, { 'iops-floor': 9 }),
          classQuota: fc.option(fc.nat(4 * TiB), { nil: undefined }),
          cap: fc.option(fc.nat(4 * TiB), { nil: undefined }),
          sites: fc.constantFrom(undefined, ['quayside'], ['gull-rock']),
        }),
        (plain, { part, granted, tuned, classQuota, cap, sites }) => {
          const pools = [...plain.pools.values()].map((p, i) => ({
            ...p,
            offsite: i === 0,
            ...(i === 2 && { sites, backend: 'limpet' }),
            ...(cap !== undefined && { backendCap: { limit: cap, taken: 0 } }),
          }));
          const storageClass: StorageClass = {
            ...plain.storageClass,
            ...(part as Partial<StorageClass>),
            allowances: [{ setting: 'copies', minimum: 1, maximum: 3, namespaces: [] }],
          };
          const input: PlacementInput = {
            ...plain,
            site: 'quayside',
            storageClass,
            claim: { ...plain.claim, tuned },
            pools: new Map(pools.map((p) => [p.id, p])),
            quotas: [
              ...plain.quotas,
              ...(classQuota === undefined ? [] : [{ scope: 'class' as const, limit: classQuota, used: 0 }]),
            ],
            ...(granted !== undefined && { granted }),
          };
          for (const pool of pools) {
            const context = ruleContext(
              input,
              pool,
              input.moorings.find((m) => m.pool === pool.id),
            );
            expect(firstFailure(context)).toEqual(checkPool(context).find((c) => !c.passed));
          }
        },
      ),
      { numRuns: 500 },
    ));

  test('the same input gives the same answer, in whatever order it is written', () =>
    fc.assert(
      fc.property(arbitraryInput, (input) => {
        const turned = {
          ...input,
          moorings: [...input.moorings].reverse(),
          pools: new Map([...input.pools].reverse()),
        };
        expect(decide(turned).winner).toBe(decide(input).winner);
      }),
    ));

  test('one more pool never makes a claim unbindable', () =>
    fc.assert(
      fc.property(arbitraryInput, arbitraryPool('d'), (input, extra) => {
        const more = {
          ...input,
          pools: new Map([...input.pools, ['d', extra] as const]),
          moorings: [...input.moorings, moored('d', 4)],
        };
        if (decide(input).winner) expect(decide(more).winner).toBeDefined();
      }),
    ));

  const taking = ({ provisioned, backendIops, backendThroughput }: Taking, n: number): Taking => ({
    provisioned: provisioned * n,
    backendIops: backendIops * n,
    backendThroughput: backendThroughput * n,
  });
  test('room for more volumes is the last count that still fits', () =>
    fc.assert(
      fc.property(arbitraryInput, (input) => {
        const pool = input.pools.get('a')!;
        const context = ruleContext({ ...input, quotas: [] }, pool, moored('a'));
        if (firstFailure(context)) return;
        const { claims, stoppedBy } = roomFor(context);
        // one at a time, each on the pool as the ones before it left it
        const at = (n: number) => withVolume(pool, taking(context, n), input.storageClass);
        const failing = (n: number) => firstFailure(ruleContext({ ...input, quotas: [] }, at(n), moored('a')));
        if (claims < mostCounted) expect(failing(claims)?.rule).toBe(stoppedBy);
        if (claims > 0) expect(failing(claims - 1)).toBeUndefined();
      }),
    ));

  test('a class takes as many claims as deciding them one after the other places', () =>
    fc.assert(
      fc.property(arbitraryInput, fc.boolean(), (input, capped) => {
        const first = [...input.pools.values()].map((p) =>
          capped ? { ...p, backendCap: { limit: 700 * GiB, taken: 100 * GiB } } : p,
        );
        const claim = { ...input.claim, size: gibibytes(400) };
        const start = { ...input, claim, quotas: [], pools: new Map(first.map((p) => [p.id, p])) };
        const room = classRoom(start);
        const claims = Array.from({ length: 60 }, (_, i) => ({ id: `c${i}`, input: start }));
        const { placed, bytesBeforeRefusal } = fitOneByOne(start.pools, claims);
        expect(Math.min(room.claims, 60)).toBe(placed.size);
        if (room.claims < 60) expect(room.bytes).toBe(bytesBeforeRefusal);
      }),
      { numRuns: 60 },
    ));

  test("a trace's numbers come to its verdict when they are computed again", () =>
    fc.assert(
      fc.property(arbitraryInput, (input) => {
        const { candidates, winner } = decide(input);
        for (const { checks, score } of candidates) {
          for (const { need, have, passed, unit, rule } of checks)
            if (typeof need === 'number' && typeof have === 'number')
              expect(passed).toBe(
                unit === 'share'
                  ? have < need
                  : need <= have || ((unit === 'iops' || unit === 'bytes-per-second') && need === 0),
              );
            else if (rule === 'mooring') expect(passed).toBe(need === have);
          expect(score !== undefined).toBe(checks.every((c) => c.passed));
          if (score) expect(score.headroom).toBe(Math.min(score.bytesLeft, score.iopsLeft, score.throughputLeft));
        }
        const passing = candidates.filter((c) => c.score !== undefined);
        const best = Math.max(...passing.filter((c) => !c.score!.aboveSoftMark).map((c) => c.score!.total));
        const won = passing.find((c) => c.pool === winner);
        expect(won === undefined).toBe(passing.length === 0);
        if (won && !won.score!.aboveSoftMark) expect(won.score!.total).toBe(best);
      }),
    ));

  test('a second copy goes to the first pool of another backend that takes the volume, and is counted there', () => {
    const pools = [
      aPool('a'),
      aPool('b'),
      aPool('full', { backend: 'gneiss', subscribedRaw: 10 * TiB }),
      aPool('c', { backend: 'kelp' }),
    ];
    const storageClass = aClass({ secondCopy: true });
    expect(decide(anInput(pools, { storageClass }))).toMatchObject({
      winner: 'a',
      second: { pool: 'c', provisioned: 80 * GiB, footprintFactor: 1 },
    });
    const claims = Array.from({ length: 200 }, (_, i) => ({ id: `c${i}`, input: anInput(pools, { storageClass }) }));
    // c is as large as one of the others: it ends first
    expect(fitOneByOne(new Map(pools.map((p) => [p.id, p])), claims).placed.size).toBe(128);
  });

  describe('an off-site copy', () => {
    const storageClass = aClass({
      offsite: true,
      copies: 3,
      zones: ['north'],
      iopsFloor: { kind: 'fixed', value: 5000 },
      allowances: [{ setting: 'copies', minimum: 1, maximum: 3, namespaces: [] }],
    });
    const site = 'quayside';
    const here = aPool('a', { offsite: true, sites: ['quayside', 'gull-rock'] });

    test('goes to the first pool of another site that takes it, two copies at most and no speed reserved', () => {
      const nodes = aSpreadPool('rock-nodes', [900, 900, 900], { backend: 'limpet', sites: ['gull-rock'], iops: 10 });
      const pools = [here, rock({ id: 'full', name: 'full', subscribedRaw: 10 * TiB }), nodes];
      const decision = decide(anInput(pools, { storageClass, site, claim: aClaim({ zone: 'north' }) }));
      expect(decision).toMatchObject({
        winner: 'a',
        offsite: { pool: 'rock-nodes', provisioned: 80 * GiB, footprintFactor: 2, backendIops: 0 },
      });
      expect(decision.runnerUp).toBeUndefined();
    });

    test('never lets a pool of another site keep the volume itself, whatever its class', () => {
      expect(decide(anInput([rock()], { site })).winner).toBeUndefined();
      expect(decide(anInput([here, rock()], { site })).offsite).toBeUndefined();
      expect(decide(anInput([rock()])).winner).toBe('rock');
    });

    test('that has nowhere to go is told with the pools one could moor to, each tried out', () => {
      const pools = [here, rock(), rock({ id: 'small', name: 'small', maximum: gibibytes(10) })];
      const remedies = whatWouldBind(anInput(pools, { storageClass, site, moorings: [moored('a')] }));
      expect(remedies.map((r) => r.changes)).toEqual([
        [{ kind: 'moor', pool: 'rock' }],
        [{ kind: 'drop-demand', demand: 'offsite' }],
      ]);
    });

    test('bounds how many more claims the class takes, as a second copy does', () => {
      const room = (pools: Pool[], part: Partial<StorageClass>) =>
        classRoom(anInput(pools, { site, storageClass: aClass(part), claim: aClaim({ size: gibibytes(1024) }) }))
          .claims;
      expect(
        room([here, rock({ redundancy: { kind: 'inner', survives: 2, usable: tebibytes(3) } })], { offsite: true }),
      ).toBe(3);
      expect(room([here, aPool('b', { backend: 'kelp' })], { secondCopy: true })).toBe(10);
      const small = aPool('b', { backend: 'kelp', redundancy: { kind: 'inner', survives: 2, usable: tebibytes(4) } });
      expect(room([here, small], { secondCopy: true })).toBe(4);
      expect(room([here], {})).toBe(10);
    });
  });

  test('what was planned for a claim wins while it passes, and not otherwise', () => {
    const pools = [aPool('a'), aPool('b')];
    expect(decide(anInput(pools, { planned: 'b' }))).toMatchObject({ winner: 'b', runnerUp: 'a' });
    expect(decide(anInput([aPool('a'), aPool('b', { reachable: false })], { planned: 'b' })).winner).toBe('a');
  });
});
describe('what would bind a claim', () => {
  const kinds = (input: PlacementInput) => whatWouldBind(input).map((r) => r.changes.map((c) => c.kind).join('+'));

  test('many writers on a block-only class: moor a pool that serves files, or ask otherwise', () => {
    const input = anInput([aPool('swift', { sharedBlock: true }), aPool('deep', { access: ['block', 'file'] })], {
      claim: aClaim({ modes: ['ReadWriteMany'] }),
      moorings: [moored('swift')],
    });
    expect(kinds(input)).toEqual(['moor', 'ask-mode', 'ask-volume-mode']);
  });

  test('over quota: the smallest new limit, to the byte', () => {
    const [first] = whatWouldBind(failing['namespace-quota']());
    expect(first!.changes).toEqual([{ kind: 'raise-quota', scope: 'namespace', limit: 120 * GiB, by: 20 * GiB }]);
  });

  test('over a limit of claims or of IOPS: one more, or as many as are short', () => {
    expect(kinds(failing['claims-limit']())).toEqual(['raise-count']);
    const [first, second] = whatWouldBind(failing['iops-limit']());
    expect(first!.changes).toEqual([{ kind: 'raise-count', of: 'iops', scope: 'namespace', limit: 1100, by: 100 }]);
    expect(second!.changes).toEqual([{ kind: 'lower-floor', iops: 400, by: 100 }]);
  });

  test('two things short take a pair', () => {
    const input = anInput([aPool('a', { encryption: false, expansion: false })], {
      storageClass: aClass({ encrypted: true }),
    });
    expect(kinds(input)).toEqual(['drop-encryption+drop-expansion']);
  });

  test('stranded capacity: ask less, keep fewer copies, or add capacity', () => {
    const pool = aSpreadPool('k', [1800, 1200, 600, 600], { subscribedRaw: 3 * 1150 * GiB });
    expect(kinds(anInput([pool]))).toEqual(['ask-less', 'raise-overcommit', 'lower-copies', 'add-capacity']);
  });

  test('remedies come smallest first, each once, and a pool that lacks only its mooring is always offered', () =>
    fc.assert(
      fc.property(arbitraryInput, (input) => {
        const remedies = whatWouldBind(input, 50);
        const sizes = remedies.map((r) => r.changes.length);
        expect(sizes).toEqual([...sizes].sort((a, b) => a - b));
        expect(new Set(remedies.map((r) => JSON.stringify(r.changes))).size).toBe(remedies.length);
        // without pools that fail for want of several things, at least one remedy exists for each single failed rule
        for (const pool of input.pools.values()) {
          const checks = checkPool(
            ruleContext(
              input,
              pool,
              input.moorings.find((m) => m.pool === pool.id),
            ),
          );
          const short = checks.filter((c) => !c.passed);
          if (short.length === 1 && short[0]!.rule === 'mooring')
            expect(remedies.some((r) => r.changes.length === 1)).toBe(true);
        }
      }),
    ));
});
