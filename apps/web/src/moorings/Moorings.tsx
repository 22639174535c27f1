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

const mooringPath = (m: Pick<MooringRow, 'className' | 'pool'>) => `/api/moorings/${m.className}/${m.pool}`;

/** Shows a change of moorings at once; the server's answer or the live change corrects it. */
function guess(change: (moorings: MooringRow[]) => MooringRow[]): void {
  queryClient.setQueryData<PlacementState>(['placement'], (s) => s && { ...s, moorings: change(s.moorings) });
}
const refresh = () => queryClient.invalidateQueries({ queryKey: ['placement'] });

function useMooringActs(state: PlacementState) {
  const find = ({ className, pool }: Cell) => state.moorings.find((m) => m.className === className && m.pool === pool);
  const orderOf = (className: string) =>
    state.moorings
      .filter((m) => m.className === className)
      .sort((a, b) => a.order - b.order)
      .map((m) => m.pool);
  const putOrder = async (className: string, pools: string[]) => {
    guess((all) => all.map((m) => (m.className === className ? { ...m, order: pools.indexOf(m.pool) + 1 } : m)));
    await call(`/api/moorings/${className}`, { method: 'PUT', body: { pools } }).finally(refresh);
  };
  const turn = useAct(async ({ className, pool, enabled }: Cell & { enabled: boolean }) => {
    const before = find({ className, pool });
    if (before) guess((all) => all.map((m) => (m === before ? { ...m, enabled } : m)));
    await call(mooringPath({ className, pool }), {
      method: 'PUT',
      version: before?.version,
      body: { enabled },
    }).finally(refresh);
    return {
      text: enabled
        ? `${className} may use ${pool}.`
        : `${className} no longer places new claims on ${pool}; volumes there stay.`,
      undo: () =>
        void call(mooringPath({ className, pool }), { method: 'PUT', body: { enabled: !enabled } }).finally(refresh),
    };
  });
  const move = useAct(async ({ className, pool, by }: Cell & { by: -1 | 1 }) => {
    const order = orderOf(className);
    const at = order.indexOf(pool);
    const to = at + by;
    if (at < 0 || to < 0 || to >= order.length) return;
    const next = [...order];
    next.splice(at, 1);
    next.splice(to, 0, pool);
    await putOrder(className, next);
    return { text: `${className}: ${next.join(', then ')}.`, undo: () => void putOrder(className, order) };
  });
  const weigh = useAct(async ({ className, pool, weight }: Cell & { weight: number }) => {
    await call(mooringPath({ className, pool }), {
      method: 'PUT',
      version: find({ className, pool })?.version,
      body: { weight },
    }).finally(refresh);
  });
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
