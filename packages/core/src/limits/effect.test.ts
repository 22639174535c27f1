import { trendOf } from '../usage/trend';
import { effectOf } from './effect';

const dayMs = 24 * 3_600_000;
const claim = (name: string, takes: number) => ({ namespace: 'ferry-desk', name, takes });
const course = {
  at: Array.from({ length: 30 }, (_, i) => i * dayMs),
  value: Array.from({ length: 30 }, (_, i) => 100 + 10 * i),
};
const growing = trendOf(course, () => 0.5)!;

test('a limit below what is used says by how much, and frees nobody', () => {
  expect(effectOf(300, 390, growing, [claim('a', 5)])).toEqual({
    ...{ used: 390, over: 90, left: 0, frees: [], keeps: [claim('a', 5)] },
    runway: { kind: 'over' },
  });
});

test('it frees those that wait, in the order they were made, as far as it goes', () => {
  const waiting = [claim('first', 40), claim('second', 50), claim('third', 30)];
  const { frees, keeps } = effectOf(480, 390, growing, waiting);
  expect(frees.map((c) => c.name)).toEqual(['first', 'second']);
  expect(keeps.map((c) => c.name)).toEqual(['third']);
});

test('when it is reached, as it went so far', () => {
  const { runway } = effectOf(490, 390, growing, []);
  expect(runway).toMatchObject({ kind: 'meets', at: 39 * dayMs });
});

test('none frees all of them, and is reached by nobody', () => {
  expect(effectOf(null, 390, growing, [claim('a', 1e12)])).toEqual({
    ...{ used: 390, over: 0, left: Infinity, frees: [claim('a', 1e12)], keeps: [] },
    runway: { kind: 'none' },
  });
});

test('of a course that is not known it says nothing', () => {
  expect(effectOf(490, 390, undefined, []).runway).toBeNull();
});
