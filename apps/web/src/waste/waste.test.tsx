import type { Waste as Told, WasteRow } from '@moorage/contract/waste';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import Waste from './Waste';

const GiB = 2 ** 30;
const row = (part: Partial<WasteRow> = {}): WasteRow => ({
  ...{
    kind: 'unmounted',
    subject: 'uid-1',
    namespace: 'wave-model',
    name: 'runs',
    className: 'swift',
    pool: 'basalt-swift',
  },
  ...{ since: new Date(Date.now() - 20 * 24 * 3_600_000).toISOString(), bytes: 100 * GiB, raw: 200 * GiB },
  ...{ cost: 30, saved: 30, facts: {}, aside: null },
  ...part,
});
const told = (part: Partial<Told> = {}): Told => ({
  rows: [
    row(),
    row({
      kind: 'too-fast',
      subject: 'uid-2',
      name: 'grid',
      cost: 45,
      saved: 20.5,
      facts: { p95: 120, better: 'calm' },
    }),
    row({ kind: 'class-unused', subject: 'old', namespace: '', name: 'old', pool: '', raw: 0, saved: 0 }),
  ],
  ...{ more: 0, aside: 0, currency: 'EUR', reckonedAt: new Date().toISOString() },
  sums: [{ kind: 'unmounted', count: 1, raw: 200 * GiB, saved: 30 }],
  ...part,
});

test('each kind says how much it is, each row why, what it frees and saves, and where to act', async () => {
  const server = new FakeServer({ listWaste: () => told() });
  const { user } = show(<Waste />, { at: '/namespaces/waste' });
  const rows = within(await screen.findByRole('table', { name: 'Waste' })).getAllByRole('row');
  expect(rows[1]!.textContent).toMatch(
    /wave-model\/runs.*No pod has mounted it for 20 days\.200 GiB30 EURKeep or delete it/,
  );
  expect(rows[2]!.textContent).toMatch(/120 IOPS.*calm would have served it.*20.5 EURof 45 EUR/);
  expect(within(rows[1]!).getByRole('link').getAttribute('href')).toBe('/claims/wave-model/runs');
  expect(within(rows[3]!).getByRole('link').getAttribute('href')).toBe('/classes/old');
  const kind = screen.getByRole('button', { name: /^mounted by no pod/ });
  expect(kind.textContent).toBe('mounted by no pod1 · 200 GiB raw · 30 EUR a month');
  await user.click(kind);
  await waitFor(() => expect(server.of('listWaste').at(-1)!.query).toMatchObject({ kind: 'unmounted', aside: 'no' }));
});

test('some are set aside together, with a reason, and taken back', async () => {
  const server = new FakeServer({
    listWaste: () => told(),
    setWasteAside: () => undefined,
    takeWasteUp: () => undefined,
  });
  const { user } = show(<Waste />, { at: '/namespaces/waste' });
  await user.click(await screen.findByLabelText('runs, mounted by no pod'));
  await user.click(screen.getByLabelText('grid, faster than needed'));
  expect(screen.getByText('2 chosen: 400 GiB raw, 50.5 EUR a month.')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Set aside' }));
  await user.type(await screen.findByLabelText('Why'), 'the yearly report');
  await user.click(screen.getAllByRole('button', { name: 'Set aside' }).at(-1)!);
  const which = [
    { kind: 'unmounted', subject: 'uid-1' },
    { kind: 'too-fast', subject: 'uid-2' },
  ];
  await waitFor(() =>
    expect(server.of('setWasteAside')[0]!.body).toMatchObject({ which, reason: 'the yearly report' }),
  );
  await user.click(await screen.findByRole('button', { name: 'Undo' }));
  await waitFor(() => expect(server.of('takeWasteUp')[0]!.body).toEqual({ which }));
});

test('a viewer chooses nothing; nothing measured yet, and nothing set aside, say so', async () => {
  new FakeServer({ listWaste: () => told() });
  const first = show(<Waste />, { at: '/namespaces/waste', person: { ...maren, role: 'viewer' } });
  await screen.findByRole('table', { name: 'Waste' });
  expect(screen.queryByRole('checkbox')).toBeNull();
  first.unmount();
  new FakeServer({ listWaste: () => told({ rows: [], reckonedAt: null, sums: [] }) });
  const second = show(<Waste />, { at: '/namespaces/waste' });
  expect(await screen.findByText('It takes two weeks of history to know.')).toBeTruthy();
  second.unmount();
  show(<Waste />, { at: '/namespaces/waste?aside=yes' });
  expect(await screen.findByText('Nothing is set aside')).toBeTruthy();
});

test('claims that no pod mounts are deleted together, after the plan of it; what is mounted is not', async () => {
  const two = [
    row(),
    row({ subject: 'uid-3', name: 'tiles' }),
    row({ kind: 'oversized', subject: 'uid-4', name: 'grid' }),
  ];
  const server = new FakeServer({
    listWaste: () => told({ rows: two }),
    planRound: () => new Refused(409, 'Not in this test'),
  });
  const { user } = show(<Waste />, { at: '/namespaces/waste' });
  await user.click(await screen.findByRole('checkbox', { name: 'All' }));
  const act = () => screen.getByRole<HTMLButtonElement>('button', { name: 'Delete them' });
  expect(act().disabled).toBe(true);
  await user.click(screen.getByRole('checkbox', { name: /^grid/ }));
  await user.click(act());
  await waitFor(() =>
    expect(server.of('planRound')[0]!.body).toEqual({
      claims: [
        { namespace: 'wave-model', name: 'runs' },
        { namespace: 'wave-model', name: 'tiles' },
      ],
      change: { kind: 'delete' },
    }),
  );
  await user.click(screen.getByRole('button', { name: 'Back to what could be had back' }));
  expect(await screen.findByRole('table', { name: 'Waste' })).toBeTruthy();
});
