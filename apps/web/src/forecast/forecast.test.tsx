import type {
  ForecastAnswer,
  KeptScenario,
  RunwayRow,
  Runways as Told,
  WhatIfAnswer,
} from '@moorage/contract/forecast';
import { waitFor, within } from '@testing-library/react';
import { aState } from '../moorings/testing';
import { FakeServer, maren, screen, show } from '../testing/render';
import { perDayText, runwayText } from './runway-words';
import Runways from './Runways';
import WhatIf from './WhatIf';

const GiB = 2 ** 30;
const TiB = 2 ** 40;
const dayMs = 24 * 3_600_000;
const on = (days: number) => Date.now() + days * dayMs;
const meets = (days: number) => ({ kind: 'meets' as const, at: on(days), from: on(days - 3), to: on(days + 9) });
const row = (part: Partial<RunwayRow> = {}): RunwayRow => ({
  ...{ kind: 'pool', name: 'basalt-swift', className: null, against: 'hard', used: 7 * TiB, end: 9 * TiB },
  ...{ perDay: 90 * GiB, runway: meets(23) },
  ...part,
});
const told: Told = {
  reckonedAt: new Date().toISOString(),
  rows: [
    row(),
    row({
      ...{ kind: 'namespace', name: 'ferry-desk', className: 'ledger', against: 'limit', used: GiB, end: 4 * GiB },
      ...{ perDay: 0, runway: { kind: 'none' } },
    }),
    row({ name: 'kelp-deep', perDay: null, runway: null }),
  ],
  more: 0,
};
const forecast: ForecastAnswer = {
  row: row(),
  was: { at: [on(-2), on(-1), on(0)], value: [6 * TiB, 6.5 * TiB, 7 * TiB] },
  steps: [{ at: on(-20), change: 3 * TiB }],
  goesOn: { at: [on(0), on(10)], value: [7 * TiB, 8 * TiB], low: [7 * TiB, 7.9 * TiB], high: [7 * TiB, 8.1 * TiB] },
};

test('what is reached first stands first, with its day and the interval, and what stands still and what is not known say so', async () => {
  new FakeServer({ listRunways: () => told });
  show(<Runways />, { at: '/namespaces/runway' });
  const rows = within(await screen.findByRole('table', { name: 'Runways' })).getAllByRole('row');
  expect(rows.slice(1).map((r) => within(r).getByRole('button').textContent)).toEqual([
    '23 days',
    'not in two years',
    'not known yet',
  ]);
  expect(rows[1]!.textContent).toContain('7 TiB of 9 TiB+90 GiB23 days');
  expect(rows[2]!.textContent).toContain('ferry-desk in ledgerits limit1 GiB of 4 GiBnothing');
  expect(within(rows[2]!).getByRole('link').getAttribute('href')).toBe('/namespaces?namespace=ferry-desk');
});

test('how one goes on is drawn, and stands in the address; the same as a table', async () => {
  const server = new FakeServer({ listRunways: () => told, getForecast: () => forecast });
  const { user } = show(<Runways />, { at: '/namespaces/runway' });
  await user.click(await screen.findByRole('button', { name: '23 days: how basalt-swift goes on' }));
  const chart = within(await screen.findByRole('region', { name: 'Forecast of basalt-swift: its hard mark' }));
  expect(window.location.search).toBe('?of=pool%2Fbasalt-swift%2F%2Fhard');
  expect(await chart.findByText(/reached in 23 days, on/)).toBeTruthy();
  expect(chart.getByText(/3 TiB came at once: that is a step/)).toBeTruthy();
  await user.click(chart.getByRole('button', { name: 'Reckon from the 14 days after it' }));
  await waitFor(() => expect(server.of('getForecast').at(-1)!.query).toMatchObject({ days: '14', against: 'hard' }));
  await user.click(chart.getByRole('button', { name: 'As a table' }));
  const cells = within(chart.getByRole('table')).getAllByRole('row').at(-1)!.textContent;
  expect(cells).toContain('8 TiB7.9 TiB8.1 TiB');
});

test('nothing reckoned yet, and nothing of a name, are told apart', async () => {
  new FakeServer({ listRunways: () => ({ reckonedAt: null, rows: [], more: 0 }) });
  const { unmount } = show(<Runways />);
  expect(await screen.findByText('No runway is reckoned yet')).toBeTruthy();
  unmount();
  new FakeServer({ listRunways: () => ({ ...told, rows: [] }) });
  show(<Runways />);
  expect(await screen.findByText('Nothing of that name')).toBeTruthy();
});

