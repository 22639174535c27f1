import { Paper, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Past } from '@moorage/contract/past';
import { FaintCell } from '../parts/layout';
import { Place } from '../parts/Place';
import { Iops, Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { Sounding } from '../soundings/Sounding';
import { usePast } from './usePast';

const heads = ['Pool', 'Sounding', 'Size', 'Written', 'Promised', 'Reserved', 'Done', 'Claims'] as const;
type Pool = Past['pools'][number];

function PoolThen({ pool }: { pool: Pool }) {
  const { capacity, written, footprint, reserved, iops, operations, latency } = pool;
  return (
    <TableRow sx={{ height: 60 }} data-pool={pool.id}>
      <TableCell component="th" scope="row">
        <strong>{pool.id}</strong>
        <Typography variant="caption" color="text.secondary" component="div">
          {pool.tier ?? 'tier not known'}
          {pool.isGuess && ' · as it was when it was noted first'}
        </Typography>
      </TableCell>
      <TableCell sx={{ pl: 2 }}>
        {written !== null && <Sounding {...pool} usable={capacity} consumed={written} subscribed={footprint} />}
      </TableCell>
      <TableCell align="right">
        <Size bytes={capacity} />
      </TableCell>
      <TableCell align="right">
        {written === null ? (
          <span title="Its backend told nothing of that time">not told</span>
        ) : (
          <>
            <Size bytes={written} />
            <Typography variant="caption" component="div" color="text.secondary">
              {Math.round((100 * written) / Math.max(1, capacity))} %
            </Typography>
          </>
        )}
      </TableCell>
      <TableCell align="right">
        <Size bytes={footprint} />
        <Typography variant="caption" component="div" color="text.secondary">
          ceiling <Size bytes={pool.overcommit * capacity} />
        </Typography>
      </TableCell>
      <TableCell align="right">
        <Iops value={reserved} />
        <Typography variant="caption" component="div" color="text.secondary">
          of <Iops value={iops} />
        </Typography>
      </TableCell>
      <TableCell align="right">
        {operations === null ? (
          <span title="Its backend told nothing of that time">–</span>
        ) : (
          <Iops value={operations} />
        )}
        <Typography variant="caption" component="div" color="text.secondary">
          {latency === null ? ' ' : `${latency.toFixed(2)} ms`}
        </Typography>
      </TableCell>
      <TableCell align="right">{pool.claims.toLocaleString('en-GB')}</TableCell>
    </TableRow>
  );
}

function Then({ past: { pools } }: { past: Past }) {
  const backends = [...new Set(pools.map((p) => p.backend))];
  if (pools.length === 0) return <Empty title="No pool was known at that moment">Choose a later one.</Empty>;
  return (
    <Paper>
      <Table size="small" aria-label="Backends and pools as they were">
        <TableHead>
          <TableRow>
            {heads.map((title, i) => (
              <TableCell key={title} align={i > 1 ? 'right' : 'left'}>
                {title}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {backends.map((backend) => [
            <TableRow key={backend} sx={{ '& th': { borderTop: 1, borderColor: 'divider', pt: 1.25 } }}>
              <TableCell colSpan={heads.length} component="th">
                <Typography component="h2" variant="h2">
                  {backend}
                </Typography>
              </TableCell>
            </TableRow>,
            ...pools.filter((p) => p.backend === backend).map((pool) => <PoolThen key={pool.id} pool={pool} />),
          ])}
          <TableRow>
            <FaintCell colSpan={heads.length}>
              Bytes are raw, copies counted, where copies are spread over nodes, else as the backend told. What others
              than claims kept there is in what was written, not in what was promised.
            </FaintCell>
          </TableRow>
        </TableBody>
      </Table>
    </Paper>
  );
}

/** Backends and their pools at a moment of the past. */
export default function PastBackends() {
  const query = usePast();
  return (
    <Place title="Backends" question="How full was each pool, and what was promised of it?">
      <Fetched query={query}>{(past) => <Then past={past} />}</Fetched>
    </Place>
  );
}
