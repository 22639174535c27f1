import type { History } from '@moorage/contract/history';
import type { UseGrid } from '@moorage/contract/usage';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aUseGrid } from '../testing/rows';
import Namespaces from './Namespaces';
import { indexOfUse, rowsShown } from './use';

const GiB = 2 ** 30;
const use = aUseGrid(
  [
    [
      'tide-gauges',
      'ledger',
      {
        claims: 3,
        unbound: 1,
        requested: 230 * GiB,
        provisioned: 240 * GiB,
        written: 60 * GiB,
        footprint: 480 * GiB,
        iops: 1200,
      },
    ],
    [
      'tide-gauges',
      'deep',
      { claims: 1, requested: 10 * GiB, provisioned: 10 * GiB, written: GiB, footprint: 15 * GiB },
    ],
    [
      'ferry-desk',
      'deep',
      { claims: 2, requested: 40 * GiB, provisioned: 40 * GiB, written: null, footprint: 60 * GiB },
    ],
  ],
  [
    ['tide-gauges', '', 1000 * GiB],
    ['tide-gauges', 'ledger', 250 * GiB],
  ],
);
const values = (n: number, value: number | null) => Array.from({ length: n }, () => value);
const history = (part: Partial<History> = {}): History => {
  const at = [0, 1, 2].map((i) => Date.parse('2026-11-26T09:00:00Z') + i * 300_000);
  const spread = { mean: values(3, 5), most: values(3, 9), p95: values(3, 8) };
  return {
    ...({ step: '5m', from: '2026-11-26T09:00:00.000Z', to: '2026-11-26T09:30:00.000Z', at } as const),
    written: { least: [GiB, null, 2 * GiB], mean: [GiB, null, 2 * GiB], most: [GiB, null, 3 * GiB] },
    ...{ iops: spread, throughput: spread, latency: spread, claims: [1, 1, 1], limit: values(3, null) },
    ...{ requested: [9, 9, 9], provisioned: [9 * GiB, 9 * GiB, 9 * GiB], footprint: [9, 9, 9], events: [], more: 0 },
    ...part,
  };
};
const cell = (key: string) => document.querySelector<HTMLElement>(`[data-cell="${key}"]`)!;
const drawn = async (
  answers: ConstructorParameters<typeof FakeServer>[0] = {},
  at = '/namespaces',
  person = maren,
  shown: UseGrid = use,
) => {
  const server = new FakeServer({ getUse: () => shown, getHistory: () => history(), ...answers });
  const page = show(<Namespaces />, { at, person });
  await screen.findByRole('grid');
  return { server, ...page };
};

test('each cell says its figure and its share of the limit, and the totals add up', async () => {
  await drawn();
  expect(cell('tide-gauges/ledger').textContent).toBe('96 %240 GiB');
  expect(cell('tide-gauges/').textContent).toBe('25 %250 GiB');
  expect(cell('ferry-desk/ledger').textContent).toBe('–');
  const total = within(screen.getByRole('row', { name: /^All / }));
  expect(total.getAllByRole('gridcell').map((c) => c.textContent)).toEqual(['290 GiB', '50 GiB', '240 GiB']);
});

test('by another measure no limit is shown, and what a backend did not tell is open in every sum of it', async () => {
  const { user } = await drawn();
  await user.click(screen.getByRole('button', { name: 'raw, with copies' }));
  expect(cell('tide-gauges/ledger').textContent).toBe('1 unbound480 GiB');
  expect(window.location.search).toBe('?measure=footprint');
  await user.click(screen.getByRole('button', { name: 'written' }));
  expect(cell('ferry-desk/deep').textContent).toBe('–');
  const total = within(screen.getByRole('row', { name: /^All / }));
  expect(total.getAllByRole('gridcell').map((c) => c.textContent)).toEqual(['–', '–', '60 GiB']);
});

