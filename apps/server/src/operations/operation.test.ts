import fc from 'fast-check';
import { nextStep, pauseAfter, type OperationState } from './operation';

test('every state that is not an end has a step, every end rests', () => {
  const ends: OperationState[] = ['bound', 'abandoned', 'released', 'settled', 'undone'];
  const open: OperationState[] = [
    ...(['deciding', 'waiting', 'making', 'made', 'written'] as const),
    ...(['releasing', 'unmade', 'cleared'] as const),
    ...(['preparing', 'taking', 'giving', 'settling', 'undoing'] as const),
  ];
  expect(ends.map((s) => nextStep(s).do)).toEqual(ends.map(() => 'rest'));
  expect(open.map((s) => nextStep(s).do)).not.toContain('rest');
});

test('pauses grow, are spread, and end at five minutes', () =>
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 60 }), fc.double({ min: 0, max: 0.999, noNaN: true }), (attempts, random) => {
      const pause = pauseAfter(attempts, random);
      expect(pause).toBeGreaterThanOrEqual(0.75);
      expect(pause).toBeLessThanOrEqual(375);
      expect(pauseAfter(attempts + 1, random)).toBeGreaterThanOrEqual(pause);
    }),
  ));
