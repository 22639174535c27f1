import { Box } from '@mui/material';
import { styled } from '@mui/material/styles';
import { observeElementRect, useVirtualizer, type Rect, type Virtualizer } from '@tanstack/react-virtual';
import { memo, useRef, type ReactNode } from 'react';
import { cellKey, stepFrom, type At } from './Matrix';

/** What is drawn of one cell. */
export interface Drawn {
  readonly content: ReactNode;
  readonly background?: string;
  readonly colour?: string;
}

interface VastMatrixProps {
  readonly label: string;
  /** The height that it takes at most, as CSS has it. */
  readonly most: string;
  readonly rows: readonly string[];
  readonly columns: readonly string[];
  readonly chosen: At;
  readonly choose: (at: At) => void;
  readonly open?: (at: At) => void;
  readonly corner: ReactNode;
  readonly columnHead: (column: string) => ReactNode;
  readonly rowHead: (row: string) => ReactNode;
  /** A column that stays in sight beside the names: of a row's whole. Its key among the columns is the empty text. */
  readonly wholeHead: ReactNode;
  readonly cell: (at: At) => Drawn;
  /** The row that stays in sight below: of a column's whole. */
  readonly foot: (column: string) => ReactNode;
}

const sizes = { name: 190, whole: 144, column: 144, row: 29, head: 32 } as const;
const whole = '';

const Cell = styled('div', { shouldForwardProp: (p) => p !== 'isChosen' })<{ isChosen?: boolean }>(
  ({ theme, isChosen }) => ({
    position: 'absolute',
    top: 0,
    height: '100%',
    padding: theme.spacing(0, 1.25),
    display: 'flex',
    // a small note stands on the line of its figure
    alignItems: 'baseline',
    justifyContent: 'flex-end',
    gap: theme.spacing(1),
    overflow: 'hidden',
    whiteSpace: 'nowrap',
    cursor: 'pointer',
    borderBottom: `1px solid ${theme.chart.rule}`,
    ...(isChosen && { boxShadow: `inset 0 0 0 2px ${theme.chart.ink}` }),
  }),
);
/** Stays at the left while columns are scrolled through. */
const Staying = styled('div')(({ theme }) => ({
  position: 'sticky',
  left: 0,
  zIndex: 2,
  display: 'flex',
  width: sizes.name + sizes.whole,
  height: '100%',
  background: theme.chart.sheet,
}));
const Band = styled('div')(({ theme }) => ({
  position: 'sticky',
  zIndex: 3,
  background: theme.chart.sheet,
  fontSize: 13,
  fontWeight: 600,
}));
const Name = styled('div')(({ theme }) => ({
  width: sizes.name,
  padding: theme.spacing(0, 1.25),
  display: 'flex',
  alignItems: 'center',
  whiteSpace: 'nowrap',
  overflow: 'hidden',
  borderBottom: `1px solid ${theme.chart.rule}`,
}));

const still = { cursor: 'default', lineHeight: `${sizes.head}px` } as const;

const idOf = (at: At) => `at-${cellKey(at)}`;
/** Where nothing is laid out, a usual window is taken for granted. */
const usual: Rect = { width: 1200, height: 600 };
const observe = (of: Virtualizer<HTMLDivElement, Element>, tell: (rect: Rect) => void) =>
  observeElementRect(of, (rect) => tell(rect.width > 0 && rect.height > 0 ? rect : usual));

interface PlaceProps {
  readonly at: At;
  readonly left: number;
  readonly width: number;
  readonly isChosen: boolean;
  readonly drawn: Drawn;
  readonly choose: (at: At) => void;
}
const Placed = memo(function Placed({ at, left, width, isChosen, drawn, choose }: PlaceProps) {
  return (
    <Cell
      role="gridcell"
      id={idOf(at)}
      data-cell={cellKey(at)}
      aria-selected={isChosen}
      isChosen={isChosen}
      onClick={() => choose(at)}
      style={
        {
          left,
          width,
          lineHeight: `${sizes.row}px`,
          background: drawn.background,
          color: drawn.colour,
          '--second-ink': drawn.colour,
        } as never
      }
    >
      {drawn.content}
    </Cell>
  );
});

