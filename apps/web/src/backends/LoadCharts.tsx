import { Box, Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { Load } from '@moorage/contract/inventory';
import dayjs from 'dayjs';
import { useState } from 'react';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { useLoad } from '../api/cluster-queries';
import { Empty, Fetched } from '../parts/States';
import { Row } from '../parts/layout';
import { useAxes } from '../parts/useAxes';
import { roundUp } from '../parts/round-up';

type Measure = 'iops' | 'throughput' | 'latency';
const titles: Record<Measure, string> = { iops: 'IOPS', throughput: 'Throughput, MB/s', latency: 'Latency, ms' };
const valueOf = (point: Load[number]['points'][number], measure: Measure): number =>
  measure === 'iops' ? point.iops : measure === 'throughput' ? Math.round(point.bytesPerSecond / 1e6) : point.latencyMs;
const limitOf = (pool: Load[number], measure: Measure): number | undefined =>
  measure === 'iops' ? pool.iops : measure === 'throughput' ? Math.round(pool.throughput / 1e6) : undefined;

function Chart({ pool, measure }: { pool: Load[number]; measure: Measure }) {
  const { chart } = useTheme();
  const data = pool.points.map((p) => ({ at: new Date(p.at).getTime(), value: valueOf(p, measure) }));
  const limit = limitOf(pool, measure);
  const top = roundUp(Math.max(limit ?? 0, ...data.map((d) => d.value)));
  const hours = data.map((d) => d.at).filter((t) => new Date(t).getMinutes() === 0 && new Date(t).getHours() % 4 === 0);
  const axes = useAxes({
    ...{ ticks: hours, format: 'HH:mm', top, width: 62 },
    text: (value) => value.toLocaleString('en-GB', { maximumFractionDigits: 2 }),
  });
  return (
    <Box sx={{ flex: 1, minWidth: 280 }}>
      <Typography variant="caption" color="text.secondary">
        {titles[measure]}
      </Typography>
      <ResponsiveContainer width="100%" height={130}>
        <LineChart data={data} margin={{ top: 6, right: 10, bottom: 0, left: 0 }} accessibilityLayer>
          <CartesianGrid {...axes.grid} />
          <XAxis {...axes.x} />
          <YAxis {...axes.y} />
          <Tooltip
            {...axes.hint}
            labelFormatter={(t) => dayjs(Number(t)).format('D MMM YYYY, HH:mm')}
            formatter={(value) => [Number(value).toLocaleString('en-GB'), titles[measure]]}
          />
          {limit !== undefined && limit > 0 && (
            <ReferenceLine
              y={limit}
              stroke={chart.ink}
              strokeDasharray="6 3"
              label={{ value: 'capability', position: 'insideTopRight', fill: chart.ink, fontSize: 11 }}
            />
          )}
          <Line dataKey="value" stroke={chart.tide} dot={false} strokeWidth={1.5} isAnimationActive={false} />
        </LineChart>
      </ResponsiveContainer>
    </Box>
  );
}

function AsTable({ pool }: { pool: Load[number] }) {
  const hourly = pool.points.filter((p) => new Date(p.at).getMinutes() === 0);
  return (
    <Table size="small" aria-label={`A day of ${pool.pool}, by the hour`}>
      <TableHead>
        <TableRow>
          <TableCell>Time</TableCell>
          {(Object.keys(titles) as Measure[]).map((m) => (
            <TableCell key={m} align="right">
              {titles[m]}
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {hourly.map((p) => (
          <TableRow key={p.at}>
            <TableCell>{dayjs(p.at).format('D MMM YYYY, HH:mm')}</TableCell>
            {(Object.keys(titles) as Measure[]).map((m) => (
              <TableCell key={m} align="right">
                {valueOf(p, m).toLocaleString('en-GB')}
              </TableCell>
            ))}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** A day of what each pool did, against what it can do. */
export function LoadCharts({ backend }: { backend: string }) {
  const query = useLoad(backend);
  const [asTable, setAsTable] = useState(false);
  return (
    <Fetched query={query}>
      {(load) => {
        const told = load.filter((p) => p.points.length > 0);
        if (told.length === 0)
          return (
            <Empty title="The backend tells nothing of its load">
              It offers no metric reports; without them there is nothing to draw.
            </Empty>
          );
        return (
          <>
            <Box sx={{ textAlign: 'right', pt: 1 }}>
              <Button onClick={() => setAsTable(!asTable)}>{asTable ? 'As charts' : 'As tables'}</Button>
            </Box>
            {told.map((pool) => {
              const peak = Math.max(...pool.points.map((p) => p.iops));
              return (
                <Box key={pool.pool} component="section" aria-label={`A day of ${pool.pool}`} sx={{ mb: 2 }}>
                  <Typography variant="h3">{pool.pool}</Typography>
                  <Typography variant="body2" color="text.secondary">
                    The busiest five minutes took {peak.toLocaleString('en-GB')} IOPS
                    {pool.iops > 0 && `, ${Math.round((100 * peak) / pool.iops)} % of what it can do`}.
                  </Typography>
                  {asTable ? (
                    <AsTable pool={pool} />
                  ) : (
                    <Row gap={2} wraps>
                      <Chart pool={pool} measure="iops" />
                      <Chart pool={pool} measure="throughput" />
                      <Chart pool={pool} measure="latency" />
                    </Row>
                  )}
                </Box>
              );
            })}
          </>
        );
      }}
    </Fetched>
  );
}
