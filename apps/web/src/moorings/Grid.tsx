import { Box, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { MooringRow, PlacementState } from '@moorage/contract/moorings';
import { sizeText } from '@moorage/core/sizes/display';
import { useRef } from 'react';
import { failureShort } from '../words/checks';
import type { TriedCell, TriedClass } from './trial';

export interface Cell {
  readonly className: string;
  readonly pool: string;
}

export interface MooringActs {
  find(cell: Cell): MooringRow | undefined;
  turn(change: Cell & { enabled: boolean }): void;
  move(change: Cell & { by: -1 | 1 }): void;
  weigh(change: Cell & { weight: number }): void;
}

const ordinal = (n: number): string =>
  `${n}${n % 10 === 1 && n !== 11 ? 'st' : n % 10 === 2 && n !== 12 ? 'nd' : n % 10 === 3 && n !== 13 ? 'rd' : 'th'}`;

interface CellProps {
  readonly mooring?: MooringRow;
  readonly tried?: TriedCell;
  readonly place?: 'lands' | 'next';
}

function verdict({ mooring, tried, place }: CellProps): { words: string; tone: 'lands' | 'ok' | 'bad' | 'faint' } {
  if (!tried) return { words: '', tone: 'faint' };
  if (!mooring?.enabled) return { words: tried.failed ? failureShort(tried.failed) : 'could serve', tone: 'faint' };
  if (place === 'lands') return { words: 'lands here', tone: 'lands' };
  if (tried.failed) return { words: failureShort(tried.failed), tone: 'bad' };
  return { words: place === 'next' ? 'runner-up' : 'would serve', tone: 'ok' };
}

function CellContent(props: CellProps) {
  const { mooring, tried } = props;
  const { words, tone } = verdict(props);
  const moored = mooring !== undefined;
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: '34px 1fr',
        columnGap: 1,
        alignItems: 'baseline',
      }}
    >
      <span style={{ fontWeight: 600, textDecoration: moored && !mooring.enabled ? 'line-through' : undefined }}>
        {moored ? ordinal(mooring.order) : '–'}
      </span>
      <Box
        component="span"
        sx={{
          color: tone === 'bad' ? 'warning.main' : tone === 'faint' ? 'text.secondary' : 'inherit',
          fontWeight: tone === 'lands' ? 700 : 400,
          whiteSpace: 'nowrap',
        }}
      >
        {moored && !mooring.enabled ? 'off' : words}
      </Box>
      <span />
      <Typography
        variant="caption"
        sx={{ color: tone === 'lands' ? 'inherit' : 'text.secondary', whiteSpace: 'nowrap' }}
      >
        {tried
          ? tried.failed
            ? ' '
            : tried.moreClaims > 0
              ? `room for ${tried.moreClaims >= 9999 ? '9,999+' : tried.moreClaims.toLocaleString('en-GB')} · ${sizeText(tried.moreBytes)}`
              : ' '
          : ' '}
      </Typography>
    </Box>
  );
}

