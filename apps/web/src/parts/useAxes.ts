import { useTheme } from '@mui/material/styles';
import dayjs from 'dayjs';

/** How a chart over time is drawn, the same everywhere: what its grid, axes and hint are given. */
export function useAxes({
  ticks,
  format,
  top,
  width,
  text,
}: {
  /** Moments that are named below, and how. */
  readonly ticks: readonly number[];
  readonly format: string;
  /** Where the upright axis ends, and how values are said beside it. */
  readonly top: number;
  readonly width: number;
  readonly text: (value: number) => string;
}) {
  const { chart } = useTheme();
  const axis = { tick: { fill: chart.secondInk, fontSize: 12 }, stroke: chart.secondInk };
  return {
    grid: { stroke: chart.rule, vertical: false },
    x: {
      ...axis,
      ...({ dataKey: 'at', type: 'number', scale: 'time', domain: ['dataMin', 'dataMax'], interval: 0 } as const),
      ticks: [...ticks],
      tickFormatter: (t: number) => dayjs(t).format(format),
    },
    y: {
      ...axis,
      ...({ width, domain: [0, top], interval: 0 } as const),
      ticks: [0, top / 4, top / 2, (3 * top) / 4, top],
      tickFormatter: text,
    },
    hint: {
      contentStyle: { background: chart.sheet, border: `1px solid ${chart.rule}`, borderRadius: 0, fontSize: 12 },
    },
  };
}
