import type { PlacementState } from '@moorage/contract/moorings';

export interface ShoreNode {
  readonly name: string;
  readonly bytes: number;
  readonly count: number;
  readonly y: number;
  readonly height: number;
}

export interface ShoreLine {
  readonly className: string;
  readonly pool: string;
  readonly bytes: number;
  readonly count: number;
  readonly enabled: boolean;
  readonly width: number;
  /** Middle of the line at either shore. */
  readonly from: number;
  readonly to: number;
}

const [gap, least, tallest] = [14, 34, 330];

/** Places classes and pools on two shores and the lines between them; heights and widths go with provisioned bytes. */
export function drawShores(
  classes: readonly string[],
  pools: readonly string[],
  { held, moorings }: Pick<PlacementState, 'held' | 'moorings'>,
): { classes: ShoreNode[]; pools: ShoreNode[]; lines: ShoreLine[]; height: number } {
  const links = new Map<string, { className: string; pool: string; bytes: number; count: number; enabled: boolean }>();
  for (const m of moorings)
    if (classes.includes(m.className) && pools.includes(m.pool) && m.enabled)
      links.set(`${m.className}/${m.pool}`, {
        className: m.className,
        pool: m.pool,
        bytes: 0,
        count: 0,
        enabled: true,
      });
  for (const { className, pool, bytes, count } of held) {
    if (!classes.includes(className) || !pools.includes(pool)) continue;
    const key = `${className}/${pool}`;
    const so = links.get(key) ?? { className, pool, bytes: 0, count: 0, enabled: false };
    links.set(key, { ...so, bytes: so.bytes + bytes * count, count: so.count + count });
  }
  const all = [...links.values()];
  const total = all.reduce((sum, l) => sum + l.bytes, 0);
  const scale = total > 0 ? tallest / total : 0;
  const shore = (names: readonly string[], of: (l: (typeof all)[number]) => string): ShoreNode[] => {
    let y = gap;
    return names.map((name) => {
      const own = all.filter((l) => of(l) === name);
      const bytes = own.reduce((sum, l) => sum + l.bytes, 0);
      const height = Math.max(least, bytes * scale);
      const node = { name, bytes, count: own.reduce((sum, l) => sum + l.count, 0), y, height };
      y += height + gap;
      return node;
    });
  };
  const left = shore(classes, (l) => l.className);
  const right = shore(pools, (l) => l.pool);
  const from = new Map(left.map((n) => [n.name, n.y + (n.height - n.bytes * scale) / 2]));
  const to = new Map(right.map((n) => [n.name, n.y + (n.height - n.bytes * scale) / 2]));
  const at = (names: readonly string[], name: string) => names.indexOf(name);
  // lines leave each shore in the order in which they arrive at the other, so that few cross
  const byClass = [...all].sort(
    (a, b) => at(classes, a.className) - at(classes, b.className) || at(pools, a.pool) - at(pools, b.pool),
  );
  const starts = new Map<string, number>();
  for (const l of byClass) {
    const width = l.bytes * scale;
    starts.set(`${l.className}/${l.pool}`, from.get(l.className)! + width / 2);
    from.set(l.className, from.get(l.className)! + width);
  }
  const byPool = [...all].sort(
    (a, b) => at(pools, a.pool) - at(pools, b.pool) || at(classes, a.className) - at(classes, b.className),
  );
  const lines = byPool.map((l): ShoreLine => {
    const width = l.bytes * scale;
    const end = to.get(l.pool)! + width / 2;
    to.set(l.pool, to.get(l.pool)! + width);
    return { ...l, width: Math.max(1.5, width), from: starts.get(`${l.className}/${l.pool}`)!, to: end };
  });
  const bottom = (nodes: readonly ShoreNode[]) => Math.max(0, ...nodes.map((n) => n.y + n.height));
  return { classes: left, pools: right, lines, height: Math.max(bottom(left), bottom(right)) + gap };
}
