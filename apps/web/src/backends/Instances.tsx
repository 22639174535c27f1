import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { BackendRow, PoolRow } from '@moorage/contract/backends';
import type { Carving } from '@moorage/contract/instances';
import { useContext, useState } from 'react';
import { useCarving } from '../api/cluster-queries';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { MarkedWord } from '../marks/Mark';
import { Confirm } from '../parts/Confirm';
import { Copyable } from '../parts/Copyable';
import { Column, Plain, Row } from '../parts/layout';
import { PersonContext } from '../parts/person';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { Filled } from './Filled';
import { carvingSentence, freeingSentence, movesOnline, stateOf, type InstanceRow } from './instances-words';

/** Rows drawn at once; a pool may be sold in thousands. */
const pageSize = 100;
/** Moves that are listed before one is asked; the others are counted. */
const mostListed = 12;

/** The instance that could be given back, what has to move for it, and the button that does so. */
function Freeing({ carving }: { carving: Carving }) {
  const { freeing, pool } = carving;
  const free = useAct(async () => {
    const { instance, moves } = freeing!;
    await ask('freeInstance', {
      params: { pool, instance },
      body: { moves: moves.map(({ volume, to }) => ({ volume, to })) },
    });
    await refresh('instances', 'operations');
    return {
      text: moves.length > 0 ? `The shares of ${instance} are on their way.` : `${instance} is being given back.`,
    };
  });
  const says = freeingSentence(carving);
  if (!says) return null;
  return (
    <Row align="center" gap={2} wraps>
      <Typography>{says}</Typography>
      {freeing && (
        <Confirm
          word={freeing.moves.length > 0 ? 'Move and give back' : 'Give back'}
          title={`Give ${freeing.instance} back`}
          disabled={free.isPending}
          act={() => free.mutate(undefined)}
        >
          <Typography>{freeing.moves.length > 0 ? movesOnline : says}</Typography>
          {freeing.moves.length > 0 && (
            <Plain aria-label="Moves" sx={{ mt: 1 }}>
              {freeing.moves.slice(0, mostListed).map((m) => (
                <li key={m.volume}>
                  {m.claim}, <Size bytes={m.bytes} />, to {m.to}
                </li>
              ))}
              {freeing.moves.length > mostListed && <li>and {freeing.moves.length - mostListed} more</li>}
            </Plain>
          )}
        </Confirm>
      )}
    </Row>
  );
}

function InstanceLine({ row }: { row: InstanceRow }) {
  return (
    <TableRow>
      <TableCell component="th" scope="row">
        <Copyable text={row.id} what="instance" />
      </TableCell>
      <TableCell>
        <MarkedWord {...stateOf(row)} />
      </TableCell>
      <TableCell align="right">{row.shares?.toLocaleString('en-GB') ?? '–'}</TableCell>
      <TableCell align="right">
        <Size bytes={row.used} />
      </TableCell>
      <TableCell align="right">
        <Size bytes={row.bytes} />
      </TableCell>
      <TableCell>
        <Filled part={row.used} whole={row.bytes} />
      </TableCell>
      <TableCell align="right">
        <Size bytes={Math.max(0, row.bytes - row.used)} />
      </TableCell>
      <TableCell>{row.since && <When at={row.since} />}</TableCell>
    </TableRow>
  );
}

function Lines({ rows }: { rows: readonly InstanceRow[] }) {
  const [from, setFrom] = useState(0);
  const shown = rows.slice(from, from + pageSize);
  return (
    <>
      <Table size="small" aria-label="Instances">
        <TableHead>
          <TableRow>
            <TableCell>Instance</TableCell>
            <TableCell>State</TableCell>
            <TableCell align="right">Shares</TableCell>
            <TableCell align="right">They hold</TableCell>
            <TableCell align="right">Bought</TableCell>
            <TableCell>Filled</TableCell>
            <TableCell align="right">Left</TableCell>
            <TableCell>Since</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map((row) => (
            <InstanceLine key={row.id} row={row} />
          ))}
        </TableBody>
      </Table>
      {rows.length > pageSize && (
        <Row align="center">
          <Typography variant="body2">
            {from + 1} to {from + shown.length} of {rows.length.toLocaleString('en-GB')}
          </Typography>
          <Button disabled={from === 0} onClick={() => setFrom(from - pageSize)}>
            Before
          </Button>
          <Button disabled={from + pageSize >= rows.length} onClick={() => setFrom(from + pageSize)}>
            After
          </Button>
        </Row>
      )}
    </>
  );
}

function OfPool({ pool }: { pool: PoolRow }) {
  const currency = useContext(PersonContext)?.currency ?? '';
  const query = useCarving(pool.id);
  return (
    <Column gap={1.5} role="region" aria-label={`Instances of ${pool.id}`} sx={{ pt: 1 }}>
      <Fetched query={query}>
        {(carving) => (
          <>
            <Row align="baseline" gap={2} wraps>
              <Typography variant="h2">{pool.id}</Typography>
              <Typography variant="body2" color="text.secondary">
                sold in instances of <Size bytes={carving.sizes.minimum} /> at least, by{' '}
                <Size bytes={carving.sizes.step} />, up to <Size bytes={carving.sizes.maximum} />
              </Typography>
            </Row>
            <Typography>{carvingSentence(carving, pool.price, currency)}</Typography>
            <Freeing carving={carving} />
            {carving.instances.length > 0 && <Lines rows={carving.instances} />}
          </>
        )}
      </Fetched>
    </Column>
  );
}

/** Pools of a backend that are sold in instances: what is bought, what is carved out of it, and what would free one. */
export function Instances({ backend }: { backend: BackendRow }) {
  const sold = backend.pools.filter((p) => p.facts.instances);
  if (sold.length === 0)
    return <Empty title="None of its pools is sold in instances">Claims take of them as much as they ask for.</Empty>;
  return (
    <>
      {sold.map((p) => (
        <OfPool key={p.id} pool={p} />
      ))}
    </>
  );
}
