import type { Past, PastClaims as Claims } from '@moorage/contract/past';
import { within } from '@testing-library/react';
import { LookBack, PastBar, Then } from '../frame/Moment';
import { FakeServer, screen, show } from '../testing/render';
import { aUseGrid } from '../testing/rows';
import PastBackends from './PastBackends';
import PastClaims from './PastClaims';
import PastMoorings from './PastMoorings';

const GiB = 2 ** 30;
const at = '2026-11-20T14:00:00.000Z';
const pool = (id: string, part: Partial<Past['pools'][number]> = {}): Past['pools'][number] => ({
  ...{
    id,
    backend: 'kelp',
    tier: 'fast',
    capacity: 100 * GiB,
    iops: 1000,
    overcommit: 1.5,
    softMark: 0.8,
    hardMark: 0.9,
  },
  ...{ allotment: null, isGuess: false, written: 40 * GiB, operations: 200, latency: 0.5, claims: 3 },
  ...{ provisioned: 30 * GiB, footprint: 60 * GiB, reserved: 250 },
  ...part,
});
const past: Past = {
  ...{ at, since: '2026-10-01T00:00:00.000Z', mooringsSince: '2026-11-01T00:00:00.000Z' },
  pools: [
    pool('kelp-nvme'),
    pool('basalt-broad', { backend: 'basalt', written: null, isGuess: true, operations: null, latency: null }),
  ],
  moorings: [
    { className: 'ledger', pool: 'kelp-nvme', enabled: true, order: 1, weight: 1 },
    { className: 'ledger', pool: 'basalt-broad', enabled: false, order: 2, weight: 1 },
  ],
  held: [
    { className: 'ledger', pool: 'kelp-nvme', claims: 3, bytes: 30 * GiB, raw: 60 * GiB },
    { className: 'deep', pool: 'basalt-broad', claims: 1, bytes: 10 * GiB, raw: 10 * GiB },
  ],
};

test('a moment leads to what was, in the places that have a past; others say that they show now, and the way back is there', async () => {
  new FakeServer({});
  const both = (
    <>
      <PastBar />
      <Then now={<p>as it is</p>} past={<p>as it was</p>} />
    </>
  );
  const { user, unmount } = show(both, { at: `/moorings?at=${at}&view=shores`, path: '*' });
  expect(screen.getByText('as it was')).toBeTruthy();
  expect(screen.getByRole('status').textContent).toMatch(
    /^Past: this is how it was on 20 Nov 2026, .*Nothing can be changed here/,
  );
  await user.click(screen.getByRole('button', { name: 'Back to now' }));
  expect(screen.getByText('as it is')).toBeTruthy();
  expect(window.location.search).toBe('?view=shores');
  unmount();
  show(both, { at: `/watch?at=${at}`, path: '*' });
  expect(screen.getByRole('status').textContent).toMatch(/^Now: this place shows what is now/);
});

test('looking back asks for the moment; left by Escape, nothing was chosen', async () => {
  new FakeServer({});
  const { user } = show(<LookBack />, { at: '/backends', path: '*' });
  await user.click(screen.getByRole('button', { name: 'Look back' }));
  const field = await screen.findByRole('group', { name: 'As it was at' });
  await user.click(within(field).getByRole('spinbutton', { name: 'Day' }));
  await user.keyboard('{Escape}');
  expect(await screen.findByRole('button', { name: 'Look back' })).toBeTruthy();
  expect(window.location.search).toBe('');
});

test('backends are as they were: what was not told is said to be so, and what is only guessed as well', async () => {
  const server = new FakeServer({ getPast: () => past });
  show(<PastBackends />, { at: `/backends?at=${at}`, path: '*' });
  const table = within(await screen.findByRole('table', { name: 'Backends and pools as they were' }));
  expect(server.of('getPast')[0]!.query).toEqual({ at });
  const cells = (name: RegExp) =>
    within(table.getByRole('row', { name }))
      .getAllByRole('cell')
      .map((c) => c.textContent);
  expect(cells(/^kelp-nvme/)).toEqual([
    '',
    '100 GiB',
    '40 GiB40 %',
    '60 GiBceiling 150 GiB',
    '250 IOPSof 1,000 IOPS',
    '200 IOPS0.50 ms',
    '3',
  ]);
  expect(cells(/^basalt-broad/)[2]).toBe('not told');
  expect(table.getByRole('rowheader', { name: /^basalt-broad/ }).textContent).toMatch(
    /as it was when it was noted first/,
  );
});

test('moorings are as they were, with what classes kept there and the way to its claims', async () => {
  new FakeServer({ getPast: () => past });
  const { user, unmount } = show(<PastMoorings />, { at: `/moorings?at=${at}`, path: '*' });
  await screen.findByRole('grid');
  const cell = (key: string) => document.querySelector<HTMLElement>(`[data-cell="${key}"]`)!;
  expect(cell('ledger/kelp-nvme').textContent).toBe('1st30 GiB');
  expect(cell('ledger/basalt-broad').textContent).toBe('off');
  expect(cell('deep/kelp-nvme').textContent).toBe('–');
  await user.click(cell('ledger/kelp-nvme'));
  expect(screen.getByText(/Moored, 1st in the order/)).toBeTruthy();
  expect(screen.getByRole('link', { name: '3 claims' }).getAttribute('href')).toBe(
    `/claims?class=ledger&pool=kelp-nvme&at=${encodeURIComponent(at)}`,
  );
  await user.click(cell('deep/basalt-broad'));
  expect(screen.getByText(/Not moored/)).toBeTruthy();
  unmount();
  new FakeServer({ getPast: () => ({ ...past, at: '2026-10-15T00:00:00.000Z', moorings: [] }) });
  show(<PastMoorings />, { at: `/moorings?at=2026-10-15T00:00:00.000Z&class=deep&pool=basalt-broad`, path: '*' });
  expect(await screen.findByText(/whether it was moored is not known/)).toBeTruthy();
});

test('claims are as they were, one namespace at a time; those that are gone lead nowhere', async () => {
  const claim = (name: string, part: Partial<Claims['claims'][number]> = {}) => ({
    ...{ uid: name, name, className: 'ledger', pool: 'kelp-nvme', application: '', isBound: true, reserved: 0 },
    ...{ requested: GiB, provisioned: 2 * GiB, footprint: 4 * GiB, isThere: true },
    ...part,
  });
  const answer: Claims = {
    ...{ at, next: 'more', total: { claims: 130, provisioned: 200 * GiB, footprint: 400 * GiB } },
    claims: [claim('bookings'), claim('old-log', { isThere: false, isBound: false, pool: null })],
  };
  const grid = aUseGrid([['ferry-desk', 'ledger', { claims: 1 }]]);
  const server = new FakeServer({ getUse: () => grid, listPastClaims: () => answer });
  const { user } = show(<PastClaims />, { at: `/claims?at=${at}&class=ledger`, path: '*' });
  expect(await screen.findByRole('link', { name: 'bookings' })).toBeTruthy();
  expect(server.of('listPastClaims')[0]!.query).toEqual({ at, namespace: 'ferry-desk', class: 'ledger' });
  expect(screen.queryByRole('link', { name: /old-log/ })).toBeNull();
  expect(screen.getByText('unbound')).toBeTruthy();
  expect(screen.getByText('All 130, on every page')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Next page' }));
  expect(server.of('listPastClaims').at(-1)!.query).toMatchObject({ cursor: 'more' });
});
