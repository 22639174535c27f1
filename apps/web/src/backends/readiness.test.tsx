import type { Readiness as Data } from '@moorage/contract/readiness';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, maren, screen, show } from '../testing/render';
import Readiness from './Readiness';

type Cell = Data['cells'][number];
const ready = (node: string, backend: string): Cell => ({
  ...{ node, backend, state: 'ready' },
  checks: [{ check: 'node', state: 'passed', need: 'ready', have: 'ready' }],
});
const barred: Cell = {
  ...{ node: 'quay-02', backend: 'gneiss', state: 'unready' },
  checks: [
    { check: 'node', state: 'passed', need: 'ready', have: 'ready' },
    { check: 'export', state: 'failed', need: 'in a range', have: 'none', of: '10.40.9.70, fd00::7' },
  ],
};
const unlabelled: Cell = {
  ...{ node: 'quay-01', backend: 'gneiss', state: 'weak' },
  checks: [{ check: 'label', state: 'weak', need: 'zone', have: 'none', of: 'topology.kubernetes.io/zone' }],
};
const data = (cells: Cell[]): Data => ({
  nodes: ['quay-01', 'quay-02'].map((name, i) => ({ name, zone: 'north', addresses: [`10.40.9.${69 + i}`] })),
  backends: ['gneiss', 'kelp'].map((id) => ({ id, reachable: true, ranges: null })),
  cells,
});
const cells = [unlabelled, ready('quay-01', 'kelp'), barred, ready('quay-02', 'kelp')];

const drawn = async (more: ConstructorParameters<typeof FakeServer>[0] = {}, person = maren) => {
  const server = new FakeServer({ readiness: () => data(cells), ...more });
  const shown = show(<Readiness />, { at: '/backends/readiness', person });
  await screen.findByRole('grid');
  return { server, why: () => within(screen.getByRole('region')), ...shown };
};

test('it begins at the worst cell, and says which check fails', async () => {
  const { why } = await drawn();
  expect(why().getByRole('heading').textContent).toBe('quay-02 to gneiss');
  expect(why().getByText('10.40.9.70, fd00::7 is in no range')).toBeTruthy();
  expect(screen.getByRole('gridcell', { selected: true }).textContent).toBe('not exported to');
});

test('the arrow keys go to a neighbour, whose command can be copied; the address keeps it', async () => {
  const { user, why } = await drawn();
  screen.getByRole('gridcell', { selected: true }).focus();
  await user.keyboard('{ArrowUp}');
  expect(why().getByRole('heading').textContent).toBe('quay-01 to gneiss');
  expect(document.activeElement?.textContent).toBe('no label');
  expect(why().getByText('kubectl label node quay-01 topology.kubernetes.io/zone=ZONE')).toBeTruthy();
  expect(window.location.search).toBe('?at=quay-01%2Fgneiss');
});

test('a node is let in by its address, alone, and taken out again; the cell stays in sight', async () => {
  const { user, server, why } = await drawn({ allowClient: () => undefined, disallowClient: () => undefined });
  expect(why().getAllByRole('button', { name: /as well/ })).toHaveLength(1);
  await user.click(why().getByRole('button', { name: 'Export to 10.40.9.70/32 as well' }));
  expect(await screen.findByText('gneiss exports to quay-02 (10.40.9.70/32) as well.')).toBeTruthy();
  expect(server.of('allowClient')[0]!.params).toEqual({ id: 'gneiss', address: '10.40.9.70' });
  expect(window.location.search).toBe('?at=quay-02%2Fgneiss');
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() => expect(server.of('disallowClient')).toHaveLength(1));
});

test('a viewer reads what to do and cannot do it', async () => {
  const { why } = await drawn({}, { ...maren, role: 'viewer' });
  expect(why().queryByRole('button', { name: /as well/ })).toBeNull();
  expect(why().getByText(/Let gneiss export to 10\.40\.9\.70\/32/)).toBeTruthy();
});

test('without nodes or backends there is nothing to compare', async () => {
  new FakeServer({ readiness: () => ({ nodes: [], backends: [], cells: [] }) });
  show(<Readiness />);
  expect(await screen.findByText('Nothing to compare yet')).toBeTruthy();
});
