import type { Conflict, DraftedChange, MooringRow, PlacementState } from '@moorage/contract/moorings';
import type { StorageClass, Strategy } from '@moorage/core/classes/storage-class';
import { carriedOver, differences } from '@moorage/core/classes/succession';
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

type MooringDraft = Extract<DraftedChange, { kind: 'mooring' }>;
type OrderDraft = Extract<DraftedChange, { kind: 'order' }>;

/** What a change is about: a later one about the same takes the place of an earlier one. */
export const keyOf = (change: DraftedChange): string => {
  switch (change.kind) {
    case 'mooring':
      return `mooring ${change.className}/${change.pool}`;
    case 'order':
      return `order ${change.className}`;
    case 'default':
      return 'default';
    case 'class':
    case 'class-change':
      return `class ${change.storageClass.name}`;
  }
};

const ordered = (moorings: readonly MooringRow[], className: string): MooringRow[] =>
  moorings.filter((m) => m.className === className).sort((a, b) => a.order - b.order);

/** The live state as it would be with the draft applied. */
export function withDraft(state: PlacementState, changes: readonly DraftedChange[]): PlacementState {
  let { classes, moorings, defaultClass } = state;
  for (const change of changes) {
    if (change.kind === 'class') {
      const { isDefault: _isDefault, ...storageClass } = change.storageClass;
      if (!classes.some((c) => c.name === storageClass.name)) classes = [...classes, storageClass];
    } else if (change.kind === 'class-change') {
      const { isDefault: _isDefault, ...storageClass } = change.storageClass;
      classes = classes.map((c) => (c.name === storageClass.name ? carriedOver(change.was, storageClass, c) : c));
    } else if (change.kind === 'default') defaultClass = change.className;
    else if (change.kind === 'mooring') {
      const { className, pool, enabled, weight } = change;
      const before = moorings.find((m) => m.className === className && m.pool === pool);
      const last = Math.max(0, ...ordered(moorings, className).map((m) => m.order));
      const after = before
        ? { ...before, enabled, weight }
        : { className, pool, enabled, weight, order: last + 1, version: 0 };
      moorings = before ? moorings.map((m) => (m === before ? after : m)) : [...moorings, after];
    }
  }
  for (const change of changes)
    if (change.kind === 'order')
      moorings = moorings.map((m) => {
        const at = change.pools.indexOf(m.pool);
        return m.className === change.className && at >= 0 ? { ...m, order: at + 1 } : m;
      });
  return { ...state, classes, moorings, defaultClass };
}

/** The draft with one more change; a change that leads back to what is there goes. `live` is the state without the draft. */
export function added(
  changes: readonly DraftedChange[],
  live: PlacementState,
  change: DraftedChange,
): readonly DraftedChange[] {
  const key = keyOf(change);
  const earlier = changes.find((c) => keyOf(c) === key);
  // what was seen when the thing was first touched is what the draft is held against
  const seen =
    earlier && 'seen' in earlier ? { seen: earlier.seen, ...('was' in earlier && { was: earlier.was }) } : {};
  const merged = { ...change, ...seen } as DraftedChange;
  const others = changes.filter((c) => c !== earlier);
  return leadsNowhere(live, others, merged) ? others : [...others, merged];
}

function leadsNowhere(live: PlacementState, others: readonly DraftedChange[], change: DraftedChange): boolean {
  if (change.kind === 'mooring') {
    const now = live.moorings.find((m) => m.className === change.className && m.pool === change.pool);
    return now ? now.enabled === change.enabled && now.weight === change.weight : !change.enabled;
  }
  if (change.kind === 'order') {
    const now = ordered(withDraft(live, others).moorings, change.className).map((m) => m.pool);
    return JSON.stringify(now) === JSON.stringify(change.pools);
  }
  if (change.kind === 'class-change') {
    const now = live.classes.find((c) => c.name === change.storageClass.name);
    return now !== undefined && differences(now, change.storageClass).length === 0;
  }
  return change.kind === 'default' && live.defaultClass === change.className;
}

