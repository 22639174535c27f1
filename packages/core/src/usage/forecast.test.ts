import fc from 'fast-check';
import { forecast, goingOn, valueAt } from './forecast';

const dayMs = 24 * 3_600_000;
const begin = Date.parse('2026-08-01T00:00:00Z');
const course = (days: number, valueOf: (day: number) => number) => ({
  at: Array.from({ length: days }, (_, i) => begin + i * dayMs),
  value: Array.from({ length: days }, (_, i) => valueOf(i)),
});
const measured = (days: number, valueOf: (day: number) => number, limit: number) => ({
  ...{ course: course(days, valueOf), at: begin + days * dayMs, now: valueOf(days), limit },
});

test('it begins with what there is now and goes on as it went', () => {
  const { perDay, runway } = forecast(measured(60, (d) => 1000 + 5 * d, 1400));
  expect(perDay).toBeCloseTo(5, 9);
  // 1300 now, 100 more at 5 a day
  expect(runway).toMatchObject({ kind: 'meets', at: begin + 80 * dayMs });
});

test('less than a week tells nothing; what is over is over whatever its course', () => {
  expect(forecast(measured(5, (d) => d, 100)).runway).toBeNull();
  expect(forecast(measured(5, (d) => d, 3)).runway).toEqual({ kind: 'over' });
  expect(forecast(measured(0, () => 50, 100)).runway).toBeNull();
});

test('what shrinks or stands still meets nothing', () => {
  expect(forecast(measured(60, (d) => 1000 - d, 2000)).runway).toEqual({ kind: 'none' });
  expect(forecast(measured(60, () => 1000, 2000)).runway).toEqual({ kind: 'none' });
});

test('a week with its rhythm is foreseen with it, and the interval holds what lies about the line', () => {
  const quietOnSundays = (d: number) => 1000 + 10 * d - (new Date(begin + d * dayMs).getUTCDay() === 0 ? 60 : 0);
  const trend = goingOn({ ...measured(56, quietOnSundays, 0) })!;
  for (const d of [57, 58, 60, 63, 70])
    expect(valueAt(trend, begin + d * dayMs).value).toBeCloseTo(quietOnSundays(d), 6);
});

test('the same course is answered the same, and more room is never reached sooner', () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 10, maxLength: 80 }),
      fc.integer({ min: 1, max: 5000 }),
      fc.integer({ min: 0, max: 5000 }),
      (values, limit, more) => {
        const of = (l: number) => forecast(measured(values.length - 1, (d) => values[d]!, l)).runway;
        expect(of(limit)).toEqual(of(limit));
        const when = (r: ReturnType<typeof of>) =>
          r === null ? 0 : r.kind === 'over' ? -Infinity : r.kind === 'none' ? Infinity : r.at;
        expect(when(of(limit + more))).toBeGreaterThanOrEqual(when(of(limit)));
      },
    ),
  );
});
