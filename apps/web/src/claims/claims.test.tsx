import { waitFor } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aClaimPage, aClaimRow, aUsage } from '../testing/rows';
import Claims from './Claims';

const nothingFits = aClaimRow('tile-share', {
  ...{ state: 'nothing-fits', pool: null, provisioned: null, consumed: null, volumeName: null, volumeId: null },
  reason: {
    failed: [],
    ...{ pod: null, podWhy: null, error: null, nextAttemptAt: null, operation: 'o', stopped: null },
    ...{ attempts: 0, asks: null, nearest: null, missingSince: null },
  },
});
const drawn = async (
  listClaims: NonNullable<ConstructorParameters<typeof FakeServer>[0]['listClaims']>,
  at = '/claims',
  person = maren,
) => {
  const server = new FakeServer({
    listClaims,
    listClasses: () => [],
    listNamespaces: () => [aUsage('tide-gauges', []), aUsage('ferry-desk', [])],
    placementState: () => new Refused(503, 'Not in this test.'),
  });
  const shown = show(<Claims />, { at, person });
  await waitFor(() => expect(server.of('listClaims').length).toBeGreaterThan(0));
  return { server, asked: () => server.of('listClaims').at(-1)!.query, ...shown };
};

test('a row says what the claim is, how it stands, and where or why not', async () => {
  await drawn(() => aClaimPage([aClaimRow('level-log'), nothingFits], { counts: { bound: 1, unbound: 1, stuck: 1 } }));
  expect(await screen.findByText('level-log')).toBeTruthy();
  expect(screen.getByText('on kelp-nvme')).toBeTruthy();
  expect(screen.getByText('nothing fits')).toBeTruthy();
  expect(screen.getByText(/2 of 2 shown/)).toBeTruthy();
  expect(screen.getByRole('button', { name: 'without volume 1' })).toBeTruthy();
});

test('what is typed is asked for once typing pauses, and stands in the address', async () => {
  const { user, server, asked } = await drawn(() => aClaimPage([aClaimRow('level-log')]));
  const before = server.of('listClaims').length;
  await user.type(screen.getByLabelText('Filter'), 'level');
  await waitFor(() => expect(asked().q).toBe('level'));
  expect(window.location.search).toBe('?q=level');
  // not once for each letter
  expect(server.of('listClaims').length - before).toBeLessThan(5);
});

test('filters narrow together, and "any" takes one away', async () => {
  const { user, asked } = await drawn(() => aClaimPage([]), '/claims?state=unbound&class=ledger');
  expect(asked()).toMatchObject({ state: 'unbound', className: 'ledger' });
  expect(await screen.findByText('No claim matches')).toBeTruthy();
  await user.click(screen.getByRole('combobox', { name: 'Namespace' }));
  await user.click(await screen.findByRole('option', { name: 'ferry-desk' }));
  await waitFor(() => expect(asked()).toMatchObject({ namespace: 'ferry-desk', state: 'unbound' }));
  await user.click(screen.getByRole('combobox', { name: 'Namespace' }));
  await user.click(await screen.findByRole('option', { name: 'any' }));
  await waitFor(() => expect(window.location.search).toBe('?state=unbound&class=ledger'));
});

test('pages are walked by what the server gave, and a new filter begins again', async () => {
  const page = (cursor: string | undefined) =>
    cursor === undefined
      ? aClaimPage([aClaimRow('first')], { total: 2, next: 'after-first' })
      : aClaimPage([aClaimRow('second')], { total: 2 });
  const { user, asked } = await drawn(({ query }) => page(query.cursor));
  await user.click(await screen.findByRole('button', { name: 'Next page' }));
  expect(await screen.findByText('second')).toBeTruthy();
  expect(asked().cursor).toBe('after-first');
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Next page' }).disabled).toBe(true);
  await user.click(screen.getByRole('button', { name: 'Earlier page' }));
  expect(await screen.findByText('first')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Next page' }));
  await screen.findByText('second');
  await user.click(screen.getByRole('button', { name: /^bound/ }));
  await waitFor(() => expect(asked()).toMatchObject({ state: 'bound' }));
  expect(asked().cursor).toBeUndefined();
});

test('a click fills the Line, Enter opens', async () => {
  const { user } = await drawn(() => aClaimPage([aClaimRow('level-log')]));
  await user.click(await screen.findByText('level-log'));
  expect(window.location.search).toBe('?line=tide-gauges%2Flevel-log');
  await user.keyboard('{Enter}');
  await waitFor(() => expect(window.location.pathname).toBe('/claims/tide-gauges/level-log'));
});

test('no claim at all says how they come, and a viewer cannot make one', async () => {
  await drawn(() => aClaimPage([]), '/claims', { ...maren, role: 'viewer' });
  expect(await screen.findByText('There is no claim yet')).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'New claim' })).toBeNull();
});
