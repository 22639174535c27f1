import type { LineLink } from '@moorage/contract/claims';
import { foundKinds, type Found } from '@moorage/contract/lookup';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, Refused, screen, show } from '../testing/render';
import { FindBox } from './FindBox';
import { detailOf, placeOf } from './found-words';
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
  const drawn = (found: Found[] = [{ kind: 'claim', name: 'level-log', of: 'tide-gauges', by: null }]) => {
    const server = new FakeServer({ lookUp: () => found });
    return { server, ...show(<FindBox />, { at: '/watch' }) };
  };
  const box = () => screen.getByLabelText<HTMLInputElement>('Find or command');

  test('finds a claim by what is typed and fills the Line with it', async () => {
    const { user, server } = drawn();
    await user.type(box(), 'level');
    await user.click(await screen.findByText('tide-gauges/level-log'));
    expect(window.location.search).toBe('?line=tide-gauges%2Flevel-log');
    expect(box().value).toBe('');
    // not once for each letter
    expect(server.of('lookUp').map((c) => c.query)).toEqual([{ q: 'level' }]);
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
    expect(server.of('lookUp')).toEqual([]);
    await user.type(box(), 'qqq');
    expect(await screen.findByText('Nothing has this in its name or identifiers.')).toBeTruthy();
  });

  test('what is no claim leads to its place: a disk to the claims on it', async () => {
    const disk: Found = { kind: 'disk', name: 'eui.0025', of: 'kelp', by: 'quay-03' };
    const { user } = drawn([disk]);
    await user.type(box(), '/dev/disk/by-id/nvme-eui.0025');
    await user.click(await screen.findByText('disk of kelp, in quay-03: the claims on it'));
    expect(window.location.pathname + window.location.search).toBe('/claims?q=eui.0025');
  });

  test.each(foundKinds)('a %s has a place and a word', (kind) => {
    const found: Found = { kind, name: 'a', of: 'b', by: 'c' };
    expect(placeOf(found)).toMatch(/^\/[a-z]/);
    expect(detailOf(found)).toMatch(/[a-z]{3}/);
  });
});