test('the arrow keys choose a cell, which says what it is made of and leads to its claims', async () => {
  const { user } = await drawn();
  await user.click(cell('tide-gauges/ledger'));
  expect(window.location.search).toBe('?namespace=tide-gauges&class=ledger');
  expect(screen.getByRole('heading', { name: 'tide-gauges in ledger' })).toBeTruthy();
  expect(screen.getByRole('link', { name: '3 claims' }).getAttribute('href')).toBe(
    '/claims?namespace=tide-gauges&class=ledger',
  );
  screen.getByRole('grid').focus();
  await user.keyboard('{ArrowUp}');
  expect(screen.getByRole('heading', { name: 'ferry-desk in ledger' })).toBeTruthy();
  expect(screen.getByText('No claim here.')).toBeTruthy();
  await user.keyboard('{Home}');
  expect(screen.getByRole('heading', { name: 'ferry-desk' })).toBeTruthy();
  await user.keyboard('{ArrowDown}{ArrowRight}{Enter}');
  expect(window.location.pathname + window.location.search).toBe('/claims?namespace=tide-gauges&class=deep');
});

test('rows and columns are asked for as they are chosen, and stand in the address', async () => {
  const { server, user } = await drawn();
  await user.click(screen.getByLabelText('Columns'));
  await user.click(await screen.findByRole('option', { name: 'backend' }));
  await waitFor(() => expect(server.of('getUse').at(-1)!.query).toEqual({ rows: 'namespace', columns: 'backend' }));
  await user.click(screen.getByLabelText('Rows'));
  await user.click(await screen.findByRole('option', { name: 'team' }));
  await waitFor(() => expect(server.of('getUse').at(-1)!.query).toEqual({ rows: 'team', columns: 'backend' }));
  expect(window.location.search).toBe('?columns=backend&rows=team');
});

test('what has no name and what is shown as one are columns of their own, named so', async () => {
  const cells = [
    ['tide-gauges', 'a', { provisioned: GiB }],
    ['tide-gauges', '', { provisioned: 2 * GiB }],
  ] as const;
  const { unmount, user } = await drawn({}, '/namespaces?namespace=tide-gauges', maren, aUseGrid(cells));
  await user.click(cell('tide-gauges/~'));
  expect(screen.getByRole('heading', { name: 'tide-gauges in no class' })).toBeTruthy();
  expect(window.location.search).toBe('?namespace=tide-gauges&class=%7E');
  unmount();
  const merged = aUseGrid([cells[0], ['tide-gauges', 'b', { provisioned: 5 * GiB }]]);
  await drawn({}, '/namespaces?namespace=tide-gauges&class=%2B', maren, { ...merged, columns: ['a', ''], merged: 31 });
  expect(screen.getByRole('heading', { name: 'tide-gauges in 31 others' })).toBeTruthy();
  expect(screen.getByRole('columnheader', { name: '31 others' })).toBeTruthy();
});

test('rows are found by a part of their name and ordered by what they use', () => {
  const index = indexOfUse(use);
  expect(rowsShown(index, 'TIDE', 'name', 'provisioned').names).toEqual(['tide-gauges']);
  expect(rowsShown(index, '', 'largest', 'provisioned').names).toEqual(['tide-gauges', 'ferry-desk']);
  expect(rowsShown(index, '', 'deep', 'provisioned').names).toEqual(['ferry-desk', 'tide-gauges']);
});

test('a moment in the past is asked for, plainly marked, changes nothing, and leads back', async () => {
  const past = { ...use, isPast: true, at: '2026-11-20T14:00:00.000Z' };
  const at = '/namespaces?at=2026-11-20T14:00:00.000Z&namespace=tide-gauges';
  const { server, user } = await drawn({ getUse: ({ query }) => (query.at ? past : use) }, at);
  expect(server.of('getUse')[0]!.query).toMatchObject({ at: '2026-11-20T14:00:00.000Z' });
  expect(screen.getByRole('status').textContent).toMatch(
    /^Past: this is how it was on 20 Nov 2026, .*Nothing can be changed here/,
  );
  expect(screen.queryByLabelText('Limit of tide-gauges')).toBeNull();
  expect(server.of('getHistory')[0]!.query.to).toBe('2026-11-20T14:00:00.000Z');
  await user.click(screen.getByRole('button', { name: 'Back to now' }));
  expect(await screen.findByLabelText('Limit of tide-gauges')).toBeTruthy();
  expect(window.location.search).toBe('?namespace=tide-gauges');
});