export function mooringChange(
  live: PlacementState,
  drafted: PlacementState,
  at: { className: string; pool: string },
  part: Partial<Pick<MooringDraft, 'enabled' | 'weight'>>,
): MooringDraft {
  const find = (state: PlacementState) =>
    state.moorings.find((m) => m.className === at.className && m.pool === at.pool);
  const now = find(drafted);
  return {
    kind: 'mooring',
    ...at,
    enabled: part.enabled ?? now?.enabled ?? true,
    weight: part.weight ?? now?.weight ?? 1,
    seen: find(live)?.version ?? null,
  };
}

/** Another strategy for a class: of one that the draft itself makes, or of one that is there. */
export function strategyChange(
  live: PlacementState,
  changes: readonly DraftedChange[],
  className: string,
  strategy: Strategy,
): DraftedChange | undefined {
  const made = changes.find((c) => c.kind === 'class' && c.storageClass.name === className);
  if (made?.kind === 'class') return { ...made, storageClass: { ...made.storageClass, strategy } };
  const now = withDraft(live, changes).classes.find((c) => c.name === className);
  const was = live.classes.find((c) => c.name === className);
  return (
    now &&
    was && {
      kind: 'class-change',
      storageClass: { ...now, strategy, isDefault: live.defaultClass === className },
      was: { ...was, isDefault: live.defaultClass === className },
      seen: live.classVersions[className] ?? '',
    }
  );
}

export const orderChange = (live: PlacementState, className: string, pools: string[]): OrderDraft => ({
  kind: 'order',
  className,
  pools,
  seen: ordered(live.moorings, className).map((m) => m.pool),
});

/** The change held against what somebody else made of the thing meanwhile: mine is meant all the same. */
export function rebased(change: DraftedChange, { now }: Conflict): DraftedChange {
  switch (change.kind) {
    case 'mooring':
      return { ...change, seen: (now as { version: number } | null)?.version ?? null };
    case 'order': {
      const there = now as string[];
      // pools that came meanwhile go last, pools that went are left out
      const pools = [
        ...change.pools.filter((p) => there.includes(p)),
        ...there.filter((p) => !change.pools.includes(p)),
      ];
      return { ...change, pools, seen: there };
    }
    case 'default':
      return { ...change, seen: now as string | null };
    case 'class-change': {
      const { version, storageClass } = now as { version: string; storageClass: StorageClass };
      return {
        ...change,
        storageClass: carriedOver(change.was, change.storageClass, storageClass),
        was: { ...storageClass, isDefault: change.was.isDefault },
        seen: version,
      };
    }
    case 'class':
      return change;
  }
}

interface DraftStore {
  /** Whether changes are collected or made at once. */
  readonly drafting: boolean;
  readonly changes: readonly DraftedChange[];
  readonly conflicts: readonly Conflict[];
  setDrafting(drafting: boolean): void;
  add(live: PlacementState, change: DraftedChange): void;
  drop(change: DraftedChange): void;
  setConflicts(conflicts: readonly Conflict[]): void;
  keepMine(conflict: Conflict): void;
  clear(): void;
}

/** The draft of this browser. It outlives the page: what was planned is found again. */
export const useDraft = create<DraftStore>()(
  persist(
    (set) => ({
      drafting: false,
      changes: [],
      conflicts: [],
      setDrafting: (drafting) => set({ drafting }),
      add: (live, change) => set(({ changes }) => ({ changes: added(changes, live, change), conflicts: [] })),
      drop: (change) => set(({ changes }) => ({ changes: changes.filter((c) => c !== change), conflicts: [] })),
      setConflicts: (conflicts) => set({ conflicts }),
      keepMine: (conflict) =>
        set(({ changes, conflicts }) => ({
          changes: changes.map((c, i) => (i === conflict.index ? rebased(c, conflict) : c)),
          conflicts: conflicts.filter((c) => c !== conflict),
        })),
      clear: () => set({ changes: [], conflicts: [] }),
    }),
    { name: 'moorage-draft', partialize: ({ drafting, changes }) => ({ drafting, changes }) },
  ),
);
