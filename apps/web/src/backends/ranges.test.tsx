import type { Readiness } from '@moorage/contract/readiness';
import { waitFor } from '@testing-library/react';
import { FakeServer, maren, screen, show } from '../testing/render';
import { Ranges } from './Ranges';
import { matchWords, rangesMark, rangesSentence, shortList, singleOf, strangersText } from './ranges-words';

type RangesOf = NonNullable<Readiness['backends'][number]['ranges']>;
const ranges = (part: Partial<RangesOf> = {}): RangesOf => ({
  ...{ now: ['10.40.10.0/27'], exact: ['10.40.10.21/32', '10.40.10.22/31'], missing: [], strangers: '29', idle: [] },
  single: { block: '10.40.10.20/30', strangers: '1' },
  ...part,
});
const backend = (part: Partial<RangesOf> = {}) => ({ id: 'gneiss', reachable: true, ranges: ranges(part) });

test.each([
  ['0', 'no stranger'],
  ['1', '1 stranger'],
  ['1234', '1,234 strangers'],
  [(2n ** 64n).toString(), 'about 2^64 strangers'],
])('%s strangers are told as %s', (count, words) => expect(strangersText(count)).toBe(words));

test('who may mount and who not is one sentence', () => {
  expect(rangesSentence(ranges({ strangers: '0' }))).toBe('Every node may mount. No stranger may mount.');
  expect(rangesSentence(ranges({ missing: ['a', 'b', 'c', 'd'] }))).toBe(
    'Misses a, b, c and 1 more. Lets in 29 strangers that no node has.',
  );
  expect([ranges(), ranges({ strangers: '0' }), ranges({ missing: ['a'] })].map(rangesMark)).toEqual([
    ...['degraded', 'settled', 'person'],
  ]);
});

test('only single addresses are taken away, and long lists are shortened', () => {
  expect([singleOf('10.0.0.1/32'), singleOf('10.0.0.0/24'), singleOf('fd00::1/128')]).toEqual([
    ...['10.0.0.1', undefined, undefined],
  ]);
  expect(shortList(['a', 'b', 'c', 'd'])).toBe('a, b, c and 1 more');
  expect([matchWords(1, 2), matchWords(0, 1), matchWords(3, 0)]).toEqual([
    'add 1, take away 2',
    'take away 1',
    'add 3',
  ]);
});

test('matching the nodes lets in what is missing first, and then takes away what no node has; it can be undone', async () => {
  const server = new FakeServer({
    allowClient: () => undefined,
    disallowClient: () => undefined,
    readiness: () => ({}),
  });
  const { user } = show(
    <Ranges backends={[backend({ missing: ['10.40.10.33'], idle: ['10.40.10.99/32', '10.9.0.0/24'] })]} />,
  );
  await user.click(screen.getByRole('button', { name: 'Match the nodes: add 1, take away 1' }));
  await screen.findByText('gneiss: add 1, take away 1.');
  expect(server.calls.filter((c) => c.name !== 'readiness').map((c) => [c.name, c.params.address])).toEqual([
    ['allowClient', '10.40.10.33'],
    ['disallowClient', '10.40.10.99'],
  ]);
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() => expect(server.of('disallowClient').map((c) => c.params.address)).toContain('10.40.10.33'));
});

test('who may not change it, and where all is well, nothing is offered', () => {
  show(<Ranges backends={[backend({ missing: ['10.40.10.33'] })]} />, { person: { ...maren, role: 'viewer' } });
  expect(screen.queryByRole('button', { name: /Match/ })).toBeNull();
});
