import {
  Box,
  Button,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { PoolRow } from '@moorage/contract/backends';
import { bestDiskToAdd, explainCapacity, type Scheme } from '@moorage/core/capacity/usable';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import { useState } from 'react';
import { Bar, BarChart, CartesianGrid, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { Size } from '../parts/Size';
import { Fill, Row, Sheet } from '../parts/layout';

interface Domain {
  readonly name: string;
  readonly capacity: number;
  readonly live: boolean;
}

const schemeWords = (scheme: Scheme): string =>
  scheme.kind === 'copies'
    ? `${scheme.copies} ${scheme.copies === 1 ? 'copy' : 'copies'}`
    : `${scheme.data}+${scheme.parity}`;

/** Parts of the raw capacity in one bar, to scale. */
function WhereItGoes({
  parts,
  raw,
}: {
  parts: readonly { name: string; bytes: number; fill: string; ink: string; dashed?: 'dashed' }[];
  raw: number;
}) {
  const { chart } = useTheme();
  return (
    <Row gap={0} sx={{ border: 1, borderColor: chart.secondInk, height: 46 }}>
      {parts
        .filter((p) => p.bytes > 0)
        .map((p) => (
          <Box
            key={p.name}
            sx={{
              width: `${(100 * p.bytes) / raw}%`,
              bgcolor: p.fill,
              color: p.ink,
              px: 1,
              py: 0.5,
              overflow: 'hidden',
              whiteSpace: 'nowrap',
              borderRight: 1,
              borderColor: chart.secondInk,
              '&:last-child': { borderRight: 0 },
              ...(p.dashed && {
                backgroundImage: `repeating-linear-gradient(135deg, transparent 0 6px, ${chart.rule} 6px 8px)`,
              }),
            }}
          >
            <Typography variant="caption" component="div" sx={{ lineHeight: 1.3 }}>
              {p.name}
            </Typography>
            <strong>{sizeText(p.bytes)}</strong>
          </Box>
        ))}
    </Row>
  );
}

function DomainChart({ domains, share }: { domains: readonly Domain[]; share: number }) {
  const { chart } = useTheme();
  const GiB = 2 ** 30;
  const data = domains.map((d) => ({
    name: d.name,
    used: Math.min(d.capacity, share) / GiB,
    stranded: Math.max(0, d.capacity - share) / GiB,
  }));
  const tick = { fill: chart.secondInk, fontSize: 12 };
  return (
    <ResponsiveContainer width="100%" height={170}>
      <BarChart data={data} margin={{ top: 8, right: 90, bottom: 0, left: 12 }} barCategoryGap="25%" accessibilityLayer>
        <CartesianGrid stroke={chart.rule} vertical={false} />
        <XAxis dataKey="name" tick={tick} stroke={chart.secondInk} interval={0} />
        <YAxis
          tick={tick}
          stroke={chart.secondInk}
          width={64}
          tickFormatter={(v: number) => v.toLocaleString('en-GB')}
          label={{ value: 'GiB', position: 'insideTopLeft', fill: chart.secondInk, fontSize: 12, dy: -6, dx: -10 }}
        />
        <Tooltip
          cursor={{ fill: chart.depth[0] }}
          contentStyle={{ background: chart.sheet, border: `1px solid ${chart.rule}`, borderRadius: 0, fontSize: 12 }}
          formatter={(value, name) => [sizeText(Number(value) * GiB), name === 'used' ? 'can be used' : 'stranded']}
        />
        <Bar dataKey="used" stackId="a" fill={chart.depth[2]} stroke={chart.ink} isAnimationActive={false} />
        <Bar
          dataKey="stranded"
          stackId="a"
          fill={chart.paper}
          stroke={chart.lamp}
          strokeDasharray="4 3"
          isAnimationActive={false}
        />
        <ReferenceLine
          y={share / GiB}
          stroke={chart.ink}
          strokeDasharray="6 3"
          label={{
            value: `most of one node: ${sizeText(share)}`,
            position: 'insideTopRight',
            fill: chart.ink,
            fontSize: 12,
          }}
        />
      </BarChart>
    </ResponsiveContainer>
  );
}

function DomainTable({ domains, share }: { domains: readonly Domain[]; share: number }) {
  return (
    <Table size="small" aria-label="Failure domains">
      <TableHead>
        <TableRow>
          <TableCell>Node</TableCell>
          <TableCell align="right">Capacity</TableCell>
          <TableCell align="right">Can be used</TableCell>
          <TableCell align="right">Stranded</TableCell>
          <TableCell>State</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {domains.map((d) => (
          <TableRow key={d.name}>
            <TableCell>{d.name}</TableCell>
            <TableCell align="right">
              <Size bytes={d.capacity} />
            </TableCell>
            <TableCell align="right">
              <Size bytes={Math.min(d.capacity, share)} />
            </TableCell>
            <TableCell align="right">
              <Size bytes={Math.max(0, Math.floor(d.capacity - share))} />
            </TableCell>
            <TableCell>{d.live ? 'works' : 'no copies now'}</TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** "I had 20, why do I see 6?": where the raw bytes of one pool go, which node strands some, and what would free them. */
export function CapacityExplained({ pool }: { pool: PoolRow }) {
  const { chart } = useTheme();
  const { redundancy } = pool.facts;
  const spread = redundancy.kind === 'spread' ? redundancy : undefined;
  const [copies, setCopies] = useState(spread?.scheme.kind === 'copies' ? spread.scheme.copies : 1);
  const [asTable, setAsTable] = useState(false);
  if (!spread)
    return (
      <Sheet>
        <Typography variant="h2">Where the bytes of {pool.name} go</Typography>
        <Typography variant="body2" sx={{ mt: 0.5, maxWidth: 760 }}>
          The array reports {sizeText(redundancy.kind === 'inner' ? redundancy.usable : 0)} usable and says its pool
          survives {redundancy.kind === 'inner' ? redundancy.survives : 0} failed components. Its inner copies are its
          own affair: a class that asks up to {(redundancy.kind === 'inner' ? redundancy.survives : 0) + 1} copies is
          served here, and each volume counts once.
        </Typography>
      </Sheet>
    );
  const scheme: Scheme = spread.scheme.kind === 'copies' ? { kind: 'copies', copies } : spread.scheme;
  const domains = spread.domains.map((d) => ({ ...d, capacity: d.capacity as Bytes }));
  const explained = explainCapacity(domains, scheme);
  const disk = pool.usualDisk;
  // a disk helps only where its node works
  const advice = bestDiskToAdd(
    domains.filter((d) => d.live),
    scheme,
    disk as Bytes,
  );
  const dead = domains.filter((d) => !d.live).map((d) => d.name);
  const stranding = explained.strandedBy.slice(0, 3).map((d) => `${d.name} (${sizeText(d.stranded)})`);
  return (
    <Sheet>
      <Row gap={2} align="center" sx={{ mb: 1 }}>
        <Typography variant="h2">Where the bytes of {pool.name} go</Typography>
        {spread.scheme.kind === 'copies' && (
          <>
            <Typography variant="body2" color="text.secondary" id="copies-label">
              reckoned with copies
            </Typography>
            <ToggleButtonGroup
              exclusive
              size="small"
              value={copies}
              aria-labelledby="copies-label"
              onChange={(_e, n: number | null) => n && setCopies(n)}
            >
              {[1, 2, 3, 4, 5].map((n) => (
                <ToggleButton key={n} value={n}>
                  {n}
                </ToggleButton>
              ))}
            </ToggleButtonGroup>
          </>
        )}
        <Fill />
        <Button onClick={() => setAsTable(!asTable)}>{asTable ? 'Show as chart' : 'Show as table'}</Button>
      </Row>
      <WhereItGoes
        raw={explained.raw}
        parts={[
          {
            name: `usable at ${schemeWords(scheme)}`,
            bytes: explained.usable,
            fill: chart.depth[3],
            ink: chart.onDepth[3],
          },
          {
            name: scheme.kind === 'copies' ? 'eaten by copies' : 'eaten by parity',
            bytes: explained.redundancy,
            fill: chart.depth[0],
            ink: chart.onDepth[0],
          },
          { name: 'stranded', bytes: explained.stranded, fill: chart.paper, ink: chart.lamp, dashed: 'dashed' },
        ]}
      />
      <Typography variant="body2" sx={{ my: 1, maxWidth: 980 }}>
        {explained.usable === 0 ? (
          <>
            {schemeWords(scheme)} need more nodes than the {domains.length} that are there: nothing can be kept.
          </>
        ) : (
          <>
            {dead.length > 0 && (
              <strong>
                {dead.join(', ')} {dead.length === 1 ? 'does' : 'do'} not work now and{' '}
                {dead.length === 1 ? 'counts' : 'count'} for nothing.{' '}
              </strong>
            )}
            Of {sizeText(explained.raw)} raw, <strong>{sizeText(explained.usable)}</strong> can be kept; after the worst
            loss of one node, {sizeText(explained.safe)} still can, at full redundancy.{' '}
            {explained.stranded > 0
              ? `${stranding.join(', ')} ${stranding.length === 1 ? 'holds' : 'hold'} more than any mix of nodes can match.`
              : 'No node strands anything.'}{' '}
            {advice && disk > 0 && (
              <>
                One more {sizeText(disk)} disk gains most in <strong>{advice.domain}</strong>: {sizeText(advice.gain)}{' '}
                usable{advice.freed > 0 && `, ${sizeText(advice.freed)} of what is stranded put to use`}.
              </>
            )}
          </>
        )}
      </Typography>
      {asTable ? (
        <DomainTable domains={domains} share={explained.share} />
      ) : (
        <DomainChart domains={domains} share={explained.share} />
      )}
    </Sheet>
  );
}
