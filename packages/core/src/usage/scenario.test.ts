import fc from 'fast-check';
import { purchasesFor } from './purchase';
import { play, runwayIn, type Scenario, type ScenarioChange, type ScenarioPool } from './scenario';

const dayMs = 24 * 3_600_000;
const at = Date.parse('2026-11-28T00:00:00Z');
const on = (days: number) => at + days * dayMs;
const aPool = (id: string, part: Partial<ScenarioPool> = {}): ScenarioPool => ({
  ...{ id, capacity: 1000, softMark: 0.8, hardMark: 0.9, ceiling: 1500, promised: 600, written: 500 },
  ...{ writtenPerDay: 4, promisedPerDay: 0, low: 0, high: 0, promisableIops: 10_000, iops: 2000, iopsPerDay: 0 },
  ...part,
});
const scenario: Scenario = {
  at,
  pools: [aPool('fast'), aPool('deep', { written: 100, writtenPerDay: 1, capacity: 5000 })],
  classes: [
    { name: 'ledger', copies: 2, pools: [{ id: 'fast', share: 1, factor: 2, iopsFactor: 3 }], writtenShare: 0.5 },
    {
      ...{ name: 'archive', copies: 4, writtenShare: 0.8 },
      pools: [
        { id: 'deep', share: 0.75, factor: 1.5, iopsFactor: 1 },
        { id: 'fast', share: 0.25, factor: 1.5, iopsFactor: 1 },
      ],
    },
  ],
  parts: [
    {
      pool: 'fast',
      className: 'ledger',
      namespace: '',
      promised: 400,
      written: 300,
      writtenPerDay: 3,
      promisedPerDay: 6,
      iops: 900,
    },
    {
      pool: 'fast',
      className: 'ledger',
      namespace: 'desk',
      promised: 200,
      written: 100,
      writtenPerDay: 1,
      promisedPerDay: 2,
      iops: 300,
    },
  ],
};
const runways = (changes: readonly ScenarioChange[], mark: Parameters<typeof runwayIn>[2] = 'hard', of = 'fast') => {
  const pool = scenario.pools.find((p) => p.id === of)!;
  return runwayIn(pool, play(scenario, changes).get(of)!, mark, at);
};

test('with no change it is the runway that there is', () => {
  // 900 at 4 a day from 500
  expect(runways([])).toMatchObject({ kind: 'meets', at: on(100) });
  expect(runways([], 'soft')).toMatchObject({ kind: 'meets', at: on(75) });
  expect(runways([], 'ceiling')).toEqual({ kind: 'none' });
});

test('what is promised, and what is reserved, goes on as well', () => {
  const pool = aPool('fast', { promisedPerDay: 9, iopsPerDay: 80 });
  const played = play({ ...scenario, pools: [pool] }, []).get('fast')!;
  expect(runwayIn(pool, played, 'ceiling', at)).toMatchObject({ kind: 'meets', at: on(100) });
  expect(runwayIn(pool, played, 'iops', at)).toMatchObject({ kind: 'meets', at: on(100) });
  const copied = play({ ...scenario, pools: [pool] }, [{ kind: 'copy', className: 'ledger' }]).get('fast')!;
  expect(copied.promisedPerDay).toBe(12);
});

test('a new application counts from its day on, with its copies, as much as its class gets written', () => {
  // 100 provisioned are 200 raw, half of them written: 100 of the 400 left
  const app: ScenarioChange = { kind: 'application', className: 'ledger', bytes: 100, iops: 1000, at: on(10) };
  expect(runways([app])).toMatchObject({ kind: 'meets', at: on(75) });
  // 1000 reserved cost 3000 of the pool: 5000 of 10,000
  expect(runways([app, app, app], 'iops')).toMatchObject({ kind: 'meets', at: on(10) });
  // after the mark was met it changes nothing
  expect(runways([{ ...app, at: on(200) }])).toMatchObject({ kind: 'meets', at: on(100) });
  // larger than all room: met on that very day
  expect(runways([{ ...app, bytes: 10_000 }])).toEqual({ kind: 'meets', at: on(10), from: on(10), to: on(10) });
  // spread as its class is
  const spread: ScenarioChange = { kind: 'application', className: 'archive', bytes: 100, iops: 0, at };
  const [, deep] = [...play(scenario, [spread]).values()];
  expect(deep!.steps).toEqual([{ at, promised: 112.5, written: 90, capacity: 0, iops: 0 }]);
});

test('more capacity moves the marks from its day on', () => {
  const shelf: ScenarioChange = { kind: 'capacity', pool: 'fast', raw: 500, at: on(90) };
  expect(runways([shelf])).toMatchObject({ kind: 'meets', at: on(212.5) });
  // too late
  expect(runways([{ ...shelf, at: on(101) }])).toMatchObject({ kind: 'meets', at: on(100) });
});

