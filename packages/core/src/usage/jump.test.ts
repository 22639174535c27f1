import fc from 'fast-check';
import { jumpOf, stepsIn } from './jump';

const days = (changes: readonly number[]) => changes.reduce((all, c) => [...all, all.at(-1)! + c], [1000]);

test('a day that grows far beyond what is usual is told, with what is usual', () => {
  expect(jumpOf(days([5, 6, 4, 5, 7, 5, 4, 5, 90]), 1)).toEqual({ change: 90, usual: 5, deviation: 0.5 });
  expect(jumpOf(days([5, 6, 4, 5, 7, 5, 4, 5, -60]), 1)).toMatchObject({ change: -60 });
});

test('what goes up and down like that every day is no jump, nor is little, nor too few days', () => {
  expect(jumpOf(days([50, -40, 60, -50, 40, -60, 50, -40, 90]), 1)).toBeUndefined();
  expect(jumpOf(days([0, 0, 0, 0, 0, 0, 0, 0, 3]), 5)).toBeUndefined();
  expect(jumpOf(days([5, 5, 500]), 1)).toBeUndefined();
  expect(jumpOf([], 0)).toBeUndefined();
  // four quiet days that were not told of, and what came in them
  const told = days([5, 6, 4, 5, 7, 5, 4, 5, 6, 5]);
  expect(jumpOf([...told, null, null, null, told.at(-1)! + 200], 1)).toBeUndefined();
  expect(jumpOf([...told, null], 1)).toBeUndefined();
  expect(jumpOf([...told, null, told.at(-1)! + 9, told.at(-1)! + 400], 1)).toMatchObject({ change: 391 });
});

test('a step is told with its day; what comes every day is none', () => {
  const value = [...days([5, 6, 4, 5, 7, 5, 4, 5]), ...days([5, 4, 6]).map((v) => v + 900)];
  const at = value.map((_, i) => i * 10);
  expect(stepsIn({ at, value })).toEqual([{ at: 90, change: 859 }]);
  expect(stepsIn({ at, value: at.map((t) => 3 * t) })).toEqual([]);
  expect(stepsIn({ at: at.slice(0, 4), value: [1, 1, 900, 900] })).toEqual([]);
});

test('it is the same however large the level is, and a straight line never jumps', () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: -1000, max: 1000 }), { minLength: 3, maxLength: 40 }),
      fc.integer({ min: 0, max: 1e9 }),
      (changes, level) => {
        const values = days(changes);
        expect(
          jumpOf(
            values.map((v) => v + level),
            10,
          ),
        ).toEqual(jumpOf(values, 10));
        expect(jumpOf(days(changes.map(() => 7)), 0)).toBeUndefined();
      },
    ),
  );
});