test.each([
  [{ kind: 'over' } as const, 'reached'],
  [{ kind: 'none' } as const, 'not in two years'],
  [null, 'not known yet'],
  [{ ...meets(0), at: Date.now() - 5 }, 'today'],
  [meets(1), '1 day'],
  [meets(1234), '1,234 days'],
])('%j is said as %s', (runway, words) => expect(runwayText(runway)).toBe(words));
test('what comes each day is told with its sign and its unit', () => {
  expect(perDayText('hard', -3 * GiB)).toBe('−3 GiB');
  expect(perDayText('iops', 120)).toBe('+120 IOPS');
  expect(perDayText('claims', 0.5)).toBe('+0.5 claims');
  expect(perDayText('hard', 0)).toBe('nothing');
});

const marks = (days: number) => ({
  ...{ soft: meets(days - 9), hard: meets(days) },
  ...({ ceiling: { kind: 'none' }, iops: { kind: 'none' } } as const),
});
const answer = (part: Partial<WhatIfAnswer> = {}): WhatIfAnswer => ({
  at: new Date().toISOString(),
  pools: [
    {
      ...{ id: 'basalt-swift', backend: 'basalt', capacity: 10 * TiB, written: 7 * TiB, writtenPerDay: 90 * GiB },
      ...{ thenPerDay: 90 * GiB, now: marks(23), then: marks(23) },
    },
  ],
  ...{ purchases: [], units: { 'basalt-swift': TiB }, currency: 'EUR' },
  ...part,
});
const state = aState({ namespaces: ['ferry-desk'] });
const shelf: KeptScenario = {
  ...{ name: 'a shelf', person: 'tom', at: '2026-11-20T10:00:00.000Z', version: 3 },
  changes: [{ kind: 'growth', of: 'site', name: '', times: 2 }],
  wish: { days: 365, pricePerTiB: { fast: 90, standard: null, deep: null } },
};

test('a change is played at once: what is then stands beside what is now, and what to add is reckoned', async () => {
  const server = new FakeServer({
    placementState: () => state,
    listScenarios: () => [],
    playScenario: ({ body }) =>
      (body as { changes: unknown[] }).changes.length === 0
        ? answer()
        : answer({
            pools: [{ ...answer().pools[0]!, thenPerDay: 180 * GiB, then: marks(11) }],
            purchases: [
              {
                kind: 'send',
                pool: 'basalt-swift',
                by: on(11),
                to: 'basalt-broad',
                className: 'calm',
                raw: TiB,
                left: 9 * TiB,
              },
              { kind: 'buy', pool: 'basalt-swift', by: on(11), short: 3 * TiB, units: 4, raw: 4 * TiB, cost: 360 },
            ],
          }),
  });
  const { user } = show(<WhatIf />, { at: '/namespaces/what-if' });
  expect(await screen.findByText(/nothing has to be bought/)).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'another growth' }));
  expect(await screen.findByText('11 days')).toBeTruthy();
  const pools = within(screen.getByRole('table', { name: 'Pools, now and then' }));
  expect(pools.getAllByRole('row')[1]!.textContent).toContain('+90 GiB+180 GiB23 days → 11 days');
  const add = within(screen.getByRole('table', { name: 'What to add' })).getAllByRole('row');
  expect(add[1]!.textContent).toContain('Let calm put what is new on basalt-broad');
  expect(add[2]!.textContent).toMatch(/4 × 1 TiB, 4 TiB raw.*360 EUR/);
  const times = screen.getByLabelText('Times as fast');
  await user.clear(times);
  await user.type(times, '3.5');
  await waitFor(() =>
    expect(server.of('playScenario').at(-1)!.body).toMatchObject({
      changes: [{ kind: 'growth', of: 'site', times: 3.5 }],
    }),
  );
  await user.type(times, 'x');
  expect(screen.getByText('A number.')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Take out' }));
  expect(await screen.findByText(/nothing has to be bought/)).toBeTruthy();
});

test('a scenario is opened by its name, changed as the one that was read, and kept by another', async () => {
  const server = new FakeServer({
    placementState: () => state,
    listScenarios: () => [shelf],
    playScenario: () => answer(),
    keepScenario: ({ params }) => ({ ...shelf, name: params.name! }),
  });
  const { user } = show(<WhatIf />, { at: '/namespaces/what-if?scenario=a+shelf', person: maren });
  expect((await screen.findByLabelText<HTMLInputElement>('Times as fast')).value).toBe('2');
  expect((await screen.findByLabelText<HTMLInputElement>('EUR a raw TiB, fast')).value).toBe('90');
  await user.click(screen.getByRole('button', { name: 'Keep' }));
  await waitFor(() => expect(server.of('keepScenario')[0]!.body).toMatchObject({ version: 3 }));
  const name = screen.getByLabelText('Keep it as');
  await user.clear(name);
  await user.type(name, 'two shelves{Enter}');
  await waitFor(() => expect(server.of('keepScenario')).toHaveLength(2));
  expect(server.of('keepScenario')[1]!.body).not.toHaveProperty('version');
});
