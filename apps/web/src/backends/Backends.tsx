import {
  Button,
  Link,
  Paper,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from '@mui/material';
import type { BackendRow, PoolRow } from '@moorage/contract/backends';
import { toCorePool, usualCopies } from '@moorage/contract/pool-state';
import { subscriptionRoom } from '@moorage/core/capacity/thin';
import { sizeText } from '@moorage/core/sizes/display';
import { slackIn } from '@moorage/core/shares/instances';
import { explainCapacity, type DomainCapacity } from '@moorage/core/capacity/usable';
import { footprintFactor, thinState } from '@moorage/core/pools/pool';
import { useEffect, useRef } from 'react';
import { Link as RouterLink } from 'react-router';
import { fetchInventoryAhead } from '../api/cluster-queries';
import { useBackends } from '../api/queries';
import { useGo, useInAddress, useKeepLine } from '../frame/address';
import { useMay } from '../parts/person';
import { Place } from '../parts/Place';
import { Iops, Size, Unit } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { When } from '../parts/When';
import { Sounding } from '../soundings/Sounding';
import { BackendState } from './BackendState';
import { CapacityExplained } from './CapacityExplained';
import { PoolSettings } from './PoolSettings';
import { Column, FaintCell, Fill, Row } from '../parts/layout';

const speaks: Record<string, string> = { NVMeOverFabrics: 'NVMe/TCP', NFSv4: 'NFS' };

function redundancyWords(pool: PoolRow): string {
  const { redundancy } = pool.facts;
  if (redundancy.kind === 'inner') return `inner, survives ${redundancy.survives}`;
  const { scheme } = redundancy;
  return scheme.kind === 'copies'
    ? `copies over ${redundancy.domains.length} nodes`
    : `${scheme.data}+${scheme.parity} over ${redundancy.domains.length} nodes`;
}

/** Raw bytes, or what is usable at each pool's usual scheme. */
type Basis = 'usable' | 'raw';

const schemeWords = (pool: PoolRow): string => {
  const { redundancy } = pool.facts;
  if (redundancy.kind === 'inner') return 'as it reports';
  const { scheme } = redundancy;
  return scheme.kind === 'copies' ? `at ${scheme.copies} copies` : `at ${scheme.data}+${scheme.parity}`;
};

/** Copies to reckon a replicated pool with: what its classes mostly ask. */
function strandedIn(pool: PoolRow): number {
  const { redundancy } = pool.facts;
  if (redundancy.kind !== 'spread') return -1;
  return explainCapacity(redundancy.domains as (DomainCapacity & { live: boolean })[], redundancy.scheme).stranded;
}

function PoolLine({
  pool,
  backend,
  basis,
  chosen,
  choose,
}: {
  pool: PoolRow;
  backend: BackendRow;
  basis: Basis;
  chosen: boolean;
  choose: () => void;
}) {
  const core = toCorePool({ ...pool, reachable: backend.reachable, healthy: backend.healthy, diskUse: {} });
  const copies = usualCopies(pool);
  const factor = footprintFactor(core, copies);
  const at = thinState(core, copies);
  // one basis for a row: raw bytes throughout, or all of them at the pool's usual scheme
  const times = basis === 'raw' ? factor : 1;
  const thin = {
    ...at,
    usable: at.usable * times,
    consumed: at.consumed * times,
    subscribed: at.subscribed * times,
  };
  const allotment = pool.allotment === null ? null : (pool.allotment * times) / factor;
  const unshared = core.instances ? slackIn(core.instances) : 0;
  const promised = core.iops > 0 ? core.promisedIops / core.iops : 0;
  return (
    <TableRow hover selected={chosen} onClick={choose} sx={{ cursor: 'pointer', height: 60 }}>
      <TableCell component="th" scope="row">
        <Link
          underline="hover"
          component="button"
          onClick={choose}
          sx={{ fontWeight: 600, color: 'text.primary', font: 'inherit' }}
          aria-pressed={chosen}
        >
          {pool.name}
        </Link>
        <Typography variant="caption" color="text.secondary" component="div">
          {redundancyWords(pool)} · {pool.facts.protocols.map((p) => speaks[p] ?? p).join(', ')}
        </Typography>
      </TableCell>
      <TableCell sx={{ pl: 2 }}>
        <Sounding {...thin} />
      </TableCell>
      <TableCell align="right">
        <Size bytes={thin.usable} />
        <Typography variant="caption" component="div" color="text.secondary">
          {basis === 'raw' ? 'raw' : schemeWords(pool)}
        </Typography>
      </TableCell>
      <TableCell align="right">
        <Size bytes={thin.consumed} />
        <Typography variant="caption" component="div" color="text.secondary">
          {Math.round((100 * thin.consumed) / Math.max(1, thin.usable))} %
        </Typography>
      </TableCell>
      <TableCell align="right">
        <Size bytes={thin.subscribed} />
        <Typography variant="caption" component="div" color="text.secondary">
          ceiling {pool.overcommit.toFixed(2)}×{unshared > 0 && `, ${sizeText(unshared)} in no share`}
        </Typography>
      </TableCell>
      <TableCell align="right">
        <Size
          bytes={Math.max(
            0,
            Math.min(subscriptionRoom(thin), allotment === null ? Infinity : allotment - (core.taken * times) / factor),
          )}
        />
        {allotment !== null && (
          <Typography variant="caption" component="div" color="text.secondary">
            allotment <Size bytes={allotment} />
          </Typography>
        )}
      </TableCell>
      <TableCell align="right">
        <Iops value={core.promisedIops} />
        <Typography variant="caption" component="div" color="text.secondary">
          {(promised * 100).toFixed(1)} % of <Iops value={core.iops} />
        </Typography>
      </TableCell>
      <TableCell align="right">{pool.volumes}</TableCell>
      <TableCell sx={{ textAlign: 'right' }}>
        <PoolSettings pool={pool} />
      </TableCell>
    </TableRow>
  );
}

function BackendLine({ backend }: { backend: BackendRow }) {
  const keep = useKeepLine();
  return (
    <TableRow sx={{ '& td': { borderTop: 1, borderColor: 'divider', pt: 1.25 } }}>
      <TableCell colSpan={9}>
        <Row gap={2} align="center">
          <Typography component="h2" variant="h2">
            <Link
              component={RouterLink}
              to={keep(`/backends/${backend.id}`)}
              color="text.primary"
              onPointerEnter={() => fetchInventoryAhead(backend.id)}
              onFocus={() => fetchInventoryAhead(backend.id)}
            >
              {backend.id}
            </Link>
          </Typography>
          <span>{backend.title}</span>
          <BackendState backend={backend} />
          <Fill />
          <Typography variant="caption" color="text.secondary">
            {backend.address}{' '}
            {backend.checkedAt && (
              <>
                · looked at <When at={backend.checkedAt} />
              </>
            )}
          </Typography>
        </Row>
      </TableCell>
    </TableRow>
  );
}

const columns: readonly [string, string, 'left' | 'right'][] = [
  ['Pool', '', 'left'],
  [
    'Sounding',
    'The tint is what was written, the line what was promised, the ticks the soft and hard marks, the top the overcommit ceiling.',
    'left',
  ],
  ['Usable', 'What can be kept once copies or parity are paid for.', 'right'],
  ['Written', 'Bytes that applications really wrote.', 'right'],
  ['Promised', 'Sum of provisioned sizes; its ceiling is overcommit × usable.', 'right'],
  ['Room to promise', 'What may still be promised to claims.', 'right'],
  ['IOPS promised', 'Floors of the bound claims, as the pool pays for them, copies counted.', 'right'],
  ['Volumes', '', 'right'],
  ['', '', 'right'],
];

function Estate({ backends }: { backends: BackendRow[] }) {
  const pools = backends.flatMap((b) => b.pools.map((pool) => ({ pool, backend: b })));
  // the pool that strands most is the one whose figures surprise
  const first = [...pools].sort((a, b) => strandedIn(b.pool) - strandedIn(a.pool))[0];
  const keep = useKeepLine();
  const [shown, setShown] = useInAddress('basis', 'usable');
  const basis: Basis = shown === 'raw' ? 'raw' : 'usable';
  const [name, setName] = useInAddress('pool', first?.pool.id);
  const explained = useRef<HTMLDivElement>(null);
  const choose = (pool: string) => {
    setName(pool);
    explained.current?.scrollIntoView({ block: 'nearest' });
  };
  const chosen = pools.find(({ pool }) => pool.id === name) ?? first;
  if (backends.length === 0)
    return (
      <Empty title="No backend is registered">
        Register the first one: an address and credentials are enough, the rest is read from it.
      </Empty>
    );
  return (
    <Column gap={1.5}>
      <Row gap={1.5} align="center">
        <ToggleButtonGroup
          exclusive
          size="small"
          value={basis}
          onChange={(_e, b: Basis | null) => b && setShown(b)}
          aria-label="Bytes"
        >
          <ToggleButton value="usable">usable</ToggleButton>
          <ToggleButton value="raw">raw</ToggleButton>
        </ToggleButtonGroup>
        <Typography variant="body2" color="text.secondary">
          {basis === 'raw'
            ? 'Every byte as the disks give and take it, copies and parity counted; of an array, as it reports.'
            : 'Every byte as volumes see it, at each pool’s usual scheme.'}
        </Typography>
      </Row>
      <Paper>
        <Table size="small" aria-label="Backends and pools">
          <TableHead>
            <TableRow>
              {columns.map(([title, help, align]) => (
                <TableCell key={title} align={align}>
                  <Tooltip title={help}>
                    <span>
                      {(title === 'Usable' && basis === 'raw' ? 'Raw' : title) || (
                        <span style={{ position: 'absolute', left: -9999 }}>Settings</span>
                      )}
                    </span>
                  </Tooltip>
                </TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {backends.map((backend) => [
              <BackendLine key={backend.id} backend={backend} />,
              ...backend.pools.map((pool) => (
                <PoolLine
                  key={pool.id}
                  pool={pool}
                  backend={backend}
                  basis={basis}
                  chosen={chosen?.pool.id === pool.id}
                  choose={() => choose(pool.id)}
                />
              )),
              backend.pools.length === 0 && (
                <TableRow key={`${backend.id}-none`}>
                  <FaintCell colSpan={9}>
                    {backend.disks > 0 ? (
                      <>
                        It has {backend.disks} disks and no pool yet.{' '}
                        <Link component={RouterLink} to={keep(`/backends/${backend.id}/commission`)}>
                          Commission them
                        </Link>
                      </>
                    ) : (
                      'Its pools are not known yet.'
                    )}
                  </FaintCell>
                </TableRow>
              ),
            ])}
          </TableBody>
        </Table>
      </Paper>
      <div ref={explained}>{chosen && <CapacityExplained key={chosen.pool.id} pool={chosen.pool} />}</div>
    </Column>
  );
}

/** What one most likely opens from here is fetched while nothing else is to be done. */
const fetchAhead = () => void import('./BackendDetail');

export default function Backends() {
  useEffect(() => {
    const waiting = requestIdleCallback(fetchAhead);
    return () => cancelIdleCallback(waiting);
  }, []);
  const query = useBackends();
  const go = useGo();
  const may = useMay('administrator', 'operator', 'storage-engineer');
  return (
    <Place
      title="Backends"
      actions={
        <Row>
          <Button onClick={() => go('/backends/readiness')}>Node readiness</Button>
          {may && (
            <Button variant="contained" onClick={() => go('/backends/new')}>
              Register a backend
            </Button>
          )}
        </Row>
      }
      question={
        <>
          How much can each pool really keep, and what is it promised already?{' '}
          <Unit>Choose a pool to see where its bytes go.</Unit>
        </>
      }
    >
      <Fetched query={query}>{(backends) => <Estate backends={backends} />}</Fetched>
    </Place>
  );
}
