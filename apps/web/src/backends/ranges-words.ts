import type { Readiness } from '@moorage/contract/readiness';
import type { MarkKind } from '../marks/Mark';

type Ranges = NonNullable<Readiness['backends'][number]['ranges']>;

/** Ranges are of the fourth version only. */
export const isRangeable = (address: string): boolean => address.includes('.');

/** The address of a block that holds one alone, of the fourth version. */
export const singleOf = (block: string): string | undefined => /^([\d.]+)\/32$/.exec(block)?.[1];

/** Strangers as a count; very many as a power of two. */
export function strangersText(count: string): string {
  const strangers = BigInt(count);
  if (strangers === 0n) return 'no stranger';
  if (strangers === 1n) return '1 stranger';
  if (strangers < 1_000_000n) return `${Number(strangers).toLocaleString('en-GB')} strangers`;
  return `about 2^${strangers.toString(2).length - 1} strangers`;
}

export function rangesMark({ missing, strangers }: Ranges): MarkKind {
  if (missing.length > 0) return 'person';
  return strangers === '0' ? 'settled' : 'degraded';
}

/** What is let in now, and who is not. */
export function rangesSentence({ missing, strangers }: Ranges): string {
  const open = strangers === '0' ? 'No stranger may mount.' : `Lets in ${strangersText(strangers)} that no node has.`;
  if (missing.length === 0) return `Every node may mount. ${open}`;
  const some = missing.slice(0, 3).join(', ');
  const more = missing.length > 3 ? ` and ${missing.length - 3} more` : '';
  return `Misses ${some}${more}. ${open}`;
}

/** The first few, and how many more. */
export const shortList = (blocks: readonly string[]): string =>
  blocks.length <= 3 ? blocks.join(', ') : `${blocks.slice(0, 3).join(', ')} and ${blocks.length - 3} more`;

/** What matching the nodes does. */
export function matchWords(missing: number, idle: number): string {
  const parts = [...(missing > 0 ? [`add ${missing}`] : []), ...(idle > 0 ? [`take away ${idle}`] : [])];
  return parts.join(', ');
}
