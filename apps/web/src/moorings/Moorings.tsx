import { Box, Paper, Typography } from '@mui/material';
import type { MooringRow, PlacementState } from '@moorage/contract/moorings';
import { useState } from 'react';
import { call } from '../api/client';
import { queryClient, usePlacement } from '../api/queries';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { CellWhy } from './CellWhy';
import { Grid, type Cell } from './Grid';
import { useTriedClaim } from './TryClaim';
import { useTrial } from './useTrial';

const mooringPath = (m: Cell) => `/api/moorings/${m.className}/${m.pool}`;

/** What this browser last heard or guessed; read when a change is really sent, since changes wait for one another. */
const known = (): MooringRow[] => queryClient.getQueryData<PlacementState>(['placement'])?.moorings ?? [];
const findKnown = ({ className, pool }: Cell) => known().find((m) => m.className === className && m.pool === pool);

function keep(change: (moorings: MooringRow[]) => MooringRow[]): void {
  queryClient.setQueryData<PlacementState>(['placement'], (s) => s && { ...s, moorings: change(s.moorings) });
}
const refresh = () => queryClient.invalidateQueries({ queryKey: ['placement'] });

/** Shows a change of one mooring at once, sends it, and keeps the server's answer with its new version. */
async function put(cell: Cell, body: { enabled?: boolean; weight?: number }): Promise<void> {
  const before = findKnown(cell);
  if (before) keep((all) => all.map((m) => (m === before ? { ...m, ...body } : m)));
  try {
    const after = await call<MooringRow>(mooringPath(cell), { method: 'PUT', version: before?.version, body });
    keep((all) => [...all.filter((m) => m.className !== cell.className || m.pool !== cell.pool), after]);
  } finally {
    void refresh();
  }
}

async function putOrder(className: string, pools: string[]): Promise<void> {
  keep((all) => all.map((m) => (m.className === className ? { ...m, order: pools.indexOf(m.pool) + 1 } : m)));
  try {
    const after = await call<MooringRow[]>(`/api/moorings/${className}`, { method: 'PUT', body: { pools } });
    keep((all) => [...all.filter((m) => m.className !== className), ...after]);
  } finally {
    void refresh();
  }
}

function useMooringActs(state: PlacementState) {
  const find = ({ className, pool }: Cell) => state.moorings.find((m) => m.className === className && m.pool === pool);
  const turn = useAct(async ({ className, pool, enabled }: Cell & { enabled: boolean }) => {
    await put({ className, pool }, { enabled });
    return {
      text: enabled
        ? `${className} may use ${pool}.`
        : `${className} no longer places new claims on ${pool}; volumes there stay.`,
      undo: () => void put({ className, pool }, { enabled: !enabled }),
    };
  }, 'moorings');
  const move = useAct(async ({ className, pool, by }: Cell & { by: -1 | 1 }) => {
    const order = known()
      .filter((m) => m.className === className)
      .sort((a, b) => a.order - b.order)
      .map((m) => m.pool);
    const at = order.indexOf(pool);
    const to = at + by;
    if (at < 0 || to < 0 || to >= order.length) return;
    const next = [...order];
    next.splice(at, 1);
    next.splice(to, 0, pool);
    await putOrder(className, next);
    return { text: `${className}: ${next.join(', then ')}.`, undo: () => void putOrder(className, order) };
  }, 'moorings');
  const weigh = useAct(
    async ({ className, pool, weight }: Cell & { weight: number }) => put({ className, pool }, { weight }),
    'moorings',
  );
  return { find, turn: turn.mutate, move: move.mutate, weigh: weigh.mutate };
}

function Board({ state }: { state: PlacementState }) {
  const may = useMay('administrator', 'operator');
  const { tried, fields } = useTriedClaim(state);
  const answers = useTrial(state, tried);
  const [cell, setCell] = useState<Cell>(() => ({
    className: state.classes[0]?.name ?? '',
    pool: state.pools[0]?.id ?? '',
  }));
  const acts = useMooringActs(state);
  if (state.classes.length === 0)
    return (
      <Empty title="There is no storage class yet">Make one in Classes; then choose here which pools it may use.</Empty>
    );
  if (state.pools.length === 0)
    return <Empty title="No pool is known yet">As soon as a backend answers, its pools appear here.</Empty>;
  return (
    <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1.5, height: '100%' }}>
      {fields}
      <Paper sx={{ overflow: 'auto', flex: 'none', maxHeight: '55%' }}>
        <Grid
          state={state}
          answers={tried ? answers : undefined}
          cell={cell}
          setCell={setCell}
          mayChange={may}
          {...acts}
        />
      </Paper>
      <Paper sx={{ flex: 1, minHeight: 160, overflow: 'auto' }}>
        <CellWhy state={state} cell={cell} answer={tried && answers?.[cell.className]} mayChange={may} {...acts} />
      </Paper>
    </Box>
  );
}

export default function Moorings() {
  const query = usePlacement();
  return (
    <Place
      title="Moorings"
      question={
        <>
          Which pools may a class use, in which order, and where would a claim land?{' '}
          <Typography component="span" variant="caption">
            A mooring is the link that lets one class use one pool.
          </Typography>
        </>
      }
    >
      <Fetched query={query}>{(state) => <Board state={state} />}</Fetched>
    </Place>
  );
}
