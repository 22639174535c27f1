import type { LineLink } from '@moorage/contract/claims';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, Refused, screen, show } from '../testing/render';
import { aClaimPage, aClaimRow } from '../testing/rows';
import { FindBox } from './FindBox';
import { Line } from './Line';

const link = (kind: LineLink['kind'], name: string, part: Partial<LineLink> = {}): LineLink => ({
  ...{ kind, name, platformId: null, backendId: null, mark: 'settled', note: null },
  ...part,
});
const links = [
  link('namespace', 'tide-gauges'),
  link('claim', 'level-log', { platformId: 'uid-level-log' }),
  link('volume', 'pvc-0f6a3a54-2f0b-4f7c-9a50-6a1f0c9b8e11', { backendId: 'v-17' }),
  link('class', 'ledger'),
  link('pool', 'kelp-nvme'),
  link('backend', 'kelp'),
  link('copy', 'quay-03', { note: 'in sync' }),
  link('copy', 'quay-05', { mark: 'degraded', note: 'made whole: 40 %' }),
];

describe('the Line', () => {
  const drawn = (getLine: () => unknown, at = '/claims?line=tide-gauges%2Flevel-log') => {
    const server = new FakeServer({ getLine });
    return { server, ...show(<Line />, { at }) };
  };

  test('shows the chain with long names cut, and copies as one link that says the worst of them', async () => {
    drawn(() => ({ claim: 'tide-gauges/level-log', links }));
    const bar = within(await screen.findByRole('region', { name: 'Line' }));
    await bar.findByText('level-log');
    expect(bar.getByText('pvc-0f6a3a54…0c9b8e11')).toBeTruthy();
    expect(bar.getByText('2 copies')).toBeTruthy();
    expect(bar.queryByText('quay-03')).toBeNull();
  });

  test('opened, it names each link in both worlds, to be copied', async () => {
    const { user } = drawn(() => ({ claim: 'tide-gauges/level-log', links }));
    const opener = await screen.findByRole('button', { name: /Line/, expanded: false });
    await waitFor(() => expect((opener as HTMLButtonElement).disabled).toBe(false));
    await user.click(opener);
    const table = within(screen.getByRole('table', { name: 'Names in both worlds' }));
    expect(table.getAllByRole('row')).toHaveLength(1 + links.length);
    expect(table.getByText('uid-level-log')).toBeTruthy();
    expect(table.getByText('v-17')).toBeTruthy();
    expect(table.getByText('made whole: 40 %')).toBeTruthy();
  });

  test('leads to the place of a link and keeps the Line there; closing takes it out of the address', async () => {
    const { user } = drawn(() => ({ claim: 'tide-gauges/level-log', links }));
    await user.click(await screen.findByRole('button', { name: /^class/ }));
    expect(window.location.pathname + window.location.search).toBe('/classes/ledger?line=tide-gauges%2Flevel-log');
    await user.click(screen.getByRole('button', { name: 'Close the Line' }));
    expect(window.location.search).toBe('');
    expect(screen.queryByRole('region', { name: 'Line' })).toBeNull();
  });

  test('of a claim that is gone says so, and can be closed', async () => {
    drawn(() => new Refused(404, 'There is no such claim.'));
    expect(await screen.findByText('The claim tide-gauges/level-log is gone.')).toBeTruthy();
    expect(screen.getByRole('button', { name: 'Close the Line' })).toBeTruthy();
  });

  test('is not there, and asks nothing, while nothing is selected', () => {
    const { server } = drawn(() => ({ claim: '', links: [] }), '/claims');
    expect(screen.queryByRole('region', { name: 'Line' })).toBeNull();
    expect(server.calls).toEqual([]);
  });
});

describe('the find box', () => {
  const drawn = (claims = [aClaimRow('level-log')]) => {
    const server = new FakeServer({ listClaims: () => aClaimPage(claims), listBackends: () => [] });
    return { server, ...show(<FindBox />, { at: '/watch' }) };
  };
  const box = () => screen.getByLabelText<HTMLInputElement>('Find or command');

  test('finds a claim by what is typed and fills the Line with it', async () => {
    const { user, server } = drawn();
    await user.type(box(), 'level');
    await user.click(await screen.findByText('tide-gauges/level-log'));
    expect(window.location.search).toBe('?line=tide-gauges%2Flevel-log');
    expect(box().value).toBe('');
    expect(server.of('listClaims').at(-1)!.query).toMatchObject({ q: 'level', limit: '8' });
  });

  test('carries a command out by Enter', async () => {
    const { user } = drawn([]);
    await user.type(box(), 'go to names');
    await screen.findByText('Go to Namespaces');
    await user.keyboard('{Enter}');
    expect(window.location.pathname).toBe('/namespaces');
  });

  test('is reached by a stroke from anywhere but a field', async () => {
    const { user } = drawn([]);
    await user.keyboard('/');
    expect(document.activeElement).toBe(box());
    await user.keyboard('/');
    expect(box().value).toBe('/');
  });

  test('one letter asks the server nothing; what nothing has is said', async () => {
    const { user, server } = drawn([]);
    await user.type(box(), 'q');
    expect(server.of('listClaims')).toEqual([]);
    await user.type(box(), 'qqq');
    expect(await screen.findByText('Nothing has this in its name or identifiers.')).toBeTruthy();
  });
});
