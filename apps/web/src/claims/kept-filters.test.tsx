import { FakeServer, screen, show } from '../testing/render';
import { act } from '@testing-library/react';
import { filterIn, sameFilter, useKeptFilters } from './kept-filters';
import { KeptFilters } from './KeptFilters';

beforeEach(() => useKeptFilters.setState({ filters: [] }));

test('the filter of an address is kept under a name, taken up again, and dropped', async () => {
  new FakeServer({});
  const { user } = show(<KeptFilters />, { at: '/claims?q=ledger&state=unbound&line=a/b' });
  await user.click(screen.getByRole('button', { name: 'Keep this filter' }));
  await user.type(screen.getByLabelText('Keep it as'), 'stuck ledgers{Enter}');
  expect(useKeptFilters.getState().filters).toEqual([
    { name: 'stuck ledgers', filter: { q: 'ledger', state: 'unbound' } },
  ]);
  await user.click(screen.getByRole('combobox', { name: 'Kept filters' }));
  await user.click(await screen.findByRole('option', { name: 'none' }));
  expect(window.location.search).toBe('?line=a%2Fb');
  await user.click(screen.getByRole('combobox', { name: 'Kept filters' }));
  await user.click(await screen.findByRole('option', { name: 'stuck ledgers' }));
  expect(filterIn(new URLSearchParams(window.location.search))).toEqual({ q: 'ledger', state: 'unbound' });
  await user.click(screen.getByRole('button', { name: 'Drop it' }));
  expect(useKeptFilters.getState().filters).toEqual([]);
});

test('without a filter there is nothing to keep; a name is needed; one of the same name is taken the place of', async () => {
  new FakeServer({});
  const { user, unmount } = show(<KeptFilters />, { at: '/claims' });
  expect(screen.queryByRole('button')).toBeNull();
  unmount();
  show(<KeptFilters />, { at: '/claims?class=ledger' });
  await user.click(screen.getByRole('button', { name: 'Keep this filter' }));
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Keep' }).disabled).toBe(true);
  const { keep } = useKeptFilters.getState();
  act(() => {
    keep('mine', { class: 'ledger' });
    keep('mine', { class: 'general' });
  });
  expect(useKeptFilters.getState().filters).toEqual([{ name: 'mine', filter: { class: 'general' } }]);
  expect(sameFilter({ q: '' }, {})).toBe(true);
});
