import type { Bytes } from '../sizes/bytes';
import { formatQuantity, parseQuantity } from '../sizes/quantity';

/** What a namespace may be limited in: provisioned bytes, claims, snapshots, reserved IOPS. */
export const limitMeasures = ['bytes', 'claims', 'snapshots', 'iops'] as const;
export type LimitMeasure = (typeof limitMeasures)[number];

/** One limit; `className` is empty for the namespace as a whole. Snapshots are limited as a whole only. */
export interface SetLimit {
  readonly className: string;
  readonly of: LimitMeasure;
  readonly amount: number;
}

/** Items of the platform's quota object (`spec.hard` of a ResourceQuota), each with its quantity. */
export type Hard = Readonly<Record<string, string>>;

const wholeItems: Readonly<Record<string, LimitMeasure>> = {
  'requests.storage': 'bytes',
  persistentvolumeclaims: 'claims',
  'count/volumesnapshots.snapshot.storage.k8s.io': 'snapshots',
};
const itemOf = Object.fromEntries(Object.entries(wholeItems).map(([item, of]) => [of, item]));
const ofClass = '.storageclass.storage.k8s.io/';

/** The item of a limit; undefined for what the platform cannot be told: it knows no IOPS. */
function named({ className, of }: Pick<SetLimit, 'className' | 'of'>): string | undefined {
  const item = itemOf[of];
  if (item === undefined || className === '') return item;
  return of === 'snapshots' ? undefined : `${className}${ofClass}${item}`;
}

/** The limits as the platform's quota object says them, in the order of its items. */
export function hardOf(limits: readonly SetLimit[]): Hard {
  const items = limits.flatMap((limit): [string, string][] => {
    const item = named(limit);
    if (item === undefined) return [];
    return [[item, limit.of === 'bytes' ? formatQuantity(limit.amount as Bytes) : String(limit.amount)]];
  });
  return Object.fromEntries(items.sort(([a], [b]) => (a < b ? -1 : 1)));
}

function limitIn(item: string, text: string): SetLimit | undefined {
  const at = item.indexOf(ofClass);
  const of = wholeItems[at < 0 ? item : item.slice(at + ofClass.length)];
  if (of === undefined || (at >= 0 && of === 'snapshots')) return undefined;
  const amount = parseQuantity(text);
  // a fraction of a byte or of a claim is no limit that anybody meant
  return amount.ok ? { className: at < 0 ? '' : item.slice(0, at), of, amount: amount.bytes } : undefined;
}

/** The limits that a quota object says; items about other things, and quantities that cannot be read, say none. */
export const limitsIn = (hard: Hard): SetLimit[] =>
  Object.entries(hard).flatMap(([item, text]) => limitIn(item, text) ?? []);

/** The same object with nothing but those items, each quantity in one way of writing: two that say the same are equal. */
export const plainHard = (hard: Hard): Hard => hardOf(limitsIn(hard));

/** Whether two say the same, in whatever order: what is kept in between keeps none. */
export const sameHard = (a: Hard, b: Hard): boolean => {
  const items = Object.keys(a);
  return items.length === Object.keys(b).length && items.every((item) => a[item] === b[item]);
};

export type Settling =
  /** Both say the same. */
  | { readonly kind: 'agreed' }
  /** Ours is to be written there; `passedOver` when it was changed there as well. */
  | { readonly kind: 'write'; readonly passedOver: boolean }
  /** It was changed there: these are the limits now. */
  | { readonly kind: 'take'; readonly limits: readonly SetLimit[] };

/**
 * Which of two is right, by what both said last (`agreed`; null before anything was): what was changed alone is. Where both were,
 * ours is, since somebody decided it here. An object that is gone there is written again: a limit ends where it is taken away.
 */
export function settle(ours: Hard, agreed: Hard | null, theirs: Hard | null): Settling {
  const there = theirs === null ? null : plainHard(theirs);
  if (there !== null ? sameHard(ours, there) : Object.keys(ours).length === 0) return { kind: 'agreed' };
  if (there === null) return { kind: 'write', passedOver: false };
  const theyChanged = agreed !== null && !sameHard(agreed, there);
  if (theyChanged && sameHard(ours, agreed)) return { kind: 'take', limits: limitsIn(there) };
  return { kind: 'write', passedOver: theyChanged };
}
