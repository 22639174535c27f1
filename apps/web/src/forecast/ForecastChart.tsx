import {
  Box,
  Button,
  Link,
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
import type { ForecastAnswer, RunwayRow } from '@moorage/contract/forecast';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import {
  Area,
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from 'recharts';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useInAddress } from '../frame/address';
import { Column, Row } from '../parts/layout';
import { useAxes } from '../parts/useAxes';
import { roundUp } from '../parts/round-up';
import { Fetched } from '../parts/States';
import { ticksOf } from '../history/words';
import { dayText, endWords, keyOf, perDayText, runwayText, usedText } from './runway-words';

interface Point {
  readonly at: number;
  readonly was?: number;
  readonly goesOn?: number;
  readonly band?: [number, number];
}

const pointsOf = ({ was, goesOn }: ForecastAnswer): Point[] => [
  ...was.at.map((at, i): Point => ({ at, was: was.value[i]! })),
  ...goesOn.at.map((at, i): Point => ({ at, goesOn: goesOn.value[i]!, band: [goesOn.low[i]!, goesOn.high[i]!] })),
];
const yearMs = 365 * 24 * 3_600_000;
const names = { was: 'was', goesOn: 'goes on', band: 'interval' };

function Drawn({ told }: { told: ForecastAnswer }) {
  const { chart } = useTheme();
  const { against, end, runway } = told.row;
  const data = pointsOf(told);
  const text = (value: number) => usedText(against, value);
  const most = Math.max(end, ...data.map((p) => Math.max(p.was ?? 0, p.band?.[1] ?? 0)));
  const isBytes = !['iops', 'iops-limit', 'claims'].includes(against);
  const top = roundUp(Math.max(1, most), isBytes ? 1024 : 1000);
  const axes = useAxes({
    ...{ ticks: ticksOf(data.map((p) => p.at)), top, width: 82, text },
    format: data.at(-1)!.at - data[0]!.at > yearMs ? 'MMM YYYY' : 'D MMM',
  });
  return (
    <ResponsiveContainer width="100%" height={250}>
      <ComposedChart data={data} margin={{ top: 8, right: 16, bottom: 0, left: 4 }} accessibilityLayer>
        <CartesianGrid {...axes.grid} />
        <XAxis {...axes.x} />
        <YAxis {...axes.y} />
        <Tooltip
          {...axes.hint}
          labelFormatter={(t) => dayText(Number(t))}
          formatter={(value, name) => [
            Array.isArray(value) ? value.map((v) => text(Number(v))).join(' to ') : text(Number(value)),
            names[name as keyof typeof names],
          ]}
        />
        <Area dataKey="band" stroke="none" fill={chart.depth[1]} isAnimationActive={false} />
        <Line dataKey="was" stroke={chart.ink} dot={false} strokeWidth={1.75} isAnimationActive={false} />
        <Line dataKey="goesOn" stroke={chart.tide} strokeDasharray="6 3" dot={false} isAnimationActive={false} />
        <ReferenceLine
          y={end}
          stroke={chart.buoy}
          strokeDasharray="6 3"
          label={{ value: endWords[against], fill: chart.secondInk, fontSize: 12, position: 'insideTopLeft' }}
        />
        {runway?.kind === 'meets' && <ReferenceLine x={runway.at} stroke={chart.lamp} strokeDasharray="2 3" />}
      </ComposedChart>
    </ResponsiveContainer>
  );
}

function AsTable({ told }: { told: ForecastAnswer }) {
  const text = (value: number) => usedText(told.row.against, value);
  return (
    <Box sx={{ maxHeight: 250, overflow: 'auto' }}>
      <Table size="small" stickyHeader aria-label="The same as a table">
        <TableHead>
          <TableRow>
            <TableCell>Day</TableCell>
            <TableCell align="right">Used</TableCell>
            <TableCell align="right">From</TableCell>
            <TableCell align="right">To</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {pointsOf(told).map((p) => (
            <TableRow key={`${p.at}/${p.was === undefined}`}>
              <TableCell>{dayText(p.at)}</TableCell>
              <TableCell align="right">{text(p.was ?? p.goesOn ?? 0)}</TableCell>
              <TableCell align="right">{p.band ? text(p.band[0]) : 'as it was'}</TableCell>
              <TableCell align="right">{p.band ? text(p.band[1]) : ''}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

const windows = ['14', '30', '60', '180'] as const;

/** What came or went at once, and the time that leaves it out. */
function Steps({ told, choose }: { told: ForecastAnswer; choose: (days: string) => void }) {
  const last = told.steps.at(-1);
  if (!last) return null;
  const days = (told.was.at.at(-1)! - last.at) / (24 * 3_600_000);
  const after = [...windows].reverse().find((w) => Number(w) < days);
  const { against } = told.row;
  return (
    <Typography variant="body2">
      On {dayText(last.at)}, {usedText(against, Math.abs(last.change))} {last.change > 0 ? 'came' : 'went'} at once:
      that is a step, and not how it goes on.{' '}
      {after !== undefined && (
        <Link component="button" variant="body2" onClick={() => choose(after)} sx={{ verticalAlign: 'baseline' }}>
          Reckon from the {after} days after it
        </Link>
      )}
    </Typography>
  );
}

/** How one thing came and how it goes on, until it meets its end. */
export function ForecastChart({ row }: { row: RunwayRow }) {
  const [days, setDays] = useInAddress('days', '60');
  const [isTable, setTable] = useState(false);
  const from = windows.find((w) => w === days) ?? '60';
  const { kind, name, className, against } = row;
  const query = useQuery({
    queryKey: keys.runways.one(keyOf(row), Number(from)),
    queryFn: () =>
      ask('getForecast', { query: { kind, name, against, days: from, ...(className !== null && { className }) } }),
    placeholderData: keepPreviousData,
  });
  const title = `${name}${className ? ` in ${className}` : ''}: ${endWords[against]}`;
  return (
    <Column gap={1} component="section" aria-label={`Forecast of ${title}`}>
      <Row gap={1.5} align="center" wraps>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {title}
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          aria-label="Reckoned from"
          value={from}
          onChange={(_, to: string | null) => to && setDays(to)}
        >
          {windows.map((w) => (
            <ToggleButton key={w} value={w}>
              {w} days
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Button onClick={() => setTable(!isTable)}>{isTable ? 'As a chart' : 'As a table'}</Button>
      </Row>
      <Fetched query={query}>
        {(told) => (
          <>
            <Typography variant="body2">
              {usedText(against, told.row.used)} of {usedText(against, told.row.end)} now,{' '}
              {perDayText(against, told.row.perDay)} a day
              {told.row.runway?.kind === 'meets' ? (
                <>
                  : reached in {runwayText(told.row.runway)}, on <strong>{dayText(told.row.runway.at)}</strong>
                </>
              ) : (
                `: ${runwayText(told.row.runway)}`
              )}
              . The band holds eight in ten of the days that were.
            </Typography>
            <Steps told={told} choose={setDays} />
            {isTable ? <AsTable told={told} /> : <Drawn told={told} />}
          </>
        )}
      </Fetched>
    </Column>
  );
}
