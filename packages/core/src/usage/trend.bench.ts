/** How long the trend of 10,000 points takes. Prints JSON. */
import { theilSenSlope } from './theil-sen';

let state = 7;
const random = () => (state = (state * 48271) % 2147483647) / 2147483647;
const at = Array.from({ length: 10_000 }, (_, i) => 3600 * i);
const kinds: readonly ((i: number) => number)[] = [
  (i) => i * 0.01 + 100 * random(),
  (i) => Math.floor(i / 100),
  (i) => i + 1 / (random() + 1e-6),
  (i) => Math.sin(i / 24) * 50 + i * 0.1,
];
const times = kinds.map((valueOf) => {
  const value = at.map((_, i) => valueOf(i));
  const all = Array.from({ length: 9 }, () => {
    const began = performance.now();
    theilSenSlope({ at, value }, random);
    return performance.now() - began;
  });
  return all.sort((a, b) => a - b)[4]!;
});
console.log(JSON.stringify({ theilSenMs: Math.max(...times) }));
