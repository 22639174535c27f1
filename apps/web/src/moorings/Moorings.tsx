import { Button, Paper, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import type { DraftedChange, PlacementState } from '@moorage/contract/moorings';
import { useMemo, useState } from 'react';
import { usePlacement } from '../api/queries';
import { useGo, useInAddress } from '../frame/address';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { useMooringActs } from './acts';
import { CellWhy } from './CellWhy';
import { useDraft, withDraft } from './draft';
import { DraftPanel } from './DraftPanel';
import { Grid, grouped, type Cell } from './Grid';
import { Shores } from './Shores';
import { useTriedClaim } from './TryClaim';
import { useTrial } from './useTrial';
import { Column } from '../parts/layout';

/** Cells of the grid that a draft changes. */
function changedCells(changes: readonly DraftedChange[], state: PlacementState): ReadonlySet<string> {
  const cells = changes.flatMap((c) =>
    c.kind === 'mooring'
      ? [`${c.className}/${c.pool}`]
      : c.kind === 'order'
        ? c.pools.filter((p, i) => c.seen[i] !== p).map((p) => `${c.className}/${p}`)
        : c.kind === 'class'
          ? state.pools.map((p) => `${c.storageClass.name}/${p.id}`)
          : [],
  );
  return new Set(cells);
}

function Board({ live }: { live: PlacementState }) {
  const may = useMay('administrator', 'operator');
  const { drafting, changes } = useDraft();
  const state = useMemo(() => (drafting ? withDraft(live, changes) : live), [live, drafting, changes]);
  const [cell, setCell] = useState<Cell>(() => ({
    className: state.classes[0]?.name ?? '',
    pool: grouped(state)[0]?.id ?? '',
  }));
  const { tried, fields } = useTriedClaim(state, cell.className);
  const trial = useTrial(state, tried, cell, live);
  const acts = useMooringActs(state);
  const changed = useMemo(
    () => (drafting ? changedCells(changes, live) : new Set<string>()),
    [drafting, changes, live],
  );
  if (state.classes.length === 0)
    return (
      <Empty title="There is no storage class yet">Make one in Classes; then choose here which pools it may use.</Empty>
    );
  if (state.pools.length === 0)
    return <Empty title="No pool is known yet">As soon as a backend answers, its pools appear here.</Empty>;
  return (
    <Column gap={1.25} sx={{ height: '100%' }}>
      {fields}
      {drafting && may && <DraftPanel compared={trial.compared} />}
      <Paper sx={{ overflow: 'auto', flex: 'none', maxHeight: '55%' }}>
        <Grid
          state={state}
          answers={tried ? trial.answers : undefined}
          outlooks={trial.outlooks}
          changed={changed}
          cell={cell}
          setCell={setCell}
          mayChange={may}
          {...acts}
        />
      </Paper>
      <Paper sx={{ flex: 1, minHeight: 150, overflow: 'auto' }}>
        <CellWhy
          state={state}
          cell={cell}
          readable={tried !== undefined}
          answer={tried && trial.answers?.[cell.className]}
          explained={tried && trial.explained}
          namespace={tried?.namespace ?? ''}
          mayChange={may}
          {...acts}
        />
      </Paper>
    </Column>
  );
}

export default function Moorings() {
  const query = usePlacement();
  const go = useGo();
  const may = useMay('administrator', 'operator');
  const [view, setView] = useInAddress('view', 'grid');
  const { drafting, changes, setDrafting } = useDraft();
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
      actions={
        <>
          {may && view === 'grid' && (
            <ToggleButtonGroup
              exclusive
              size="small"
              value={drafting ? 'draft' : 'once'}
              aria-label="Changes are made"
              onChange={(_e, v: string | null) => v && setDrafting(v === 'draft')}
            >
              <ToggleButton value="once">at once</ToggleButton>
              <ToggleButton value="draft">
                {changes.length > 0 ? `as a draft (${changes.length})` : 'as a draft'}
              </ToggleButton>
            </ToggleButtonGroup>
          )}
          <ToggleButtonGroup
            exclusive
            size="small"
            value={view}
            aria-label="View"
            onChange={(_e, v: string | null) => v && setView(v)}
          >
            <ToggleButton value="grid">grid</ToggleButton>
            <ToggleButton value="shores">two shores</ToggleButton>
          </ToggleButtonGroup>
          {may && <Button onClick={() => go('/moorings/batch')}>Fit a batch</Button>}
        </>
      }
    >
      <Fetched query={query}>
        {(state) =>
          view === 'shores' ? (
            <Paper>
              <Shores state={state} />
            </Paper>
          ) : (
            <Board live={state} />
          )
        }
      </Fetched>
    </Place>
  );
}