/** Rows by columns of any number, of which those in sight are drawn; one cell is chosen, by a click or by the keys. */
export function VastMatrix(props: VastMatrixProps) {
  const { label, most, rows, columns, chosen, choose, open, corner, columnHead, rowHead, wholeHead, cell, foot } =
    props;
  const frame = useRef<HTMLDivElement>(null);
  const common = {
    getScrollElement: () => frame.current,
    observeElementRect: observe,
    initialRect: usual,
    overscan: 4,
  };
  const down = useVirtualizer<HTMLDivElement, Element>({
    ...common,
    count: rows.length,
    estimateSize: () => sizes.row,
  });
  const across = useVirtualizer<HTMLDivElement, Element>({
    ...common,
    horizontal: true,
    count: columns.length,
    estimateSize: () => sizes.column,
  });
  const kept = sizes.name + sizes.whole;
  const width = kept + across.getTotalSize();
  const all = [whole, ...columns];
  const move = (event: React.KeyboardEvent) => {
    if (event.altKey || event.ctrlKey || event.metaKey) return;
    if (event.key === 'Enter' && open) return open(chosen);
    const next = stepFrom(event.key, chosen, rows, all);
    if (!next) return;
    event.preventDefault();
    choose(next);
    down.scrollToIndex(rows.indexOf(next.row));
    if (next.column !== whole) across.scrollToIndex(columns.indexOf(next.column));
  };
  const isChosen = (at: At) => at.row === chosen.row && at.column === chosen.column;
  const shown = across.getVirtualItems();
  const heads = (of: (column: string) => ReactNode, role: string) =>
    shown.map((c) => (
      <Cell key={c.key} role={role} style={{ left: kept + c.start, width: c.size, ...still }}>
        {of(columns[c.index]!)}
      </Cell>
    ));
  return (
    <Box
      ref={frame}
      role="grid"
      aria-label={label}
      aria-rowcount={rows.length + 2}
      aria-colcount={columns.length + 2}
      aria-activedescendant={idOf(chosen)}
      tabIndex={0}
      onKeyDown={move}
      sx={{
        overflow: 'auto',
        height: 2 * sizes.head + sizes.row * rows.length + 20,
        maxHeight: most,
        bgcolor: 'background.paper',
        border: 1,
        borderColor: 'divider',
      }}
    >
      <div style={{ width, height: 2 * sizes.head + down.getTotalSize(), position: 'relative' }} role="presentation">
        <Band role="row" style={{ top: 0, height: sizes.head, width }}>
          <Staying role="presentation">
            <Name role="columnheader">{corner}</Name>
            <Cell role="columnheader" style={{ left: sizes.name, width: sizes.whole, ...still }}>
              {wholeHead}
            </Cell>
          </Staying>
          {heads(columnHead, 'columnheader')}
        </Band>
        {down.getVirtualItems().map((r) => {
          const row = rows[r.index]!;
          const inWhole = { row, column: whole };
          return (
            <div
              key={r.key}
              role="row"
              aria-rowindex={r.index + 2}
              style={{ position: 'absolute', top: sizes.head + r.start, height: r.size, width }}
            >
              <Staying role="presentation">
                <Name role="rowheader">{rowHead(row)}</Name>
                <Placed
                  at={inWhole}
                  left={sizes.name}
                  width={sizes.whole}
                  isChosen={isChosen(inWhole)}
                  drawn={cell(inWhole)}
                  choose={choose}
                />
              </Staying>
              {shown.map((c) => {
                const at = { row, column: columns[c.index]! };
                return (
                  <Placed
                    key={c.key}
                    at={at}
                    left={kept + c.start}
                    width={c.size}
                    isChosen={isChosen(at)}
                    drawn={cell(at)}
                    choose={choose}
                  />
                );
              })}
            </div>
          );
        })}
        <div style={{ height: down.getTotalSize() }} role="presentation" />
        <Band role="row" style={{ bottom: 0, height: sizes.head, width }}>
          <Staying role="presentation">
            <Name role="rowheader">All</Name>
            <Cell role="gridcell" style={{ left: sizes.name, width: sizes.whole, ...still }}>
              {foot(whole)}
            </Cell>
          </Staying>
          {heads(foot, 'gridcell')}
        </Band>
      </div>
    </Box>
  );
}