/** Class × pool. Arrows move, Space turns a mooring on or off, Alt with up and down reorders. */
export function Grid({
  state,
  answers,
  cell,
  setCell,
  mayChange,
  find,
  turn,
  move,
}: {
  state: PlacementState;
  answers?: Record<string, TriedClass>;
  cell: Cell;
  setCell: (cell: Cell) => void;
  mayChange: boolean;
} & MooringActs) {
  const { chart } = useTheme();
  const table = useRef<HTMLTableElement>(null);
  const classes = state.classes.map((c) => c.name);
  const pools = state.pools.map((p) => p.id);
  const focus = (next: Cell) => {
    setCell(next);
    table.current?.querySelector<HTMLElement>(`[data-cell="${CSS.escape(`${next.className}/${next.pool}`)}"]`)?.focus();
  };
  const onKey = (event: React.KeyboardEvent) => {
    const row = classes.indexOf(cell.className);
    const column = pools.indexOf(cell.pool);
    const to = (r: number, c: number) => {
      event.preventDefault();
      focus({
        className: classes[Math.max(0, Math.min(classes.length - 1, r))]!,
        pool: pools[Math.max(0, Math.min(pools.length - 1, c))]!,
      });
    };
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      event.preventDefault();
      if (mayChange) move({ ...cell, by: event.key === 'ArrowUp' ? -1 : 1 });
    } else if (event.key === 'ArrowUp') to(row - 1, column);
    else if (event.key === 'ArrowDown') to(row + 1, column);
    else if (event.key === 'ArrowLeft') to(row, column - 1);
    else if (event.key === 'ArrowRight') to(row, column + 1);
    else if (event.key === ' ') {
      event.preventDefault();
      if (mayChange) turn({ ...cell, enabled: !(find(cell)?.enabled ?? false) });
    }
  };
  const byBackend = [...new Set(state.pools.map((p) => p.backend))].map((backend) => ({
    backend,
    count: state.pools.filter((p) => p.backend === backend).length,
  }));
  const divider = (i: number) =>
    i > 0 && state.pools[i]!.backend !== state.pools[i - 1]!.backend ? { borderLeft: `2px solid ${chart.rule}` } : {};
  return (
    <Table ref={table} size="small" role="grid" aria-label="Moorings: classes by pools" onKeyDown={onKey}>
      <TableHead>
        <TableRow>
          <TableCell rowSpan={2}>Class</TableCell>
          {byBackend.map(({ backend, count }, i) => (
            <TableCell
              key={backend}
              colSpan={count}
              sx={{
                borderBottom: 0,
                pb: 0,
                color: 'text.primary',
                ...(i > 0 && { borderLeft: `2px solid ${chart.rule}` }),
              }}
            >
              {backend}
            </TableCell>
          ))}
        </TableRow>
        <TableRow>
          {state.pools.map((p, i) => (
            <TableCell key={p.id} sx={divider(i)}>
              {p.name}
              <Typography variant="caption" component="div">
                {p.facts.access.join(' and ')}
                {p.reachable ? '' : ' · does not answer'}
              </Typography>
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {state.classes.map((cls) => (
          <TableRow key={cls.name}>
            <TableCell component="th" scope="row" sx={{ whiteSpace: 'nowrap' }}>
              <strong>{cls.name}</strong>
              <Typography variant="caption" component="div" color="text.secondary">
                {cls.copies} {cls.copies === 1 ? 'copy' : 'copies'} · {cls.strategy.replace('-', ' ')}
                {state.defaultClass === cls.name && ' · default'}
              </Typography>
            </TableCell>
            {state.pools.map((pool, i) => {
              const here = { className: cls.name, pool: pool.id };
              const chosen = cell.className === cls.name && cell.pool === pool.id;
              const decision = answers?.[cls.name]?.decision;
              const place =
                decision?.winner === pool.id ? 'lands' : decision?.runnerUp === pool.id ? 'next' : undefined;
              const mooring = find(here);
              return (
                <TableCell
                  key={pool.id}
                  role="gridcell"
                  data-cell={`${cls.name}/${pool.id}`}
                  tabIndex={chosen ? 0 : -1}
                  aria-selected={chosen}
                  data-mooring={mooring ? (mooring.enabled ? ordinal(mooring.order) : 'off') : 'none'}
                  title={`${cls.name} on ${pool.name}`}
                  onClick={() => setCell(here)}
                  sx={{
                    cursor: 'pointer',
                    minWidth: 150,
                    verticalAlign: 'top',
                    ...divider(i),
                    bgcolor: place === 'lands' ? chart.depth[1] : 'transparent',
                    color: place === 'lands' ? chart.onDepth[1] : 'text.primary',
                    boxShadow: chosen ? `inset 0 0 0 2px ${chart.tide}` : 'none',
                  }}
                >
                  <CellContent mooring={mooring} tried={answers?.[cls.name]?.cells[pool.id]} place={place} />
                </TableCell>
              );
            })}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