test('another copy adds as much again as one copy is, and grows as much faster', () => {
  // 300 written in two copies: 150 more; 3 a day: 1.5 more
  expect(runways([{ kind: 'copy', className: 'ledger' }])).toMatchObject({ kind: 'meets', at: on(250 / 5.5) });
});

test('a namespace that moves to another class takes its growth along', () => {
  const move: ScenarioChange = { kind: 'move', namespace: 'desk', from: 'ledger', to: 'archive' };
  const played = play(scenario, [move]);
  // 100 raw of two copies are 75 raw at half as much again: three quarters of that leave
  expect(played.get('fast')!.writtenPerDay).toBeCloseTo(4 - 1 + 0.25 * 0.75, 9);
  expect(played.get('deep')!.writtenPerDay).toBeCloseTo(1 + 0.75 * 0.75, 9);
  const sum = (of: 'written' | 'promised') =>
    [...played.values()].flatMap((p) => p.steps).reduce((all, s) => all + s[of], 0);
  expect([sum('written'), sum('promised')]).toEqual([-25, -50]);
});

test('a growth rate is changed for a pool, a class, a namespace, or all', () => {
  const growth = (of: 'namespace' | 'class' | 'pool' | 'site', name: string): ScenarioChange => ({
    ...{ kind: 'growth', of, name, times: 2 },
  });
  const perDay = (change: ScenarioChange) => [...play(scenario, [change]).values()].map((p) => p.writtenPerDay);
  expect(perDay(growth('site', ''))).toEqual([8, 2]);
  expect(perDay(growth('pool', 'fast'))).toEqual([8, 1]);
  expect(perDay(growth('class', 'ledger'))).toEqual([7, 1]);
  expect(perDay(growth('namespace', 'desk'))).toEqual([5, 1]);
});

test('more of anything is never reached later, more room never sooner', () => {
  const when = (r: ReturnType<typeof runways>) => (r.kind === 'over' ? -1 : r.kind === 'none' ? Infinity : r.at);
  const app = fc.record({
    ...{ kind: fc.constant('application' as const), className: fc.constantFrom('ledger', 'archive') },
    ...{ bytes: fc.integer({ min: 0, max: 500 }), iops: fc.integer({ min: 0, max: 900 }) },
    at: fc.integer({ min: 0, max: 300 }).map(on),
  });
  const shelf = fc.record({
    ...{ kind: fc.constant('capacity' as const), pool: fc.constantFrom('fast', 'deep') },
    ...{ raw: fc.integer({ min: 0, max: 2000 }), at: fc.integer({ min: 0, max: 300 }).map(on) },
  });
  fc.assert(
    fc.property(fc.array(fc.oneof(app, shelf), { maxLength: 5 }), app, shelf, (changes, more, room) => {
      for (const mark of ['soft', 'hard', 'ceiling', 'iops'] as const) {
        expect(when(runways([...changes, more], mark))).toBeLessThanOrEqual(when(runways(changes, mark)));
        expect(when(runways([...changes, room], mark))).toBeGreaterThanOrEqual(when(runways(changes, mark)));
      }
    }),
  );
});

describe('what to buy', () => {
  const offered = [
    { pool: 'fast', unit: 50, price: 100 },
    { pool: 'fast', unit: 400, price: 350 },
    { pool: 'deep', unit: 100, price: 10 },
  ];
  const buy = (
    days: number,
    changes: readonly ScenarioChange[] = [],
    elsewhere: Parameters<typeof purchasesFor>[5] = [],
  ) => purchasesFor(scenario.pools, play(scenario, changes), at, days, offered, elsewhere);

  test('nothing where every pool lasts as long as wished', () => expect(buy(90)).toEqual([]));

  test('as many units as are short at the wished day, cheapest first, by the day its mark is met', () => {
    // 500 and 4 a day for 200 days are 1300: 400 above the mark of 900, 444.4 to add
    expect(buy(200)).toEqual([
      { kind: 'buy', pool: 'fast', by: on(100), short: 400, units: 2, raw: 800, cost: 700 },
      { kind: 'buy', pool: 'fast', by: on(100), short: 400, units: 9, raw: 450, cost: 900 },
    ]);
    const [first] = buy(200);
    const after = runways([{ kind: 'capacity', pool: 'fast', raw: (first as { raw: number }).raw, at }]);
    expect(after.kind === 'meets' && after.at).toBeGreaterThanOrEqual(on(200));
  });

  test('what grows is sent elsewhere first where that is enough, here and there, and costs nothing', () => {
    const all = { pool: 'fast', to: 'deep', className: 'ledger', factor: 0.75, share: 1 };
    expect(buy(200, [], [all])[0]).toEqual({
      ...{ kind: 'send', pool: 'fast', by: on(100), to: 'deep', className: 'ledger', raw: 600 },
      left: 4500 - 100 - 200 - 600,
    });
    // a part of it is not enough
    expect(buy(200, [], [{ ...all, share: 0.1 }]).map((p) => p.kind)).toEqual(['buy', 'buy']);
  });
});
