import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import fc from 'fast-check';
import { hit, layoutPlan, steppedTo } from './layout';

const node = (i: number): Inventory['nodes'][number] => ({
  name: `n${i}`,
  zone: `z${i % 2}`,
  rack: `r${i % 3}`,
  up: true,
  freeCores: null,
  freeMemory: null,
});
const disk = (id: string, owner: string, capacity: number) =>
  ({ id, node: owner, capacity, works: true }) as unknown as SeenDisk;

const clusters = fc.record({
  nodes: fc.integer({ min: 1, max: 80 }),
  sizes: fc.array(fc.integer({ min: 1, max: 100 }), { minLength: 1, maxLength: 12 }),
  width: fc.integer({ min: 320, max: 1900 }),
});

test('every disk lies in its node, as wide as its share, and is found where it is drawn', () =>
  fc.assert(
    fc.property(clusters, ({ nodes, sizes, width }) => {
      const all = Array.from({ length: nodes }, (_, i) => node(i));
      const disks = all.flatMap((n) => sizes.map((c, k) => disk(`${n.name}-${k}`, n.name, c)));
      const layout = layoutPlan(all, disks, width);
      expect(layout.nodes).toHaveLength(nodes);
      for (const box of layout.nodes) {
        expect(box.x + box.w).toBeLessThanOrEqual(width + 0.5);
        expect(box.y + box.h).toBeLessThanOrEqual(layout.height);
        for (const i of box.disks) {
          const [x, y, w, h] = [...layout.disks.slice(i * 4, i * 4 + 4)] as [number, number, number, number];
          expect(disks[i]!.node).toBe(box.name);
          expect([x >= box.x, x + w <= box.x + box.w + 1.5, y]).toEqual([true, true, box.y]);
          if (w > 2) expect(hit(layout, x + w / 2, y + h / 2)).toMatchObject({ disk: i, node: { name: box.name } });
        }
      }
      expect(hit(layout, -5, -5)).toEqual({ node: undefined });
    }),
  ));

test('nodes never overlap', () => {
  const all = Array.from({ length: 70 }, (_, i) => node(i));
  const { nodes } = layoutPlan(all, [], 1200);
  for (const a of nodes)
    for (const b of nodes)
      if (a !== b) expect(a.x + a.w <= b.x || b.x + b.w <= a.x || a.y + a.h <= b.y || b.y + b.h <= a.y).toBe(true);
});

test('keys reach every disk, and each step back leads where one came from', () =>
  fc.assert(
    fc.property(clusters, ({ nodes, sizes, width }) => {
      const all = Array.from({ length: nodes }, (_, i) => node(i));
      const disks = all.flatMap((n) => sizes.map((c, k) => disk(`${n.name}-${k}`, n.name, c)));
      const layout = layoutPlan(all, disks, width);
      const seen = new Set<number>();
      for (let at = steppedTo(layout, undefined, 'ArrowRight'); at !== undefined;) {
        seen.add(at);
        const next = steppedTo(layout, at, 'ArrowRight');
        if (next !== undefined) expect(steppedTo(layout, next, 'ArrowLeft')).toBe(at);
        const below = steppedTo(layout, at, 'ArrowDown');
        if (below !== undefined) expect(steppedTo(layout, below, 'ArrowUp')).toBe(at);
        expect(disks[steppedTo(layout, at, 'End')!]!.node).toBe(disks[at]!.node);
        at = next;
      }
      expect(seen.size).toBe(disks.length);
      expect(steppedTo(layout, 0, 'x')).toBeUndefined();
    }),
    { numRuns: 25 },
  ));
