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
import type { History, HistoryKind } from '@moorage/contract/history';
import { sizeText } from '@moorage/core/sizes/display';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import dayjs from 'dayjs';
import { useState } from 'react';
import {
  Area,
  Brush,
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
import { useMoment } from '../frame/Moment';
import { Column, Row } from '../parts/layout';
import { roundUp } from '../parts/round-up';
import { Empty, Fetched } from '../parts/States';
import {
  drawings,
  drawingWords,
  eventSentence,
  gapsOf,
  isRange,
  ranges,
  stepWords,
  ticksOf,
  type Drawing,
  type Range,
} from './words';

const unitText: Record<Drawing, (v: number) => string> = {
  bytes: sizeText,
  iops: (v) => `${Math.round(v).toLocaleString('en-GB')} IOPS`,
  throughput: (v) => `${sizeText(v)}/s`,
  latency: (v) => `${v.toLocaleString('en-GB', { maximumFractionDigits: 2 })} ms`,
};

/** What a chart draws of each span. */
interface Point {
  readonly at: number;
  readonly value: number | null;
  readonly most: number | null;
  readonly band: [number, number] | null;
  readonly provisioned?: number;
  readonly limit?: number | null;
}

function pointsOf(history: History, drawing: Drawing): Point[] {
  return history.at.map((at, i) => {
    if (drawing === 'bytes') {
      const [least, most] = [history.written.least[i]!, history.written.most[i]!];
      return {
        ...{ at, value: history.written.mean[i]!, most, band: least === null || most === null ? null : [least, most] },
        provisioned: history.provisioned[i]!,
        limit: history.limit[i]!,
      };
    }
    const { mean, most, p95 } = history[drawing];
    return { at, value: mean[i]!, most: most[i]!, band: mean[i] === null ? null : [mean[i]!, p95[i] ?? mean[i]!] };
  });
}

const timeFormat = (step: History['step']) => (step === '1d' || step === '1h' ? 'D MMM' : 'HH:mm');
const words = { value: 'mean', band: 'from least to most', provisioned: 'provisioned', limit: 'limit', most: 'peak' };

function Drawn({ history, drawing }: { history: History; drawing: Drawing }) {
  const { chart } = useTheme();
  const data = pointsOf(history, drawing);
  const tick = { fill: chart.secondInk, fontSize: 12 };
  const text = unitText[drawing];
  const values = data.flatMap((p) => [p.value, p.most, p.provisioned, p.limit].map((v) => v ?? 0));
  const top = roundUp(Math.max(1, ...values), drawing === 'bytes' || drawing === 'throughput' ? 1024 : 1000);
  return (
    <ResponsiveContainer width="100%" height={230}>
      <ComposedChart data={data} margin={{ top: 8, right: 12, bottom: 0, left: 4 }} accessibilityLayer>
        <CartesianGrid stroke={chart.rule} vertical={false} />
        <XAxis
          dataKey="at"
          type="number"
          scale="time"
          domain={['dataMin', 'dataMax']}
          tick={tick}
          stroke={chart.secondInk}
          ticks={ticksOf(history.at)}
          interval={0}
          tickFormatter={(t: number) => dayjs(t).format(timeFormat(history.step))}
        />
        <YAxis
          tick={tick}
          stroke={chart.secondInk}
          width={78}
          domain={[0, top]}
          interval={0}
          ticks={[0, top / 4, top / 2, (3 * top) / 4, top]}
          tickFormatter={text}
        />
        <Tooltip
          contentStyle={{ background: chart.sheet, border: `1px solid ${chart.rule}`, borderRadius: 0, fontSize: 12 }}
          labelFormatter={(t) => dayjs(Number(t)).format('D MMM YYYY, HH:mm')}
          formatter={(value, name) => [
            Array.isArray(value) ? value.map((v) => text(Number(v))).join(' to ') : text(Number(value)),
            name === 'band' && drawing !== 'bytes' ? 'mean to 95th percentile' : words[name as keyof typeof words],
          ]}
        />
        <Area dataKey="band" stroke="none" fill={chart.depth[1]} isAnimationActive={false} connectNulls={false} />
        {drawing === 'bytes' && (
          <Line
            dataKey="provisioned"
            type="stepAfter"
            stroke={chart.ink}
            dot={false}
            strokeWidth={1.5}
            isAnimationActive={false}
          />
        )}
        {drawing === 'bytes' && history.limit.some((l) => l !== null) && (
          <Line
            dataKey="limit"
            type="stepAfter"
            stroke={chart.lamp}
            strokeDasharray="6 3"
            dot={false}
            isAnimationActive={false}
          />
        )}
        <Line
          dataKey="value"
          stroke={chart.tide}
          dot={false}
          strokeWidth={1.75}
          isAnimationActive={false}
          connectNulls={false}
        />
        {drawing !== 'bytes' && (
          <Line
            dataKey="most"
            stroke={chart.secondInk}
            strokeDasharray="2 3"
            dot={false}
            isAnimationActive={false}
            connectNulls={false}
          />
        )}
        {history.events.map((e, i) => (
          <ReferenceLine
            key={i}
            x={e.at}
            stroke={e.kind === 'limit' ? chart.lamp : chart.secondInk}
            strokeDasharray="1 4"
          />
        ))}
        <Brush
          dataKey="at"
          height={16}
          stroke={chart.secondInk}
          fill={chart.paper}
          travellerWidth={8}
          tickFormatter={() => ''}
        />
      </ComposedChart>
    </ResponsiveContainer>
  );
}

function AsTable({ history, drawing }: { history: History; drawing: Drawing }) {
  const text = unitText[drawing];
  const points = pointsOf(history, drawing);
  return (
    <Box sx={{ maxHeight: 230, overflow: 'auto' }}>
      <Table size="small" stickyHeader aria-label="The same as a table">
        <TableHead>
          <TableRow>
            <TableCell>From</TableCell>
            <TableCell align="right">{drawing === 'bytes' ? 'Written, mean' : 'Mean'}</TableCell>
            <TableCell align="right">Peak</TableCell>
            {drawing === 'bytes' && <TableCell align="right">Provisioned</TableCell>}
          </TableRow>
        </TableHead>
        <TableBody>
          {points.map((p) => (
            <TableRow key={p.at}>
              <TableCell>{dayjs(p.at).format('D MMM YYYY, HH:mm')}</TableCell>
              <TableCell align="right">{p.value === null ? 'not told' : text(p.value)}</TableCell>
              <TableCell align="right">{p.most === null ? '–' : text(p.most)}</TableCell>
              {drawing === 'bytes' && <TableCell align="right">{text(p.provisioned ?? 0)}</TableCell>}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

function Happened({ history }: { history: History }) {
  if (history.events.length === 0) return null;
  return (
    <Box component="details" sx={{ fontSize: 13 }}>
      <summary>
        {history.events.length + history.more} {history.events.length + history.more === 1 ? 'event' : 'events'} in this
        time
      </summary>
      <Table size="small" aria-label="What happened">
        <TableBody>
          {history.events.map((e, i) => (
            <TableRow key={i}>
              <TableCell sx={{ whiteSpace: 'nowrap' }}>{dayjs(e.at).format('D MMM YYYY, HH:mm')}</TableCell>
              <TableCell>{eventSentence(e)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {history.more > 0 && <span>{history.more} more; choose a shorter time to see them.</span>}
    </Box>
  );
}

/** Told by whole minutes, the one that has begun with them. */
const toTheMinute = (ms: number): string => new Date(Math.ceil(ms / 60_000) * 60_000).toISOString();

export function useHistory(of: HistoryKind, name: string, range: Range) {
  const moment = useMoment();
  return useQuery({
    queryKey: keys.history(of, name, range, moment ?? ''),
    queryFn: () => {
      const to = moment === undefined ? Date.now() : Date.parse(moment);
      return ask('getHistory', {
        query: { of, name, from: toTheMinute(to - ranges[range][1]), to: toTheMinute(to) },
      });
    },
    placeholderData: keepPreviousData,
    refetchInterval: moment === undefined ? 60_000 : false,
  });
}

/** What something held and did over time, with what happened to it. */
export function HistoryChart({ of, name, title }: { of: HistoryKind; name: string; title: string }) {
  const [asked, setRange] = useInAddress('range', '1d');
  const range: Range = isRange(asked) ? asked : '1d';
  const [drawing, setDrawing] = useState<Drawing>('bytes');
  const [asTable, setAsTable] = useState(false);
  const query = useHistory(of, name, range);
  return (
    <Column component="section" aria-label={`History of ${title}`} gap={0.5}>
      <Row gap={1.5} align="center" wraps>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {title} over time
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={drawing}
          onChange={(_e, d: Drawing | null) => d && setDrawing(d)}
          aria-label="What is drawn"
        >
          {drawings.map((d) => (
            <ToggleButton key={d} value={d}>
              {drawingWords[d]}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={range}
          onChange={(_e, r: Range | null) => r && setRange(r)}
          aria-label="How far back"
        >
          {(Object.keys(ranges) as Range[]).map((r) => (
            <ToggleButton key={r} value={r}>
              {ranges[r][0]}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Button onClick={() => setAsTable(!asTable)}>{asTable ? 'As a chart' : 'As a table'}</Button>
        {query.data && (
          <Button
            href={`/api/history/export?${new URLSearchParams({ of, name, from: query.data.from, to: query.data.to })}`}
          >
            CSV
          </Button>
        )}
      </Row>
      <Fetched query={query}>
        {(history) => {
          const gaps = gapsOf(history);
          const isTold = history.written.mean.some((v) => v !== null);
          if (!isTold && history.provisioned.every((v) => v === 0))
            return <Empty title="Nothing was here in this time">Choose a longer time, or another moment.</Empty>;
          if (!isTold && drawing !== 'bytes')
            return <Empty title="No backend told of this in this time">Choose a longer time, or another moment.</Empty>;
          return (
            <>
              {asTable ? (
                <AsTable history={history} drawing={drawing} />
              ) : (
                <Drawn history={history} drawing={drawing} />
              )}
              <Row gap={2} wraps sx={{ fontSize: 13, color: 'text.secondary' }}>
                <span>
                  By {stepWords[history.step]}.{' '}
                  {drawing === 'bytes'
                    ? 'Line: provisioned. Tint: written, from the least to the most of each span. Dashes: the limit.'
                    : 'Line: the mean. Tint: up to the 95th percentile (within 5 %). Dashes: the peak.'}
                </span>
                {!isTold && <span>No backend told of it yet: the first figures come within five minutes.</span>}
                {gaps > 0 && (
                  <span>
                    {gaps} {gaps === 1 ? 'span was' : 'spans were'} not told of: left open, not drawn as nothing.
                  </span>
                )}
              </Row>
              <Happened history={history} />
            </>
          );
        }}
      </Fetched>
    </Column>
  );
}
