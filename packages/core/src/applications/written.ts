import { prefix } from '../classes/manifest';

/** Where a pod may tell what its volumes hold: JSON, by claim a list of "writes:fingerprint", the last of them first. */
export const dataAnnotation = `${prefix}data`;

/** So many writes were acknowledged, and this is the fingerprint of all of them. */
export interface Written {
  readonly writes: number;
  readonly fingerprint: string;
}

const entry = /^(\d{1,15}):([0-9a-zA-Z]{8,128})$/;
/** Claims and entries of one annotation that are read. */
const most = 64;

/** What a pod tells of its claims; of what nobody can read, nothing. */
export function writtenIn(text: unknown): Readonly<Record<string, readonly Written[]>> {
  if (typeof text !== 'string') return {};
  let told: unknown;
  try {
    told = JSON.parse(text);
  } catch {
    return {};
  }
  if (typeof told !== 'object' || told === null) return {};
  return Object.fromEntries(
    Object.entries(told)
      .slice(0, most)
      .flatMap(([claim, list]) => {
        const read = (typeof list === 'string' ? list.split(/\s+/, most) : []).flatMap((word): Written[] => {
          const [, writes, fingerprint] = entry.exec(word) ?? [];
          return writes === undefined ? [] : [{ writes: Number(writes), fingerprint: fingerprint! }];
        });
        return read.length > 0 ? [[claim, read.toSorted((a, b) => b.writes - a.writes)]] : [];
      }),
  );
}

/**
 * How what is there compares with what was: all of it and nothing else; all of it, and more was written since; fewer writes than
 * there were; other data at the same count; or nobody can say, since what is told does not reach back so far.
 */
export const comparisons = ['same', 'continued', 'short', 'other', 'unknown'] as const;
export type Comparison = (typeof comparisons)[number];

/** Compares what is told after a way with what was told before it (docs/calculations.md, Whether the data is the same). */
export function compareWritten(before: readonly Written[], after: readonly Written[]): Comparison {
  const [was] = before;
  const [is] = after;
  if (!was || !is) return 'unknown';
  if (is.writes < was.writes) return 'short';
  const then = after.find((w) => w.writes === was.writes);
  if (!then) return 'unknown';
  if (then.fingerprint !== was.fingerprint) return 'other';
  return is.writes === was.writes ? 'same' : 'continued';
}
