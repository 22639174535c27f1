import type { Statement as Told } from '@moorage/contract/prices';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import Statement from './Statement';
import { groupsOf, monthsUpTo } from './statement-words';

const line = (part: Partial<Told['lines'][number]>): Told['lines'][number] => ({
  ...{ namespace: 'tide-gauges', team: 'shore', className: 'ledger', pool: 'kelp-nvme', application: 'gauge-store' },
  ...{ tier: 'fast', gib: 1200, iops: 0, cents: 25_200 },
  ...part,
});
const told: Told = {
  ...{ month: '2026-10', currency: 'EUR', until: '2026-11-01T00:00:00.000Z', isOver: true, cents: 25_200 + 333 + 1 },
  lines: [
    line({}),
    line({ namespace: 'ferry-desk', className: 'general', tier: 'deep', cents: 333, gib: 10 }),
    line({ className: 'general', tier: 'deep', cents: 1, gib: 1, application: '' }),
  ],
  rates: [],
  unpriced: [],
};
const rate = { tier: 'fast', from: '2026-09-01T00:00:00.000Z', perGiB: 0.21, perIops: 0.008, person: 'tom' } as const;
const drawn = async (
  answers: ConstructorParameters<typeof FakeServer>[0] = {},
  at = '/namespaces/statement?month=2026-10',
  person = maren,
) => {
  const server = new FakeServer({ getStatement: () => told, listRates: () => [rate], ...answers });
  const page = show(<Statement />, { at, person });
  await screen.findByRole('heading', { name: 'October 2026: 255.34 EUR' });
  return { server, ...page };
};
const rows = (name: string) =>
  within(screen.getByRole('table', { name }))
    .getAllByRole('row')
    .slice(1)
    .map((r) => [...r.children].map((c) => c.textContent).join(' '));

test('every grouping adds up to the same, the dearest first', async () => {
  const { user } = await drawn();
  expect(rows('Statement by namespace')).toEqual([
    'tide-gauges 2 1,201 0 252.01 EUR',
    'ferry-desk 1 10 0 3.33 EUR',
    'All 3 1,211 0 255.34 EUR',
  ]);
  await user.click(screen.getByLabelText('Together by'));
  await user.click(await screen.findByRole('option', { name: 'application' }));
  expect(rows('Statement by application').at(-1)).toBe('All 3 1,211 0 255.34 EUR');
  expect(rows('Statement by application')[1]).toMatch(/^no application/);
  expect(window.location.search).toBe('?month=2026-10&by=application');
  for (const by of ['namespace', 'team', 'className', 'tier', 'pool', 'application'] as const)
    expect(groupsOf(told, by).reduce((sum, g) => sum + g.cents, 0)).toBe(told.cents);
});

test('another month is asked for, and taken away as a file', async () => {
  const { server, user } = await drawn();
  expect(screen.getByRole('link', { name: 'CSV' }).getAttribute('href')).toBe(
    '/api/statement/export?month=2026-10&format=csv',
  );
  await user.click(screen.getByRole('combobox', { name: 'Month' }));
  const [latest] = await screen.findAllByRole('option');
  await user.click(latest!);
  await waitFor(() => expect(server.of('getStatement').length).toBe(2));
  expect(monthsUpTo('2026-02', 3)).toEqual(['2026-02', '2026-01', '2025-12']);
});

test('a month that lasts says up to when, and what has no price is named', async () => {
  await drawn({ getStatement: () => ({ ...told, isOver: false, unpriced: ['deep', ''] }) });
  expect(
    screen.getByText(/The month lasts: reckoned up to .* deep, what is on no known pool had no price/),
  ).toBeTruthy();
});

test('a price is set from a day on; what the server refuses stands at its field, and what was typed stays', async () => {
  let calls = 0;
  const { server, user } = await drawn({
    setRate: () => (calls++ === 0 ? new Refused(422, 'Months that are over stay as they are.', 'from') : undefined),
  });
  await user.type(screen.getByLabelText('EUR a GiB and month'), '0.25');
  await user.type(screen.getByLabelText('EUR a reserved IOPS and month'), '0.01');
  await user.click(screen.getByRole('button', { name: 'Set' }));
  expect(await screen.findByText('Months that are over stay as they are.')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Set' }));
  expect(await screen.findByText(/fast costs 0\.25 EUR a GiB from/)).toBeTruthy();
  expect(server.of('setRate')[1]!.body).toMatchObject({ tier: 'fast', perGiB: 0.25, perIops: 0.01 });
});

test('a viewer sees prices and cannot set them', async () => {
  await drawn({}, '/namespaces/statement?month=2026-10', { ...maren, role: 'viewer' });
  await screen.findByRole('table', { name: 'Prices' });
  expect(rows('Prices')).toEqual(['fast 1 Sep 2026 0.21 EUR 0.008 EUR tom ']);
  expect(screen.queryByRole('button', { name: 'Set' })).toBeNull();
});
