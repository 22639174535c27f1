import { seeded } from '../placement/seeded';
import { GiB, TiB } from '../sizes/bytes';
import { carve, type Share } from './carve';

/** Thousands of small shares carved out of large instances, of kinds that differ. Prints JSON. */
const count = 5000;
const sizes = { minimum: TiB, step: 256 * GiB, maximum: 10 * TiB };

const random = seeded(11);
const kinds: Record<string, () => number> = {
  small: () => 1 + Math.floor(random() * 200),
  'heavy tails': () => Math.min(8000, Math.ceil(10 / Math.max(0.001, random()) ** 1.1)),
  'a third to a half': () => 3400 + Math.floor(random() * 1700),
  equal: () => 700,
};

const results = Object.entries(kinds).map(([kind, next]) => {
  const shares = Array.from({ length: count }, (_, i): Share => ({ id: `share-${i}`, size: next() * GiB }));
  const began = performance.now();
  const { instances, bound, utilisation } = carve(shares, sizes);
  return { kind, ms: performance.now() - began, instances: instances.length, bound, utilisation };
});
console.log(JSON.stringify({ count, results }));
