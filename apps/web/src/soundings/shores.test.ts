import fc from 'fast-check';
import { layShores } from './shores';

const names = [
  ['a', 'b', 'c'],
  ['x', 'y'],
  ['p', 'q', 'r', 's'],
];
const flows = fc.array(
  fc.record({
    at: fc.tuple(fc.constantFrom(...names[0]!), fc.constantFrom(...names[1]!), fc.constantFrom(...names[2]!)),
    value: fc.integer({ min: 1, max: 1000 }),
    count: fc.nat(9),
  }),
  { minLength: 1, maxLength: 30 },
);

test('at every shore each flow stands within its own name, and none lies on another', () => {
  fc.assert(
    fc.property(flows, (all) => {
      const { shores, lines, height } = layShores(names, all);
      const total = all.reduce((sum, f) => sum + f.value, 0);
      for (const shore of names.keys()) {
        expect(shores[shore]!.reduce((sum, n) => sum + n.value, 0)).toBe(total);
        // what arrives, and what leaves
        for (const [stage, side] of [
          [shore - 1, 'to'],
          [shore, 'from'],
        ] as const) {
          const here = lines.filter((l) => l.shore === stage);
          if (here.length === 0) continue;
          expect(here).toHaveLength(all.length);
          const scale = (330 / total) * 0.999;
          const spans = here.map((l) => {
            const node = shores[shore]!.find((n) => n.name === l.flow.at[shore])!;
            const half = (l.flow.value * scale) / 2;
            expect(l[side] - half).toBeGreaterThanOrEqual(node.y - 1e-6);
            expect(l[side] + half).toBeLessThanOrEqual(node.y + node.height + 1e-6);
            return [l[side] - half, l[side] + half] as const;
          });
          spans.sort((a, b) => a[0] - b[0]);
          spans.slice(1).forEach(([begin], i) => expect(begin).toBeGreaterThanOrEqual(spans[i]![1] - 1e-6));
        }
      }
      expect(height).toBeGreaterThan(Math.max(...shores.flat().map((n) => n.y + n.height)));
    }),
  );
});
