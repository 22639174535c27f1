import { largestSold, soldAs, type InstanceSizes } from './carve';

/** An instance that a pool sold to us, with what is promised in it. Bytes. */
export interface HeldInstance {
  readonly id: string;
  readonly size: number;
  readonly used: number;
}

/** How a pool is sold in instances, and those that shares can be carved out of. */
export interface Instances {
  readonly sizes: InstanceSizes;
  readonly held: readonly HeldInstance[];
}

/** Where a share is carved out, and what that buys. Bytes. */
export interface Carved {
  /** The instance it lies in; undefined: a new one. */
  readonly instance?: string;
  /** What the instance is sold as then, and what of it is left. */
  readonly size: number;
  readonly left: number;
  /** What is bought for it: 0 where the instance has room already. */
  readonly added: number;
}

/** What of an instance no share has; less than nothing is nothing. */
export const slackOf = ({ size, used }: HeldInstance): number => Math.max(0, size - used);

/** Bytes bought and promised to no share. */
export const slackIn = ({ held }: Pick<Instances, 'held'>): number => held.reduce((sum, i) => sum + slackOf(i), 0);

/** Out of one instance, made larger where the backend sells it so large; undefined where it does not. */
export function carvedFrom({ id, size, used }: HeldInstance, share: number, sizes: InstanceSizes): Carved | undefined {
  const becomes = Math.max(size, soldAs(used + share, sizes));
  if (becomes > Math.max(size, largestSold(sizes))) return undefined;
  return { instance: id, size: becomes, left: becomes - used - share, added: becomes - size };
}

/**
 * Where a share is carved out (docs/calculations.md, Shared files): where least has to be bought, and of those out of the instance that
 * has least left then. Undefined where no instance is sold so large.
 */
export function carveOne({ sizes, held }: Instances, share: number): Carved | undefined {
  let best: Carved | undefined;
  for (const instance of held) {
    const at = carvedFrom(instance, share, sizes);
    if (at && (!best || at.added < best.added || (at.added === best.added && at.left < best.left))) best = at;
  }
  const size = soldAs(share, sizes);
  if (size > largestSold(sizes) || (best && best.added <= size)) return best;
  return { size, left: size - share, added: size };
}

/** The instances once a share is carved out of them; a new one gets this name. */
export function withShare(instances: Instances, share: number, carved: Carved, named: string): Instances {
  const { held, sizes } = instances;
  if (carved.instance === undefined) return { sizes, held: [...held, { id: named, size: carved.size, used: share }] };
  return {
    sizes,
    held: held.map((i) => (i.id === carved.instance ? { ...i, size: carved.size, used: i.used + share } : i)),
  };
}

/** The largest share that can be had when so much may be bought; 0 when none can. Bytes. */
export function largestShare({ sizes, held }: Instances, mayBuy: number): number {
  const { minimum, step } = sizes;
  const budget = Math.max(0, mayBuy);
  const whole = largestSold(sizes);
  const most = held.map((i) => {
    const becomes = Math.max(i.size, Math.min(whole, soldAs(i.size, sizes) + Math.floor(budget / step) * step));
    return becomes - i.size <= budget ? becomes - i.used : i.size - i.used;
  });
  const fresh = budget < minimum ? 0 : Math.min(whole, minimum + Math.floor((budget - minimum) / step) * step);
  return Math.max(0, fresh, ...most);
}

/** How many shares of one size are carved out, one after the other, before more would have to be bought than may be; at most so many. */
export function sharesThatFit(instances: Instances, share: number, mayBuy: number, most: number): number {
  let [now, left, count] = [instances, mayBuy, 0];
  while (count < most) {
    const carved = carveOne(now, share);
    if (!carved || (carved.added > 0 && carved.added > left)) break;
    left -= carved.added;
    now = withShare(now, share, carved, `further-${count}`);
    // what has room now takes all that fits before anything else is bought
    const at = now.held.find((i) => i.id === (carved.instance ?? `further-${count}`))!;
    const more = Math.min(most - count - 1, Math.floor(slackOf(at) / share));
    count += 1 + more;
    if (more > 0) now = { ...now, held: now.held.map((i) => (i === at ? { ...i, used: i.used + more * share } : i)) };
  }
  return count;
}
