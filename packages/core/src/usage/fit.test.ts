import fc from 'fast-check';
import { cheaperFit, type Candidate } from './fit';

const of = (className: string, part: Partial<Candidate> = {}): Candidate => ({
  ...{ className, lets: Infinity, left: 10_000, cost: 10, ...part },
});

test('the cheapest of those that would have served', () => {
  const classes = [of('calm', { cost: 8 }), of('deep', { cost: 3, lets: 100 }), of('broad', { cost: 5 })];
  expect(cheaperFit(80, 20, classes)!.className).toBe('deep');
  // 90 counts as 108
  expect(cheaperFit(90, 20, classes)!.className).toBe('broad');
  expect(cheaperFit(90, 20, [of('full', { left: 50 })])).toBeUndefined();
  expect(cheaperFit(90, 10, classes.slice(0, 1))!.className).toBe('calm');
  expect(cheaperFit(90, 8, classes.slice(0, 1))).toBeUndefined();
});

test('it always serves and always saves', () => {
  const candidate = fc.record({
    ...{ className: fc.string(), lets: fc.integer({ min: 0, max: 900 }), left: fc.integer({ min: 0, max: 900 }) },
    cost: fc.integer({ min: 0, max: 90 }),
  });
  fc.assert(
    fc.property(
      fc.array(candidate),
      fc.integer({ min: 0, max: 900 }),
      fc.integer({ min: 0, max: 90 }),
      (all, p95, now) => {
        const best = cheaperFit(p95, now, all);
        const fits = all.filter((c) => c.cost < now && Math.min(c.lets, c.left) >= 1.2 * p95);
        expect(best?.cost).toBe(fits.length === 0 ? undefined : Math.min(...fits.map((c) => c.cost)));
      },
    ),
  );
});
