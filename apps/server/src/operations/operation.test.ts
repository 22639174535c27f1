import fc from 'fast-check';
import { ends, lifecycles, mayMove, nextStep, pauseAfter, type OperationState } from './operation';

const states = Object.values(lifecycles).flatMap((l) => Object.keys(l.moves)) as OperationState[];

test('every state that is not an end has a step, every end rests', () => {
  for (const state of states) expect([state, nextStep(state).do === 'rest']).toEqual([state, ends.includes(state)]);
});

test('every state is reached from another or begins, and leads to an end', () => {
  const begin: readonly OperationState[] = ['deciding', 'releasing', 'preparing'];
  const leadsTo = (from: OperationState, seen = new Set<OperationState>()): Set<OperationState> => {
    for (const to of states) if (mayMove(from, to) && !seen.has(to)) leadsTo(to, seen.add(to));
    return seen;
  };
  const reached = new Set(begin.flatMap((b) => [b, ...leadsTo(b)]));
  expect(states.filter((s) => !reached.has(s))).toEqual([]);
  expect(states.filter((s) => !ends.includes(s) && ![...leadsTo(s)].some((to) => ends.includes(to)))).toEqual([]);
});

test('each state belongs to one kind', () => expect(new Set(states).size).toBe(states.length));

test('pauses grow, are spread, and end at five minutes', () =>
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 60 }), fc.double({ min: 0, max: 0.999, noNaN: true }), (attempts, random) => {
      const pause = pauseAfter(attempts, random);
      expect(pause).toBeGreaterThanOrEqual(0.75);
      expect(pause).toBeLessThanOrEqual(375);
      expect(pauseAfter(attempts + 1, random)).toBeGreaterThanOrEqual(pause);
    }),
  ));
