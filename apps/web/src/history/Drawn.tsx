import { useTheme } from '@mui/material/styles';
import type { History } from '@moorage/contract/history';
import { sizeText } from '@moorage/core/sizes/display';
import dayjs from 'dayjs';
import {
  Area,
  Brush,
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceArea,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from 'recharts';
import { useAxes } from '../parts/useAxes';
import { roundUp } from '../parts/round-up';
import { isFailure, lineOf, ticksOf, type Drawing } from './words';

export const unitText: Record<Drawing, (v: number) => string> = {
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
  /** What stands beside it: the same figures of something else, or of another time. */
  readonly other?: number | null;
  readonly otherProvisioned?: number;
  readonly limit?: number | null;
}

export function pointsOf(history: History, drawing: Drawing, beside?: History): Point[] {
  return history.at.map((at, i) => {
    if (drawing === 'bytes') {
      const [least, most] = [history.written.least[i]!, history.written.most[i]!];
      return {
        ...{ at, value: history.written.mean[i]!, most, band: least === null || most === null ? null : [least, most] },
        provisioned: history.provisioned[i]!,
        limit: history.limit[i]!,
        ...(beside && { other: beside.written.mean[i] ?? null, otherProvisioned: beside.provisioned[i] }),
      };
    }
    const { mean, most, p95 } = history[drawing];
    return {
      ...{ at, value: mean[i]!, most: most[i]! },
      band: mean[i] === null ? null : [mean[i]!, p95[i] ?? mean[i]!],
      ...(beside && { other: beside[drawing].mean[i] ?? null }),
    };
  });
}

const timeFormat = (step: History['step']) => (step === '1d' || step === '1h' ? 'D MMM' : 'HH:mm');
const words = {
  ...{ value: 'mean', band: 'from least to most', provisioned: 'provisioned', limit: 'limit', most: 'peak' },
  ...{ other: 'mean, beside', otherProvisioned: 'provisioned, beside' },
};

export function Drawn({
  history,
  drawing,
  beside,
}: {
  history: History;
  drawing: Drawing;
  beside: History | undefined;
}) {
  const { chart } = useTheme();
  const failures = history.events.filter((e) => isFailure(e.kind));
  const moments = history.events.filter((e) => !isFailure(e.kind));
  const within = (at: number): number => Math.min(Math.max(at, history.at[0]!), history.at.at(-1)!);
  const lines = {
    claim: { stroke: chart.secondInk, strokeDasharray: '1 4' },
    limit: { stroke: chart.lamp, strokeDasharray: '1 4' },
    class: { stroke: chart.ink, strokeDasharray: '5 3' },
  };
  const data = pointsOf(history, drawing, beside);
  const text = unitText[drawing];
  const values = data.flatMap((p) =>
    [p.value, p.most, p.provisioned, p.limit, p.other, p.otherProvisioned].map((v) => v ?? 0),
  );
  const top = roundUp(Math.max(1, ...values), drawing === 'bytes' || drawing === 'throughput' ? 1024 : 1000);
  const axes = useAxes({ ticks: ticksOf(history.at), format: timeFormat(history.step), top, width: 78, text });
  return (
    <ResponsiveContainer width="100%" height={230}>
      <ComposedChart data={data} margin={{ top: 8, right: 24, bottom: 0, left: 4 }} accessibilityLayer>
        <CartesianGrid {...axes.grid} />
        <XAxis {...axes.x} />
        <YAxis {...axes.y} />
        <Tooltip
          {...axes.hint}
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
        {beside && drawing === 'bytes' && (
          <Line
            dataKey="otherProvisioned"
            type="stepAfter"
            stroke={chart.secondInk}
            strokeDasharray="2 3"
            dot={false}
            isAnimationActive={false}
          />
        )}
        {beside && (
          <Line
            dataKey="other"
            stroke={chart.secondInk}
            dot={false}
            strokeWidth={1.5}
            isAnimationActive={false}
            connectNulls={false}
          />
        )}
        {failures.map((e, i) => (
          <ReferenceArea
            key={i}
            x1={within(e.at)}
            x2={within(e.until ?? Infinity)}
            ifOverflow="hidden"
            fill={chart.buoy}
            fillOpacity={0.18}
            stroke={chart.buoy}
            strokeOpacity={0.6}
          />
        ))}
        {moments.map((e, i) => (
          <ReferenceLine key={i} x={e.at} {...lines[lineOf(e.kind)]} />
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
