import type { ShareUseRow } from '@moorage/contract/shares';
import userEvent from '@testing-library/user-event';
import { FakeServer, maren, screen, show } from '../testing/render';
import { aClaimRow } from '../testing/rows';
import { Share } from './Share';
import { doesWord, mountedSentence, mountText, usedSentence } from './share-words';

type User = ShareUseRow['users'][number];
const user = (pod: string, part: Partial<User> = {}): User => ({
  ...{ pod, owner: null, node: 'quay-01', phase: 'Running', readOnly: false },
  ...{ addresses: ['10.40.8.1'], letIn: 'yes' },
  ...part,
});
const aUse = (part: Partial<ShareUseRow> = {}): ShareUseRow => ({
  ...{ backend: 'gneiss', ranges: ['10.40.8.0/26'], writing: 0, reading: 0, shutOut: [], users: [], more: false },
  ...{ mounted: null, rootAsked: null },
  ...part,
});
const shared = aClaimRow('chart-tiles', { state: 'bound', modes: ['ReadWriteMany'] });
const out = [{ node: 'quay-12', addresses: ['10.40.10.33', 'fd00::12'] }];

const mounted = {
  server: 'files.gneiss.example',
  addresses: ['10.40.11.20'],
  path: '/exports/pvc-1',
  root: 'mapped' as const,
};

test.each([
  [{ mounted }, 'Mounted by name (10.40.11.20 now). Root on a node writes as nobody there.'],
  [
    { mounted: { ...mounted, root: 'kept' as const }, rootAsked: 'mapped' as const },
    'Mounted by name (10.40.11.20 now). Root on a node writes as root there, though its class asks for as nobody.',
  ],
  [{ mounted: { ...mounted, server: null, root: null } }, 'Mounted by address, since its backend tells no name.'],
  [{ mounted: null }, undefined],
])('%o: %s', (part, sentence) => expect(mountedSentence(aUse(part))).toBe(sentence));

test('what a node mounts can be copied', async () => {
  new FakeServer({ getShare: () => aUse({ mounted }) });
  show(<Share claim={shared} />);
  await screen.findByText('files.gneiss.example:/exports/pvc-1');
  expect(mountText({ ...mounted, server: null })).toBe('10.40.11.20:/exports/pvc-1');
});

test('who is shut out is let in where that is seen, by those who may', async () => {
  const server = new FakeServer({ getShare: () => aUse({ shutOut: out }), allowClient: () => null });
  show(<Share claim={shared} />, { person: maren });
  await screen.findByText(/quay-12 is shut out: 10.40.10.33, fd00::12 lie in none of the ranges of gneiss/);
  // a range of the fourth version alone can be added
  await userEvent.click(screen.getByRole('button', { name: 'Export to 10.40.10.33/32 as well' }));
  await screen.findByText('gneiss exports to quay-12 (10.40.10.33/32) as well.');
  expect(server.of('allowClient').map((c) => c.params)).toEqual([{ id: 'gneiss', address: '10.40.10.33' }]);
});

test('a viewer reads it and changes nothing', async () => {
  new FakeServer({ getShare: () => aUse({ shutOut: out }) });
  show(<Share claim={shared} />, { person: { ...maren, role: 'viewer' } });
  await screen.findByText(/quay-12 is shut out/);
  expect(screen.queryByRole('button')).toBeNull();
});

test('of many pods the first are shown, and how many more there are', async () => {
  const users = Array.from({ length: 30 }, (_, i) => user(`reader-${i}`, { readOnly: true }));
  new FakeServer({ getShare: () => aUse({ users, reading: 30, more: true }) });
  show(<Share claim={shared} />, { person: maren });
  await screen.findByText(/And 6 and more others/);
});

test('a claim of one writer is not asked about', () => {
  const server = new FakeServer({});
  show(<Share claim={aClaimRow('log', { state: 'bound' })} />, { person: maren });
  expect(server.unanswered).toEqual([]);
});

test.each<[Partial<ShareUseRow>, string]>([
  [{}, 'No pod names it.'],
  [{ users: [user('a', { phase: 'Pending' })] }, '1 pod names it, and none uses it now.'],
  [
    { users: [user('a'), user('b', { node: 'quay-02' })], writing: 1, reading: 1 },
    '1 pod writes and 1 pod reads now, on 2 nodes.',
  ],
  [{ users: [user('a'), user('b', { letIn: 'no', node: 'quay-12' })], writing: 1 }, '1 pod writes now, on 1 node.'],
])('who uses it is one sentence: %j', (part, words) => {
  expect(usedSentence(aUse(part))).toBe(words);
});

test.each<[Partial<User>, string]>([
  [{}, 'reads and writes'],
  [{ readOnly: true }, 'reads'],
  [{ letIn: 'no' }, 'shut out'],
  [{ node: null, letIn: 'unknown', phase: 'Pending' }, 'waits for a node'],
  [{ phase: 'Pending' }, 'starts'],
])('what a pod does: %j', (part, word) => {
  expect(doesWord(user('a', part))).toBe(word);
});
