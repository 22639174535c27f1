import { Box, Link, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { BackendRow, PoolRow } from '@moorage/contract/backends';
import { toCorePool } from '@moorage/contract/pool-state';
import { safe } from '@moorage/core/capacity/usable';
import { iopsLeft, thinState } from '@moorage/core/pools/pool';
import { explainCapacity, type DomainCapacity } from '@moorage/core/capacity/usable';
import { useContext } from 'react';
import { Link as RouterLink } from 'react-router';
import { useKeepLine } from '../frame/address';
import { MarkedWord } from '../marks/Mark';
import { PersonContext } from '../parts/person';
import { Iops, Size } from '../parts/Size';
import { Empty } from '../parts/States';
import { Sounding } from '../soundings/Sounding';
import { protocolText } from './readiness-words';
import { PoolSettings } from './PoolSettings';

const price = (pool: PoolRow, currency: string): string =>
  pool.price === null ? 'no price' : `${pool.price.toFixed(3)} ${currency} a GiB and month`;

function figures(pool: PoolRow) {
  const { redundancy } = pool.facts;
  if (redundancy.kind === 'inner') return { safe: redundancy.usable, stranded: 0 };
  const capacities = redundancy.domains.map((d) => d.capacity);
  const { stranded } = explainCapacity(redundancy.domains as (DomainCapacity & { live: boolean })[], redundancy.scheme);
  return { safe: safe(capacities, redundancy.scheme), stranded };
}

function PoolState({ pool }: { pool: PoolRow }) {
  if (pool.goneSince !== null) return <MarkedWord kind="lost" word="no longer listed" />;
  if (pool.facts.readOnly) return <MarkedWord kind="person" word="read only" />;
  return <MarkedWord kind="settled" word="takes volumes" />;
}

/** The pools of one backend, with what they keep, what they can do and what of it is promised. */
export function PoolsOf({ backend }: { backend: BackendRow }) {
  const currency = useContext(PersonContext)?.currency ?? '';
  const keep = useKeepLine();
  if (backend.pools.length === 0)
    return (
      <Empty title="It has no pools yet">
        {backend.disks > 0 ? 'Commission its disks to make one.' : 'As soon as it tells of some, they are here.'}
      </Empty>
    );
  return (
    <Table size="small" aria-label="Pools">
      <TableHead>
        <TableRow>
          <TableCell>Pool</TableCell>
          <TableCell>State</TableCell>
          <TableCell sx={{ pl: 2 }}>Sounding</TableCell>
          <TableCell align="right">Usable</TableCell>
          <TableCell align="right">Safe</TableCell>
          <TableCell align="right">Stranded</TableCell>
          <TableCell align="right">Promised</TableCell>
          <TableCell align="right">Written</TableCell>
          <TableCell align="right">IOPS still to promise</TableCell>
          <TableCell />
        </TableRow>
      </TableHead>
      <TableBody>
        {backend.pools.map((pool) => {
          const core = toCorePool({ ...pool, reachable: backend.reachable, healthy: backend.healthy, diskUse: {} });
          const { redundancy } = pool.facts;
          const thin = thinState(
            core,
            redundancy.kind === 'spread' && redundancy.scheme.kind === 'copies' ? redundancy.scheme.copies : 1,
          );
          const { safe: kept, stranded } = figures(pool);
          return (
            <TableRow key={pool.id} sx={{ height: 56 }}>
              <TableCell component="th" scope="row">
                <Link component={RouterLink} to={keep(`/backends?pool=${pool.id}`)}>
                  {pool.name}
                </Link>
                <Typography variant="caption" component="div" color="text.secondary">
                  {pool.tier}
                  {pool.tierSaid ? '' : ' by its media'} · {pool.facts.protocols.map(protocolText).join(', ')} ·{' '}
                  {price(pool, currency)}
                </Typography>
              </TableCell>
              <TableCell>
                <PoolState pool={pool} />
              </TableCell>
              <TableCell sx={{ pl: 2 }}>
                <Sounding {...thin} height={48} />
              </TableCell>
              <TableCell align="right">
                <Size bytes={thin.usable} />
              </TableCell>
              <TableCell align="right">
                <Size bytes={kept} />
              </TableCell>
              <TableCell align="right">
                <Size bytes={stranded} />
              </TableCell>
              <TableCell align="right">
                <Size bytes={thin.subscribed} />
              </TableCell>
              <TableCell align="right">
                <Size bytes={thin.consumed} />
              </TableCell>
              <TableCell align="right">
                <Iops value={Math.max(0, Math.floor(iopsLeft(core)))} />
                <Typography variant="caption" component="div" color="text.secondary">
                  of <Iops value={core.iops} />
                </Typography>
              </TableCell>
              <TableCell align="right">
                <Box>
                  <PoolSettings pool={pool} />
                </Box>
              </TableCell>
            </TableRow>
          );
        })}
      </TableBody>
    </Table>
  );
}
