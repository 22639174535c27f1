import fc from 'fast-check';
import { resyncSeen } from './resync';

test('what is left takes as long as it does at the rate there is', () => {
  expect(resyncSeen({ bytes: 1000, percent: 40, rate: 20, stoodFor: 0 })).toEqual({ left: 600, rate: 20, ready: 30 });
});

test('nobody can say how long it takes before it came on once', () => {
  expect(resyncSeen({ bytes: 1000, percent: 0, rate: null, stoodFor: 9 })).toEqual({
    left: 1000,
    rate: null,
    ready: null,
  });
});

test('one that stands while applications are busy has slowed, whatever its rate was', () => {
  // a percent is 10 bytes: in 5 seconds it did not get one of them
  expect(resyncSeen({ bytes: 1000, percent: 40, rate: 20, stoodFor: 5 })).toEqual({ left: 600, rate: 2, ready: 300 });
});

test('the longer it stands, the later it is said to be ready', () => {
  const behind = fc.record({
    bytes: fc.integer({ min: 1, max: 2 ** 50 }),
    percent: fc.integer({ min: 0, max: 99 }),
    rate: fc.integer({ min: 1, max: 2 ** 40 }),
    stoodFor: fc.integer({ min: 0, max: 10 ** 6 }),
  });
  fc.assert(
    fc.property(behind, fc.integer({ min: 1, max: 1000 }), (b, more) => {
      const [now, later] = [resyncSeen(b), resyncSeen({ ...b, stoodFor: b.stoodFor + more })];
      expect(later.ready!).toBeGreaterThanOrEqual(now.ready!);
      expect(now.rate!).toBeLessThanOrEqual(b.rate);
    }),
  );
});