test('over time: what was not told of is said to be open, and the same stands in a table', async () => {
  const events: History['events'] = [
    {
      at: Date.parse('2026-11-26T09:03:00Z'),
      kind: 'grown',
      subject: 'level-log',
      namespace: 'tide-gauges',
      from: GiB,
      to: 2 * GiB,
      fromPool: null,
      toPool: null,
    },
  ];
  const { user } = await drawn({ getHistory: () => history({ events }) }, '/namespaces?namespace=tide-gauges');
  const chart = within(await screen.findByRole('region', { name: 'History of tide-gauges' }));
  expect(await chart.findByText('1 span was not told of: left open, not drawn as nothing.')).toBeTruthy();
  expect(chart.getByText('level-log grew from 1 GiB to 2 GiB')).toBeTruthy();
  await user.click(chart.getByRole('button', { name: 'As a table' }));
  const rows = within(chart.getByRole('table', { name: 'The same as a table' })).getAllByRole('row');
  expect(rows.map((r) => r.textContent!.replace(/^.*\d\d:\d\d/, ''))).toEqual([
    'FromWritten, meanPeakProvisioned',
    '1 GiB1 GiB9 GiB',
    'not told–9 GiB',
    '2 GiB3 GiB9 GiB',
  ]);
});

test('a limit is set in bytes, and taken back', async () => {
  const { server, user } = await drawn(
    { setClassLimit: () => undefined },
    '/namespaces?namespace=tide-gauges&class=ledger',
  );
  const field = screen.getByLabelText('Limit of it in ledger');
  await user.clear(field);
  await user.type(field, '300Gi{Enter}');
  await screen.findByText('The limit of it in ledger is changed.');
  expect(server.of('setClassLimit')[0]).toMatchObject({
    params: { namespace: 'tide-gauges', className: 'ledger' },
    body: { bytes: 300 * GiB },
  });
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() => expect(server.of('setClassLimit')).toHaveLength(2));
  expect(server.of('setClassLimit')[1]!.body).toEqual({ bytes: 250 * GiB });
});

test('an empty field takes the limit of all classes away', async () => {
  const { server, user } = await drawn({ setNamespaceLimit: () => undefined }, '/namespaces?namespace=tide-gauges');
  await user.clear(screen.getByLabelText('Limit of tide-gauges'));
  await user.click(screen.getByRole('button', { name: 'Set' }));
  await screen.findByText('tide-gauges has no limit now.');
  expect(server.of('setNamespaceLimit')[0]!.body).toEqual({ bytes: null });
});

test.each([
  ['80 apples', /Not a size/],
  ['0', /above zero/],
  ['-5Gi', /negative/],
])('"%s" is no limit: it is said beside the field, and not sent', async (text, said) => {
  const { server, user } = await drawn({ setNamespaceLimit: () => undefined }, '/namespaces?namespace=tide-gauges');
  const field = screen.getByLabelText('Limit of tide-gauges');
  await user.clear(field);
  await user.type(field, `${text}{Enter}`);
  expect(screen.getByText(said)).toBeTruthy();
  expect(server.of('setNamespaceLimit')).toEqual([]);
});

test('what the server refuses is told, and what was typed stays', async () => {
  const { user } = await drawn(
    { setNamespaceLimit: () => new Refused(422, 'A limit is below what is used.') },
    '/namespaces?namespace=tide-gauges',
  );
  const field = screen.getByLabelText<HTMLInputElement>('Limit of tide-gauges');
  await user.clear(field);
  await user.type(field, '2Ti{Enter}');
  expect(await screen.findByText(/A limit is below what is used\./)).toBeTruthy();
  expect(field.value).toBe('2Ti');
});

test('a viewer sees limits and cannot set them', async () => {
  await drawn({}, '/namespaces?namespace=tide-gauges', { ...maren, role: 'viewer' });
  expect(screen.getByLabelText<HTMLInputElement>('Limit of tide-gauges').disabled).toBe(true);
  expect(screen.queryByRole('button', { name: 'Set' })).toBeNull();
});

test('no namespace yet, and no answer, are told apart', async () => {
  new FakeServer({ getUse: () => aUseGrid([]) });
  show(<Namespaces />);
  expect(await screen.findByText('No namespace is known yet')).toBeTruthy();
});
