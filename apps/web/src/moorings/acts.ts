import type { MooringRow, PlacementState } from '@moorage/contract/moorings';
import type { Strategy } from '@moorage/core/classes/storage-class';
import { ask } from '../api/client';
import { queryClient, refresh } from '../api/queries';
import { useAct } from '../parts/useAct';
import { changeClass } from '../classes/acts';
import { strategyWords } from '../classes/words';
import { mooringChange, orderChange, strategyChange, useDraft, withDraft } from './draft';
import type { Cell, MooringActs } from './Grid';

/** What this browser last heard or guessed; read when a change is really sent, since changes wait for one another. */
const live = (): PlacementState | undefined => queryClient.getQueryData<PlacementState>(['placement']);
const known = (): MooringRow[] => live()?.moorings ?? [];
const findIn = (moorings: readonly MooringRow[], { className, pool }: Cell) =>
  moorings.find((m) => m.className === className && m.pool === pool);
const orderIn = (moorings: readonly MooringRow[], className: string): string[] =>
  moorings
    .filter((m) => m.className === className)
    .sort((a, b) => a.order - b.order)
    .map((m) => m.pool);

function keep(change: (moorings: MooringRow[]) => MooringRow[]): void {
  queryClient.setQueryData<PlacementState>(['placement'], (s) => s && { ...s, moorings: change(s.moorings) });
}
export const refreshPlacement = () => refresh('placement');

/** Shows a change of one mooring at once, sends it, and keeps the server's answer with its new version. */
async function put(cell: Cell, body: { enabled?: boolean; weight?: number }): Promise<void> {
  const before = findIn(known(), cell);
  if (before) keep((all) => all.map((m) => (m === before ? { ...m, ...body } : m)));
  try {
    const after = await ask('setMooring', {
      params: { className: cell.className, pool: cell.pool },
      version: before?.version,
      body,
    });
    keep((all) => [...all.filter((m) => m.className !== cell.className || m.pool !== cell.pool), after]);
  } finally {
    void refreshPlacement();
  }
}

async function putOrder(className: string, pools: string[]): Promise<void> {
  keep((all) => all.map((m) => (m.className === className ? { ...m, order: pools.indexOf(m.pool) + 1 } : m)));
  try {
    const after = await ask('orderMoorings', { params: { className }, body: { pools } });
    keep((all) => [...all.filter((m) => m.className !== className), ...after]);
  } finally {
    void refreshPlacement();
  }
}

/** The order with one pool at the place of another, or one place further; undefined when nothing moves. */
function moved(order: readonly string[], pool: string, to: number): string[] | undefined {
  const at = order.indexOf(pool);
  if (at < 0 || to < 0 || to >= order.length || to === at) return undefined;
  const next = order.filter((p) => p !== pool);
  next.splice(to, 0, pool);
  return next;
}

/** Changes made at once, each with a way back. */
function useLiveActs(): Omit<MooringActs, 'find'> {
  const turn = useAct(async ({ className, pool, enabled }: Cell & { enabled: boolean }) => {
    await put({ className, pool }, { enabled });
    return {
      text: enabled
        ? `${className} may use ${pool}.`
        : `${className} no longer places new claims on ${pool}; volumes there stay.`,
      undo: () => put({ className, pool }, { enabled: !enabled }),
    };
  }, 'moorings');
  const order = useAct(async ({ className, pool, to }: Cell & { to: (order: readonly string[]) => number }) => {
    const before = orderIn(known(), className);
    const next = moved(before, pool, to(before));
    if (!next) return;
    await putOrder(className, next);
    return { text: `${className}: ${next.join(', then ')}.`, undo: () => putOrder(className, before) };
  }, 'moorings');
  const weigh = useAct(async ({ className, pool, weight }: Cell & { weight: number }) => {
    const before = findIn(known(), { className, pool })?.weight;
    await put({ className, pool }, { weight });
    return {
      text: `${pool} weighs ${weight} for ${className}.`,
      ...(before !== undefined && { undo: () => put({ className, pool }, { weight: before }) }),
    };
  }, 'moorings');
  const choose = useAct(async ({ className, strategy }: { className: string; strategy: Strategy }) => {
    const set = async (to: Strategy) => {
      const state = live()!;
      const cls = state.classes.find((c) => c.name === className)!;
      const asked = { ...cls, strategy: to, isDefault: state.defaultClass === className };
      const row = await changeClass(className, state.classVersions[className]!, asked);
      // the way back begins from the version that this change made
      queryClient.setQueryData<PlacementState>(
        ['placement'],
        (s) =>
          s && {
            ...s,
            classes: s.classes.map((c) => (c.name === className ? row.storageClass : c)),
            classVersions: { ...s.classVersions, [className]: row.version },
          },
      );
      return cls.strategy;
    };
    const before = await set(strategy);
    return { text: `${className} chooses ${strategyWords[strategy]}.`, undo: () => set(before) };
  }, 'moorings');
  return {
    choose: choose.mutate,
    turn: turn.mutate,
    move: ({ by, ...cell }) => order.mutate({ ...cell, to: (o) => o.indexOf(cell.pool) + by }),
    moveTo: ({ onto, ...cell }) => order.mutate({ ...cell, to: (o) => o.indexOf(onto) }),
    weigh: weigh.mutate,
  };
}

/** The same changes, collected in the draft. */
function useDraftActs(): Omit<MooringActs, 'find'> {
  const add = useDraft((s) => s.add);
  const now = () => {
    const state = live()!;
    return { state, drafted: withDraft(state, useDraft.getState().changes) };
  };
  const change = (cell: Cell, part: { enabled?: boolean; weight?: number }) => {
    const { state, drafted } = now();
    add(state, mooringChange(state, drafted, { className: cell.className, pool: cell.pool }, part));
  };
  const order = (cell: Cell, to: (order: readonly string[]) => number) => {
    const { state, drafted } = now();
    const before = orderIn(drafted.moorings, cell.className);
    const next = moved(before, cell.pool, to(before));
    if (next) add(state, orderChange(state, cell.className, next));
  };
  const choose = ({ className, strategy }: { className: string; strategy: Strategy }) => {
    const state = live()!;
    const changed = strategyChange(state, useDraft.getState().changes, className, strategy);
    if (changed) add(state, changed);
  };
  return {
    choose,
    turn: ({ enabled, ...cell }) => change(cell, { enabled }),
    weigh: ({ weight, ...cell }) => change(cell, { weight }),
    move: ({ by, ...cell }) => order(cell, (o) => o.indexOf(cell.pool) + by),
    moveTo: ({ onto, ...cell }) => order(cell, (o) => o.indexOf(onto)),
  };
}

/** What can be done with moorings: at once, or in the draft while one is being made. */
export function useMooringActs(state: PlacementState): MooringActs {
  const drafting = useDraft((s) => s.drafting);
  const [atOnce, inDraft] = [useLiveActs(), useDraftActs()];
  return { find: (cell) => findIn(state.moorings, cell), ...(drafting ? inDraft : atOnce) };
}
