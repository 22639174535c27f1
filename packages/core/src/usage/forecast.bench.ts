/**
 * Generated years of daily values, their last 30 days held back: how many of those days lie within the interval (80 % is stated), and
 * how far the forecast is off beside a least-squares line and beside "as today". Prints JSON.
 */
import { goingOn, valueAt } from './forecast';

const dayMs = 24 * 3_600_000;
const [years, days, ahead] = [300, 365, 30];
const known = 60;
let state = 11;
const random = () => (state = (state * 48271) % 2147483647) / 2147483647;
/** Of a normal distribution (Box and Muller 1958). */
const normal = () => Math.sqrt(-2 * Math.log(random() + 1e-12)) * Math.cos(2 * Math.PI * random());

/** A year that grows by so much a day, quieter at weekends, up and down by itself, with a migration now and then and a burst that is cleared. */
function yearOf(): number[] {
  const [perDay, noise, weekend] = [1 + 20 * random(), 5 + 40 * random(), -60 * random()];
  const step = random() < 0.3 ? { day: Math.floor(random() * (days - 120)), by: 2000 * random() } : undefined;
  return Array.from({ length: days }, (_, d) => {
    const isWeekend = d % 7 >= 5;
    const burst = random() < 0.02 ? 300 * random() : 0;
    return (
      1000 + perDay * d + (isWeekend ? weekend : 0) + noise * normal() + (step && d >= step.day ? step.by : 0) + burst
    );
  });
}

function lineOf(values: readonly number[]): (i: number) => number {
  const n = values.length;
  const [mx, my] = [(n - 1) / 2, values.reduce((a, b) => a + b, 0) / n];
  const sxy = values.reduce((sum, v, i) => sum + (i - mx) * (v - my), 0);
  const sxx = values.reduce((sum, _, i) => sum + (i - mx) ** 2, 0);
  return (i) => my + (sxy / sxx) * (i - mx);
}

let [inside, all, ours, straight, asToday] = [0, 0, 0, 0, 0];
for (let y = 0; y < years; y++) {
  const values = yearOf();
  const from = days - ahead - known;
  const past = values.slice(from, from + known);
  const course = { at: past.map((_, i) => (from + i) * dayMs), value: past };
  const last = past[known - 1]!;
  // the course ends with what there is at its last day
  const trend = goingOn({ now: last, at: (from + known - 1) * dayMs, course })!;
  const fitted = { ...trend, level: trend.level };
  const line = lineOf(past);
  for (let d = 0; d < ahead; d++) {
    const came = values[from + known + d]!;
    const { value, low, high } = valueAt(fitted, (from + known + d) * dayMs);
    all += 1;
    if (came >= low && came <= high) inside += 1;
    ours += Math.abs(came - value);
    straight += Math.abs(came - line(known + d));
    asToday += Math.abs(came - last);
  }
}
console.log(
  JSON.stringify({ covered: inside / all, ours: ours / all, straight: straight / all, asToday: asToday / all }),
);
