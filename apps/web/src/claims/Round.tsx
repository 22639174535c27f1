import { Button, LinearProgress, Link, TextField, Typography } from '@mui/material';
import { DataGrid, type GridColDef } from '@mui/x-data-grid';
import type { ClaimRow } from '@moorage/contract/claims';
import type { Round as Begun, RoundChange, RoundPlan, RoundRow } from '@moorage/contract/rounds';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { useKeepLine } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { Size } from '../parts/Size';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { applicationLine } from './deletion-words';
import { RatesOf, SizeOf } from './RoundSettings';
import { actVerb, actWord, beginsWith, planSentence, rowSentence, type RoundAct } from './round-words';

export type Picked = Pick<ClaimRow, 'namespace' | 'name'>;

const columns: GridColDef<RoundRow>[] = [
  {
    field: 'verdict',
    headerName: '',
    width: 40,
    sortable: false,
    renderCell: ({ row }) => <Mark kind={row.refusal ? 'person' : 'settled'} />,
  },
  { field: 'namespace', headerName: 'Namespace', width: 130 },
  { field: 'name', headerName: 'Claim', width: 210, renderCell: ({ row }) => <strong>{row.name}</strong> },
  { field: 'pool', headerName: 'Pool', width: 130 },
  {
    field: 'from',
    headerName: 'Has',
    width: 90,
    align: 'right',
    headerAlign: 'right',
    renderCell: ({ row }) => <Size bytes={row.from} />,
  },
  {
    field: 'to',
    headerName: 'Then',
    width: 90,
    align: 'right',
    headerAlign: 'right',
    renderCell: ({ row }) => <Size bytes={row.to} />,
  },
  {
    field: 'used',
    headerName: 'Written',
    width: 90,
    align: 'right',
    headerAlign: 'right',
    valueGetter: (_v, row) => row.fate?.used ?? null,
    renderCell: ({ row }) => <Size bytes={row.fate?.used ?? null} />,
  },
  {
    field: 'sentence',
    headerName: 'What becomes of it, or why not',
    flex: 1,
    minWidth: 260,
    valueGetter: (_v, row) => rowSentence(row),
    renderCell: ({ row, value }: { row: RoundRow; value?: string }) => (
      <span title={value} style={{ fontWeight: row.refusal ? 600 : 400, overflow: 'hidden', textOverflow: 'ellipsis' }}>
        {value}
      </span>
    ),
  },
];

/** How far a round is that was begun; it can be left and found again under way. */
function Begun({ id }: { id: string }) {
  const keep = useKeepLine();
  const query = useQuery({
    queryKey: keys.operations.round(id),
    queryFn: () => ask('getRound', { params: { id } }),
  });
  return (
    <Fetched query={query}>
      {({ done, waiting, refused }: Begun) => {
        const all = done + waiting + refused.length;
        return (
          <Column gap={1} aria-live="polite">
            <Typography variant="body1">
              {waiting > 0
                ? `${done + refused.length} of ${all} claims asked for.`
                : all === 1
                  ? 'The claim was asked for.'
                  : `All ${all} claims were asked for.`}{' '}
              <Link component={RouterLink} to={keep('/under-way')}>
                Under way
              </Link>{' '}
              shows what is still being done.
            </Typography>
            {waiting > 0 && (
              <LinearProgress
                variant="determinate"
                value={(100 * (all - waiting)) / all}
                aria-label="How far the round is"
              />
            )}
            {refused.map(({ namespace, name, detail }) => (
              <Row key={`${namespace}/${name}`} align="baseline">
                <Mark kind="person" />
                <span>
                  {namespace}/{name} was refused: {detail}
                </span>
              </Row>
            ))}
          </Column>
        );
      }}
    </Fetched>
  );
}

/** Whether a change says all that it has to, to be reckoned. */
function isWhole(change: RoundChange): boolean {
  if (change.kind === 'delete' || change.kind === 'tune') return true;
  const size = parseQuantity(change.kind === 'grow' ? change.to : change.by);
  return size.ok && size.bytes > 0;
}

