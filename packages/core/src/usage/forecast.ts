import { median, type Course } from './theil-sen';
import { runwayOf, trendOf, widening, type Runway, type Trend } from './trend';

const dayMs = 24 * 3_600_000;
/** Days whose level is that of now. */
const lastDays = 7;
/** Days that a course must cover to tell anything of how it goes on. */
const fewestDays = 7;

/** Numbers in [0, 1) that are the same for the same question (Lehmer 1951): what is asked again is answered the same. */
function drawing(): () => number {
  let state = 1;
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}

/** What is used of something that has an end, now and how it came there: `course` ends before `at`, milliseconds since 1970. */
export interface Measured {
  readonly now: number;
  readonly at: number;
  readonly limit: number;
  readonly course: Course;
}

interface Forecast {
  /** How it goes on from what there is now; undefined where too little is known. */
  readonly trend: Trend | undefined;
  readonly perDay: number | null;
  readonly runway: Runway | null;
}

/** How a course goes on; undefined of one that covers less than a week. */
export function goingOn({ now, at, course }: Omit<Measured, 'limit'>): Trend | undefined {
  const n = course.at.length;
  if (n < 2 || at - course.at[0]! < (fewestDays - 0.5) * dayMs) return undefined;
  const trend = trendOf(course, drawing());
  if (!trend) return undefined;
  const line = (t: number) => trend.level + trend.slope * (t - trend.at);
  const rest = (t: number, value: number) => value - rhythmAt(trend, t) - line(t);
  // one day lies about the line as days do; a week that lies off it is another level, from which it goes on
  const week = Array.from({ length: Math.min(lastDays, n) }, (_, i) =>
    rest(course.at[n - 1 - i]!, course.value[n - 1 - i]!),
  );
  const shift = median(Float64Array.from([...week, rest(at, now)]));
  const isOff = shift < trend.low || shift > trend.high;
  return { ...trend, level: line(at) + (isOff ? shift : 0), at };
}

/** When what is used meets its end, as it went so far. */
export function forecast(measured: Measured): Forecast {
  if (measured.now >= measured.limit) return { trend: goingOn(measured), perDay: null, runway: { kind: 'over' } };
  const trend = goingOn(measured);
  if (!trend) return { trend, perDay: null, runway: null };
  return { trend, perDay: trend.slope * dayMs, runway: runwayOf(trend, measured.limit) };
}

const rhythmAt = ({ rhythm }: Trend, at: number): number => rhythm[((Math.floor(at / dayMs) % 7) + 7) % 7] ?? 0;

/** What a trend says of a moment, with the interval of the residuals' 10th and 90th percentile. */
export function valueAt(trend: Trend, at: number): { value: number; low: number; high: number } {
  const value = trend.level + trend.slope * (at - trend.at) + rhythmAt(trend, at);
  const wider = widening(trend, at);
  return { value, low: value + trend.low * wider, high: value + trend.high * wider };
}
