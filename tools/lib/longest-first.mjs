import Sequencer from '@jest/test-sequencer';

/** What takes longest, by parts of paths: begun first, so that none of it is waited for at the end. */
const long = [
  'journeys/accessibility',
  'journeys/classes',
  'binder/kill',
  'reshapes/',
  'journeys/',
  'fuzz',
  'apps/server/',
];
const rank = ({ path }) => long.findIndex((part) => path.includes(part));

/** The order of the test files: of those of one rank, the larger first. */
export default class LongestFirst extends Sequencer {
  sort(tests) {
    const place = new Map(super.sort(tests).map((test, i) => [test, i]));
    const ranked = (test) => (rank(test) < 0 ? long.length : rank(test));
    return [...tests].sort((a, b) => ranked(a) - ranked(b) || place.get(a) - place.get(b));
  }
}
