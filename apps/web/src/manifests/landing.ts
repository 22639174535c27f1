import type { ManifestPlan } from '@moorage/contract/manifests';
import type { PlacementState } from '@moorage/contract/moorings';
import { GiB } from '@moorage/core/sizes/bytes';
import type { RefusedBy } from '@moorage/core/placement/batch';
import { landTogether, type Landed } from '../claims/set-landing';
import { poolLines } from '../classes/pool-lines';

/** Where a new claim of a text would land. */
export type Landing =
  | {
      readonly kind: 'lands';
      readonly pool: string;
      /** Of a month, in the currency of the prices; null where the pool has none. */
      readonly price: number | null;
      /** Only once its first pod is scheduled. */
      readonly waits: boolean;
    }
  | { readonly kind: 'no-class' | 'unmoored' }
  /** The pool by its name. */
  | ({ readonly kind: 'refused' } & RefusedBy);

/** By the place of the object in the plan; nothing of claims whose class is not one of ours. */
export type TextLanding = ReadonlyMap<number, Landing>;

/** Claims that are placed beforehand; of more in one text nothing is said. */
const mostPlaced = 500;

/** Where all new claims of a text would land, each after those before it. */
export function landText(state: PlacementState, { objects }: ManifestPlan): TextLanding {
  const made = new Set(objects.filter((o) => o.kind === 'StorageClass' && o.fate === 'new').map((o) => o.name));
  const asking = objects.flatMap(({ asked, namespace }, at) => {
    if (!asked) return [];
    const { size, mode, volumeMode, tuned } = asked;
    const tried = { size, mode, volumeMode, namespace: namespace ?? '', zone: '', ...(tuned && { tuned }) };
    return [{ at, size, className: asked.className ?? state.defaultClass ?? '', tried }];
  });
  if (asking.length > mostPlaced) return new Map();
  const landed = landTogether(state, asking);
  const nameOf = (id: string) => state.pools.find((p) => p.id === id)?.name ?? id;
  const lines = new Map<string, ReturnType<typeof poolLines>>();
  const landingOf = ({ className, size }: (typeof asking)[number], at: Landed | undefined): Landing | undefined => {
    if (className === '') return { kind: 'no-class' };
    // a class that the text itself makes is moored to nothing yet
    if (at === undefined) return made.has(className) ? { kind: 'unmoored' } : undefined;
    if (at.refusedBy) return { kind: 'refused', ...at.refusedBy, pool: nameOf(at.refusedBy.pool) };
    if (at.pool === null) return { kind: 'unmoored' };
    const cls = state.classes.find((c) => c.name === className)!;
    const pool = nameOf(at.pool);
    if (!lines.has(className)) lines.set(className, poolLines(cls, state));
    const per100GiB = lines.get(className)!.find((l) => l.pool === pool)?.price ?? null;
    const price = per100GiB === null ? null : (per100GiB * size) / (100 * GiB);
    return { kind: 'lands', pool, price, waits: cls.binding === 'WaitForFirstConsumer' };
  };
  const of = new Map<number, Landing>();
  asking.forEach((claim, i) => {
    const landing = landingOf(claim, landed[i]);
    if (landing) of.set(claim.at, landing);
  });
  return of;
}
