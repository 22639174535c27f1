import type { Carving } from '@moorage/contract/instances';
import { GiB } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';

export type InstanceRow = Carving['instances'][number];

const many = (n: number, one: string): string => `${n.toLocaleString('en-GB')} ${n === 1 ? one : `${one}s`}`;
const percent = (part: number, whole: number): string => `${whole > 0 ? Math.round((100 * part) / whole) : 0} %`;

/** What is bought, how much of it shares hold, and how few instances would do. */
export function carvingSentence(
  { instances, shares, used, bought, atLeast, anew }: Carving,
  price: number | null,
  currency: string,
): string {
  const ours = instances.filter((i) => i.shares !== null).length;
  if (ours === 0) return 'Nothing is bought yet: the first claim that lands here buys the first instance.';
  const slack = bought - used;
  const held = `${many(shares, 'share')} ${shares === 1 ? 'holds' : 'hold'} ${sizeText(used)} of ${sizeText(bought)} bought in ${many(ours, 'instance')} (${percent(used, bought)})`;
  const cost = price === null ? '' : `, about ${((price * slack) / GiB).toFixed(2)} ${currency} a month`;
  const free = slack > 0 ? `; ${sizeText(slack)} are paid for and promised to nobody${cost}` : '';
  if (shares === 0) return `${held}${free}.`;
  const least =
    atLeast === anew.instances ? 'no carving needs fewer' : `no carving needs fewer than ${many(atLeast, 'instance')}`;
  return anew.instances < ours || anew.bytes < bought
    ? `${held}${free}. Carved anew they would need ${many(anew.instances, 'instance')}, ${sizeText(anew.bytes)} in all; ${least}.`
    : `${held}${free}. That is as few as can be found: ${least}.`;
}

/** What would let an instance be given back. */
export function freeingSentence({ freeing, instances, more }: Carving): string {
  if (freeing) {
    const { moves, bytes, instance } = freeing;
    if (moves.length === 0) return `Nothing lies in ${instance}: ${sizeText(bytes)} can be given back.`;
    const moved = moves.reduce((sum, m) => sum + m.bytes, 0);
    return `Moving ${many(moves.length, 'share')} of ${sizeText(moved)} frees ${instance}: ${sizeText(bytes)} can be given back.`;
  }
  const ours = instances.filter((i) => i.shares !== null && !i.leaving);
  if (ours.length < 2) return '';
  return more
    ? 'There are more shares than are looked at here, so nothing is said of what would free an instance.'
    : 'No instance can be freed as things are: the others have no room for what lies in it.';
}

export function stateOf({ shares, leaving, listed }: InstanceRow): { kind: MarkKind; word: string } {
  if (shares === null) return { kind: 'adrift', word: 'of others' };
  if (leaving) return { kind: 'progress', word: 'being given back' };
  if (!listed) return { kind: 'progress', word: 'not listed yet' };
  return shares === 0 ? { kind: 'waiting', word: 'empty' } : { kind: 'settled', word: 'in use' };
}

/** Asked before: what happens to the shares meanwhile. */
export const movesOnline =
  'The data moves within the backend. Pods go on reading and writing, and volumes keep their identifiers; nothing new is carved out of this instance meanwhile. Each move is listed in Under way and can be called off there.';
