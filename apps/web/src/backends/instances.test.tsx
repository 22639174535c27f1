import type { BackendRow } from '@moorage/contract/backends';
import type { Carving } from '@moorage/contract/instances';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, Refused, screen, show } from '../testing/render';
import { Instances } from './Instances';
import { carvingSentence, freeingSentence, stateOf, type InstanceRow } from './instances-words';

const [GiB, TiB] = [2 ** 30, 2 ** 40];
const row = (id: string, part: Partial<InstanceRow> = {}): InstanceRow => ({
  ...{ id, bytes: TiB, used: 300 * GiB, shares: 2, listed: true, leaving: false, since: '2026-11-20T10:00:00Z' },
  ...part,
});
const moves = [
  { volume: 'pvc-1', claim: 'print-works/proofs', bytes: 200 * GiB, to: 'b' },
  { volume: 'pvc-2', claim: 'print-works/plates', bytes: 100 * GiB, to: 'b' },
];
const carving = (part: Partial<Carving> = {}): Carving => ({
  ...{ pool: 'slate', sizes: { minimum: TiB, step: TiB / 4, maximum: 8 * TiB } },
  ...{ instances: [row('a'), row('b')], shares: 4, used: 600 * GiB, bought: 2 * TiB, atLeast: 1 },
  ...{ anew: { instances: 1, bytes: TiB }, freeing: { instance: 'a', bytes: TiB, moves }, more: false },
  ...part,
});

test('what is bought, what is paid for and promised to nobody, and how few would do is said', () => {
  const sentence = (part: Partial<Carving>, price: number | null = null) =>
    carvingSentence(carving(part), price, 'EUR');
  expect(sentence({}, 0.05)).toBe(
    '4 shares hold 600 GiB of 2 TiB bought in 2 instances (29 %); 1.41 TiB are paid for and promised to nobody, about 72.40 EUR a month. Carved anew they would need 1 instance, 1 TiB in all; no carving needs fewer.',
  );
  expect(sentence({ anew: { instances: 2, bytes: TiB } })).toMatch(
    /2 instances, 1 TiB in all; no carving needs fewer than 1 instance\.$/,
  );
  expect(sentence({ used: 2 * TiB, anew: { instances: 2, bytes: 2 * TiB }, atLeast: 2 })).toBe(
    '4 shares hold 2 TiB of 2 TiB bought in 2 instances (100 %). That is as few as can be found: no carving needs fewer.',
  );
  expect(sentence({ instances: [row('x', { shares: null })], shares: 0 })).toMatch(/^Nothing is bought/);
});

test('what would free an instance is said, or why none can be freed', () => {
  expect(freeingSentence(carving())).toBe('Moving 2 shares of 300 GiB frees a: 1 TiB can be given back.');
  expect(freeingSentence(carving({ freeing: { instance: 'a', bytes: TiB, moves: [] } }))).toBe(
    'Nothing lies in a: 1 TiB can be given back.',
  );
  expect(freeingSentence(carving({ freeing: null }))).toMatch(/^No instance can be freed/);
  expect(freeingSentence(carving({ freeing: null, instances: [row('a')] }))).toBe('');
  expect(freeingSentence(carving({ freeing: null, more: true }))).toMatch(/more shares than are looked at/);
});

test.each([
  [{}, 'in use'],
  [{ shares: 0 }, 'empty'],
  [{ shares: null }, 'of others'],
  [{ leaving: true }, 'being given back'],
  [{ listed: false }, 'not listed yet'],
] as const)('%o is told as %s', (part, word) => expect(stateOf(row('a', part)).word).toBe(word));

const facts = { instances: { ...carving().sizes, sold: [] } };
const backend = {
  id: 'gneiss',
  pools: [
    { id: 'slate', facts },
    { id: 'plain', facts: {} },
  ],
} as unknown as BackendRow;

test('the moves are shown before they are asked for, and asked for as they were shown', async () => {
  const server = new FakeServer({
    getCarving: () => carving(),
    freeInstance: () => carving(),
    listOperations: () => ({}),
  });
  const { user } = show(<Instances backend={backend} />);
  await user.click(await screen.findByRole('button', { name: 'Move and give back' }));
  const listed = within(await screen.findByRole('list', { name: 'Moves' })).getAllByRole('listitem');
  expect(listed.map((l) => l.textContent)).toEqual([
    'print-works/proofs, 200 GiB, to b',
    'print-works/plates, 100 GiB, to b',
  ]);
  const dialog = screen.getByRole('dialog');
  await user.click(within(dialog).getByRole('button', { name: 'Move and give back' }));
  await screen.findByText('The shares of a are on their way.');
  expect(server.of('freeInstance')[0]).toMatchObject({
    params: { pool: 'slate', instance: 'a' },
    body: { moves: moves.map(({ volume, to }) => ({ volume, to })) },
  });
});

test('a refusal is told in its words, and nothing is said to be on its way', async () => {
  new FakeServer({
    getCarving: () => carving({ freeing: { instance: 'a', bytes: TiB, moves: [] } }),
    freeInstance: () => new Refused(409, 'A share is on its way there. Nothing was changed.'),
  });
  const { user } = show(<Instances backend={backend} />);
  await user.click(await screen.findByRole('button', { name: 'Give back' }));
  await user.click(within(screen.getByRole('dialog')).getByRole('button', { name: 'Give back' }));
  await screen.findByText(/A share is on its way there/);
  expect(screen.queryByText(/is being given back\./)).toBeNull();
});

test('of thousands a hundred are drawn at once, and the others are turned to', async () => {
  const many = Array.from({ length: 250 }, (_, i) => row(`i-${String(i).padStart(3, '0')}`));
  new FakeServer({ getCarving: () => carving({ instances: many }) });
  const { user } = show(<Instances backend={backend} />);
  const table = await screen.findByRole('table', { name: 'Instances' });
  expect(within(table).getAllByRole('row')).toHaveLength(101);
  await user.click(screen.getByRole('button', { name: 'After' }));
  await user.click(screen.getByRole('button', { name: 'After' }));
  await waitFor(() => expect(screen.getByText('201 to 250 of 250')).toBeTruthy());
  expect(within(table).getAllByRole('row')).toHaveLength(51);
});

test('a backend none of whose pools is sold so says that', () => {
  show(<Instances backend={{ ...backend, pools: [] }} />);
  expect(screen.getByText('None of its pools is sold in instances')).toBeTruthy();
});
