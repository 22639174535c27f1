import { GiB, TiB } from '../sizes/bytes';
import { decide } from './decide';
import type { PlacementInput } from './request';
import { ruleNames } from './rule';
import { aClaim, aClass, anInput, aPool, aSpreadPool, moored, failing } from './testing';

const failed = (input: PlacementInput, pool = [...input.pools.keys()][0]!) =>
  decide(input)
    .candidates.find((c) => c.pool === pool)!
    .checks.filter((c) => !c.passed)
    .map((c) => c.rule);

describe('the rules', () => {
  test.each(ruleNames)('%s can fail alone', (rule) => expect(failed(failing[rule]())).toEqual([rule]));

  test('every check carries what was needed and what there was', () => {
    const check = decide(failing.subscription()).candidates[0]!.checks.find((c) => c.rule === 'subscription')!;
    expect(check.need).toBe(80 * GiB);
    expect(Math.round(Number(check.have) / GiB)).toBe(51);
  });

  test('many writers go to a shared raw block device when the pool says so', () => {
    const claim = aClaim({ modes: ['ReadWriteMany'], volumeMode: 'Block' });
    expect(decide(anInput([aPool('a', { sharedBlock: true })], { claim })).winner).toBe('a');
    expect(decide(anInput([aPool('a', { sharedBlock: false })], { claim })).winner).toBeUndefined();
  });

  test('copies count once on an array, and each on a software-defined pool', () => {
    const array = decide(anInput([aPool('a')]));
    const spread = decide(anInput([aSpreadPool('k', [900, 900, 900, 900])]));
    expect([array.footprintFactor, spread.footprintFactor]).toEqual([1, 3]);
  });

  test('a floor costs a replicated pool its writes as often as it keeps copies', () => {
    const storageClass = aClass({ iopsFloor: { kind: 'per-gib', perGiB: 12 }, writeShare: 0.5 });
    const decision = decide(anInput([aSpreadPool('k', [900, 900, 900, 900])], { storageClass }));
    expect(decision.iopsFloor).toBe(960);
    expect(decision.backendIops).toBe(480 + 3 * 480);
  });

  test('a pool above its soft mark is used last', () => {
    const input = anInput([aPool('a', { consumedRaw: 8.5 * TiB }), aPool('b')]);
    expect(decide(input)).toMatchObject({ winner: 'b', runnerUp: 'a' });
  });
});

describe('strategies', () => {
  const pools = [
    aPool('a', { subscribedRaw: 5 * TiB }),
    aPool('b', { subscribedRaw: TiB }),
    aPool('c', { subscribedRaw: 8 * TiB }),
  ];
  test.each([
    ['in-order', 'a'],
    ['spread', 'b'],
    ['pack', 'c'],
  ] as const)('%s picks %s', (strategy, winner) =>
    expect(decide(anInput(pools, { storageClass: aClass({ strategy }) })).winner).toBe(winner),
  );
  test('equal pools go by name', () =>
    expect(decide(anInput([aPool('z'), aPool('b')], { moorings: [moored('z', 1), moored('b', 1)] })).winner).toBe('b'));
});
