import type { KeptFilter } from '@moorage/contract/filters';
import { waitFor } from '@testing-library/react';
import { FakeServer, Refused, screen, show } from '../testing/render';
import { filterIn, sameFilter } from './kept-filters';
import { KeptFilters } from './KeptFilters';

/** A server that keeps filters. */
function keeping(...kept: KeptFilter[]) {
  let filters = kept;
  const others = (name: string) => filters.filter((f) => f.name !== name);
  return new FakeServer({
    listFilters: () => filters,
    keepFilter: ({ params, body }) =>
      (filters = [...others(params.name!), { name: params.name!, filter: body as KeptFilter['filter'] }]),
    dropFilter: ({ params }) => (filters = others(params.name!)),
  });
}

test('the filter of an address is kept under a name', async () => {
  const server = keeping();
  const { user } = show(<KeptFilters />, { at: '/claims?q=ledger&state=unbound&line=a/b' });
  await user.click(await screen.findByRole('button', { name: 'Keep this filter' }));
  await user.type(screen.getByLabelText('Keep it as'), 'stuck ledgers{Enter}');
  await screen.findByText('Kept as "stuck ledgers".');
  expect(server.of('keepFilter')[0]).toMatchObject({
    params: { name: 'stuck ledgers' },
    body: { q: 'ledger', state: 'unbound' },
  });
});

test('a kept filter is taken up, and dropped with a way back', async () => {
  const filter = { q: 'ledger', state: 'unbound' };
  const server = keeping({ name: 'stuck', filter });
  const { user } = show(<KeptFilters />, { at: '/claims?line=a/b' });
  await user.click(await screen.findByRole('combobox', { name: 'Kept filters' }));
  await user.click(await screen.findByRole('option', { name: 'stuck' }));
  expect(filterIn(new URLSearchParams(window.location.search))).toEqual(filter);
  await user.click(await screen.findByRole('combobox', { name: 'Kept filters' }));
  await user.click(await screen.findByRole('option', { name: 'none' }));
  expect(window.location.search).toBe('?line=a%2Fb');
  await user.click(await screen.findByRole('combobox', { name: 'Kept filters' }));
  await user.click(await screen.findByRole('option', { name: 'stuck' }));
  await user.click(screen.getByRole('button', { name: 'Drop it' }));
  await screen.findByText('"stuck" is dropped.');
  await waitFor(() => expect(screen.queryByRole('combobox', { name: 'Kept filters' })).toBeNull());
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await screen.findByRole('combobox', { name: 'Kept filters' });
  expect(server.of('keepFilter')[0]).toMatchObject({ params: { name: 'stuck' }, body: filter });
});

test('without a filter there is nothing to keep, and a name is needed', async () => {
  keeping();
  const { unmount } = show(<KeptFilters />, { at: '/claims' });
  expect(screen.queryByRole('button')).toBeNull();
  unmount();
  const { user } = show(<KeptFilters />, { at: '/claims?class=ledger' });
  await user.click(await screen.findByRole('button', { name: 'Keep this filter' }));
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Keep' }).disabled).toBe(true);
  expect(sameFilter({}, {})).toBe(true);
  expect(sameFilter({ q: 'a' }, {})).toBe(false);
});

test('a filter that is not kept is told with its reason', async () => {
  new FakeServer({ listFilters: () => [], keepFilter: () => new Refused(409, '100 filters are kept already.') });
  const { user } = show(<KeptFilters />, { at: '/claims?class=ledger' });
  await user.click(await screen.findByRole('button', { name: 'Keep this filter' }));
  await user.type(screen.getByLabelText('Keep it as'), 'mine{Enter}');
  await screen.findByText(/100 filters are kept already/);
});
