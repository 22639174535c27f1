import type { PlacementState } from '@moorage/contract/moorings';
import { layShores, type Flow } from '../soundings/shores';

/** What a class keeps on a pool. */
export interface Kept extends Flow {
  readonly className: string;
  readonly pool: string;
  readonly enabled: boolean;
}

/** Places classes and pools on two shores and the lines between them: what is kept where, and moorings on which nothing is. */
export function drawShores(
  classes: readonly string[],
  pools: readonly string[],
  { held, moorings }: Pick<PlacementState, 'held' | 'moorings'>,
) {
  const found = new Map<string, Kept>();
  const note = (className: string, pool: string, enabled: boolean, value: number, count: number) => {
    if (!classes.includes(className) || !pools.includes(pool)) return;
    const key = `${className}/${pool}`;
    const known = found.get(key) ?? { at: [className, pool], className, pool, enabled, value: 0, count: 0 };
    found.set(key, { ...known, value: known.value + value, count: known.count + count });
  };
  for (const m of moorings) if (m.enabled) note(m.className, m.pool, true, 0, 0);
  for (const h of held) note(h.className, h.pool, false, h.bytes * h.count, h.count);
  return layShores([classes, pools], [...found.values()]);
}
