import type { BatchAnswer, Summary } from './batch';
import { batchSentence } from './batch-words';

const GiB = 2 ** 30;
const of = (claims: number, gib: number): Summary => ({ claims, of: 10, bytes: gib * GiB, pools: [] });
const answer = (alone: Summary, planned: Summary): BatchAnswer => ({
  ...{ alone, planned, places: [] },
  refused: Array.from({ length: 10 - planned.claims }, (_, i) => `desk/data-${i}`),
});

test.each<[string, BatchAnswer, RegExp]>([
  [
    'all as a plan alone',
    answer(of(8, 80), of(10, 100)),
    /^The plan fits 2 claims more, and so all of them, by leaving/,
  ],
  ['all either way', answer(of(10, 100), of(10, 100)), /^All of them fit either way/],
  [
    'nothing better',
    answer(of(8, 80), of(8, 80)),
    /^No plan was found that fits more. 2 claims stay without a pool, the first of them desk\/data-0.$/,
  ],
  [
    'more claims',
    answer(of(8, 80), of(9, 90)),
    /^The plan fits 1 claim more, 10 GiB. 1 claim stays without a pool: desk\/data-0.$/,
  ],
  ['more claims of fewer bytes', answer(of(8, 80), of(9, 79)), /^The plan fits 1 claim more. 1 claim stays/],
  ['more bytes alone', answer(of(8, 80), of(8, 90)), /^The plan fits 10 GiB more. 2 claims stay/],
  [
    'more bytes in fewer claims',
    answer(of(9, 80), of(8, 90)),
    /^The plan places 10 GiB more in 1 claim fewer, those that cost least of what is scarce. 2 claims stay/,
  ],
])('what a plan gives is said: %s', (_, so, words) => {
  expect(batchSentence(so)).toMatch(words);
});
