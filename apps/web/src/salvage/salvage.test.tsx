import type { SalvagePage, SalvageRow } from '@moorage/contract/salvage';
import { waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { FakeServer, maren, screen, show } from '../testing/render';
import { aClaimPage, aClaimRow, aReason, aUsage } from '../testing/rows';
import Salvage from './Salvage';
import { countdown, setOf, takers, totalsSentence } from './words';

const GiB = 2 ** 30;
const aRow = (name: string | null, part: Partial<SalvageRow> = {}): SalvageRow => ({
  ...{
    id: `id-${name}`,
    origin: 'kept',
    namespace: 'tide-gauges',
    name,
    className: 'ledger',
    set: null,
    ordinal: null,
  },
  ...{ backend: 'kelp', pool: 'kelp-nvme', volumeName: `pvc-${name}`, volumeId: `v-${name}`, bytes: 80 * GiB },
  ...{ consumed: 3 * GiB, modes: ['ReadWriteOnce'], volumeMode: 'Filesystem', since: '2026-11-20T10:00:00Z' },
  ...{ destroyedAt: null, copies: 'whole', fingerprint: 'abc123', nameTaken: false, operation: null },
  ...part,
});
const aPage = (rows: SalvageRow[], part: Partial<SalvagePage> = {}): SalvagePage => ({
  ...{ rows, next: null, total: rows.length, bytes: rows.reduce((sum, r) => sum + r.bytes, 0) },
  ...part,
});
const drawn = (rows: SalvageRow[], at = '/claims/salvage', person = maren) => {
  const server = new FakeServer({
    listSalvage: () => aPage(rows),
    listClaims: () => aClaimPage([]),
    listClasses: () => [],
    listNamespaces: () => [aUsage('tide-gauges', []), aUsage('ferry-desk', [])],
    giveBack: () => ({ begun: [{ id: 'x', operation: 'o' }], refused: [] }),
    lengthenGrace: () => undefined,
    destroyVolume: () => undefined,
  });
  show(<Salvage />, { at, person });
  return server;
};
const set = [2, 0, 1].map((i) => aRow(`data-store-${i}`, { set: 'data-store', ordinal: i }));

test('one volume goes back to its old name in two steps, without an identifier typed', async () => {
  const server = drawn([aRow('level-log')]);
  await userEvent.click(await screen.findByText('tide-gauges/level-log'));
  await userEvent.click(await screen.findByRole('button', { name: 'Give it back' }));
  await waitFor(() =>
    expect(server.of('giveBack').map((c) => c.body)).toEqual([
      { volumes: [{ id: 'id-level-log', namespace: 'tide-gauges', name: 'level-log' }] },
    ]),
  );
  expect(await screen.findByText(/The volume goes to tide-gauges\/level-log/)).toBeTruthy();
});

test('a whole set goes back in the order of its ordinals', async () => {
  const server = drawn(set, '/claims/salvage?volume=id-data-store-1');
  await userEvent.click(
    await screen.findByRole('button', { name: 'Give back all 3 of data-store, to their old names' }),
  );
  await waitFor(() => expect(server.of('giveBack')).toHaveLength(1));
  const { volumes } = server.of('giveBack')[0]!.body as { volumes: { name: string }[] };
  expect(volumes.map((v) => v.name)).toEqual(['data-store-0', 'data-store-1', 'data-store-2']);
});

test('those that are picked go back together, and one whose name is taken is left out', async () => {
  const server = drawn([aRow('a'), aRow('b', { nameTaken: true })]);
  await userEvent.click(await screen.findByRole('checkbox', { name: 'Select all rows' }));
  await userEvent.click(screen.getByRole('button', { name: 'Give 1 back to its old name' }));
  await waitFor(() => expect(server.of('giveBack').map((c) => c.body)).toMatchObject([{ volumes: [{ name: 'a' }] }]));
});

test('what nobody here made needs a namespace, a name and a class, and is never destroyed', async () => {
  drawn(
    [aRow(null, { id: 'basalt/9', origin: 'foreign', namespace: null, className: null, volumeName: 'Old Export' })],
    '/claims/salvage?volume=basalt%2F9',
  );
  const panel = await screen.findByRole('region', { name: 'Volume Old Export' });
  expect(within(panel).getByRole('button', { name: 'Give it to this claim' })).toHaveProperty('disabled', true);
  expect(within(panel).getByRole('combobox', { name: 'Class' })).toBeTruthy();
  expect(within(panel).queryByRole('button', { name: 'Destroy it now' })).toBeNull();
});

test('destroying wants the name typed; the grace can be made longer', async () => {
  const destroyedAt = '2026-12-03T10:00:00Z';
  const server = drawn([aRow('level-log', { origin: 'grace', destroyedAt })], '/claims/salvage?volume=id-level-log');
  await userEvent.click(await screen.findByRole('button', { name: 'Keep it 7 days longer' }));
  await waitFor(() => expect(server.of('lengthenGrace').map((c) => c.body)).toEqual([{ id: 'id-level-log', days: 7 }]));
  await userEvent.click(screen.getByRole('button', { name: 'Destroy it now' }));
  expect(screen.getByRole('button', { name: 'Destroy it' })).toHaveProperty('disabled', true);
  await userEvent.type(screen.getByLabelText('Type level-log to destroy it'), 'level-log');
  await userEvent.click(screen.getByRole('button', { name: 'Destroy it' }));
  await waitFor(() =>
    expect(server.of('destroyVolume').map((c) => c.body)).toEqual([{ id: 'id-level-log', confirm: 'level-log' }]),
  );
});

test('a viewer sees everything and is offered nothing', async () => {
  drawn([aRow('level-log')], '/claims/salvage?volume=id-level-log', { ...maren, role: 'viewer' });
  await screen.findByRole('region', { name: 'Volume tide-gauges/level-log' });
  expect(screen.queryByRole('button', { name: 'Give it back' })).toBeNull();
  expect(screen.queryAllByRole('checkbox')).toEqual([]);
});

test('nothing adrift is said as good news, and nothing found as what it is', async () => {
  drawn([]);
  expect(await screen.findByText('Every volume is held by a claim.')).toBeTruthy();
  expect(screen.getByText('Nothing is adrift')).toBeTruthy();
});

test('only claims of its own namespace that wait, and that it satisfies, are offered it', () => {
  const waiting = (name: string, part: object = {}) =>
    aClaimRow(name, { state: 'nothing-fits', volumeName: null, reason: aReason(), requested: 60 * GiB, ...part });
  const all = [
    waiting('fits'),
    waiting('larger', { requested: 90 * GiB }),
    waiting('other-class', { className: 'general' }),
    waiting('theirs', { namespace: 'ferry-desk' }),
    waiting('bound', { state: 'bound' }),
    waiting('many', { modes: ['ReadWriteMany'] }),
    waiting('labels', { state: 'held-back', reason: aReason({ asks: 'selector' }) }),
  ];
  expect(takers(aRow('level-log'), all).map((c) => c.name)).toEqual(['fits', 'labels']);
});

test.each<[string, string, boolean]>([
  ['2026-11-26T10:40:00Z', 'in 40 min', true],
  ['2026-11-27T05:00:00Z', 'in 19 h', true],
  ['2026-11-28T04:00:00Z', 'in 42 h', false],
  ['2026-12-06T10:00:00Z', 'in 10 days', false],
  ['2026-11-26T09:00:00Z', 'now', true],
])('what is destroyed at %s is counted down', (at, words, urgent) => {
  expect(countdown(at, Date.parse('2026-11-26T10:00:00Z'))).toEqual({ words, urgent });
});

test('the whole is said in one sentence, with what is destroyed soon; a set is known in its order', () => {
  const now = Date.parse('2026-11-26T10:00:00Z');
  const page = aPage([aRow('a', { destroyedAt: '2026-11-28T10:00:00Z' }), aRow('b')]);
  expect(totalsSentence(page, now)).toBe(
    '2 volumes, 160 GiB promised, held by no claim. 1 of these is destroyed within 7 days.',
  );
  expect(setOf(set[0]!, [...set, aRow('x')]).map((r) => r.ordinal)).toEqual([0, 1, 2]);
  expect(setOf(aRow('x'), set)).toEqual([]);
});