/** One change of many claims: what it brings about claim by claim, before it is begun. */
export function Round({
  act,
  claims,
  close,
  back = 'Back to the list',
}: {
  act: RoundAct;
  claims: readonly Picked[];
  close: () => void;
  /** What closing leads to. */
  back?: string;
}) {
  const [change, setChange] = useState<RoundChange | undefined>(beginsWith[act]);
  const [typed, setTyped] = useState('');
  const [begun, setBegun] = useState<string>();
  const isAsked = change !== undefined && isWhole(change);
  const named = claims.map(({ namespace, name }) => ({ namespace, name }));
  const query = useQuery({
    queryKey: keys.round(named.map((c) => `${c.namespace}/${c.name}`).join(' '), change),
    queryFn: () => ask('planRound', { body: { claims: named, change: change! } }),
    enabled: isAsked && !begun,
    placeholderData: keepPreviousData,
  });
  const begin = useAct(async (plan: RoundPlan) => {
    const round = await ask('beginRound', {
      body: { claims: named, change: change!, ...(plan.confirm !== null && { confirm: typed }) },
    });
    setBegun(round.id);
    void refresh('claims', 'operations');
    return { text: `${actWord(act, plan.goes)}: begun.` };
  });
  const isFresh = !query.isPlaceholderData && isAsked;
  return (
    <Sheet role="region" aria-label={`${actVerb[act]} many claims`}>
      <Row gap={1.5} align="flex-start" sx={{ mb: 1 }}>
        <Typography variant="h2" sx={{ pt: 0.75 }}>
          {actWord(act, claims.length)}
        </Typography>
        {!begun && act === 'tune' && <RatesOf set={setChange} />}
        {!begun && (change?.kind === 'grow' || change?.kind === 'grow-by') && (
          <SizeOf change={change} set={setChange} />
        )}
        <Fill />
        <Button onClick={close}>{back}</Button>
      </Row>
      {begun && <Begun id={begun} />}
      {!begun && isAsked && (
        <Fetched query={query}>
          {(plan) => (
            <Column gap={1}>
              <Row gap={1.5} align="center" wraps>
                <Fill aria-live="polite">
                  <Mark kind={plan.goes === 0 ? 'person' : plan.destroyed > 0 ? 'degraded' : 'settled'} />{' '}
                  {planSentence(act, plan)}
                </Fill>
                {plan.confirm !== null && (
                  <TextField
                    label={`Type "${plan.confirm}" to destroy their data`}
                    value={typed}
                    onChange={(e) => setTyped(e.target.value)}
                    sx={{ width: 300 }}
                  />
                )}
                <Button
                  variant="contained"
                  disabled={
                    !isFresh || plan.goes === 0 || (plan.confirm !== null && typed !== plan.confirm) || begin.isPending
                  }
                  onClick={() => begin.mutate(plan)}
                >
                  {actWord(act, plan.goes)}
                </Button>
              </Row>
              {plan.applications.map((application) => {
                const { mark, text } = applicationLine(application);
                return (
                  <Row
                    key={`${application.namespace}/${application.application}`}
                    align="baseline"
                    sx={{ fontSize: 13 }}
                  >
                    <Mark kind={mark} />
                    <span>{text}</span>
                  </Row>
                );
              })}
              <DataGrid<RoundRow>
                rows={plan.rows}
                columns={columns}
                getRowId={(row) => `${row.namespace}/${row.name}`}
                columnVisibilityModel={{ from: act !== 'tune', to: act === 'grow', used: act === 'delete' }}
                density="compact"
                rowHeight={30}
                columnHeaderHeight={34}
                disableColumnMenu
                disableRowSelectionOnClick
                hideFooter
                sx={{ height: 430 }}
                aria-label="What becomes of each claim"
              />
            </Column>
          )}
        </Fetched>
      )}
    </Sheet>
  );
}
