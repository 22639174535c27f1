import { DndContext, PointerSensor, useDraggable, useDroppable, useSensor, useSensors } from '@dnd-kit/core';
import { Box, NativeSelect, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import { tiers } from '@moorage/contract/backends';
import { isHere, type MooringRow, type PlacementState } from '@moorage/contract/moorings';
import { strategies, type Strategy } from '@moorage/core/classes/storage-class';
import type { Outlook } from '@moorage/core/placement/outlook';
import { sizeText } from '@moorage/core/sizes/display';
import { useRef } from 'react';
import { failureShort } from '../words/checks';
import { countText, outlookText } from './outlook-words';
import { cellOf, type TriedCell, type TriedClass } from './trial';

export interface Cell {
  readonly className: string;
  readonly pool: string;
}

export interface MooringActs {
  find(cell: Cell): MooringRow | undefined;
  turn(change: Cell & { enabled: boolean }): void;
  /** Earlier or later by one. */
  move(change: Cell & { by: -1 | 1 }): void;
  /** To the place of another pool. */
  moveTo(change: Cell & { onto: string }): void;
  weigh(change: Cell & { weight: number }): void;
  /** How one of the pools that fit is chosen. */
  choose(change: { className: string; strategy: Strategy }): void;
}

const ordinal = (n: number): string =>
  `${n}${n % 10 === 1 && n !== 11 ? 'st' : n % 10 === 2 && n !== 12 ? 'nd' : n % 10 === 3 && n !== 13 ? 'rd' : 'th'}`;
interface CellProps {
  /** The pool is there for off-site copies alone. */
  readonly elsewhere: boolean;
  readonly mooring?: MooringRow;
  readonly tried?: TriedCell;
  readonly place?: 'lands' | 'next';
}

function verdict({ elsewhere, mooring, tried, place }: CellProps): {
  words: string;
  tone: 'lands' | 'ok' | 'bad' | 'faint';
} {
  if (!tried) return { words: '', tone: 'faint' };
  if (!mooring?.enabled)
    return {
      words: tried.failed ? failureShort(tried.failed) : elsewhere ? 'could keep copies' : 'could serve',
      tone: 'faint',
    };
  if (place === 'lands') return { words: 'lands here', tone: 'lands' };
  if (tried.failed) return { words: failureShort(tried.failed), tone: 'bad' };
  if (elsewhere) return { words: 'keeps copies', tone: 'ok' };
  return { words: place === 'next' ? 'runner-up' : 'would serve', tone: 'ok' };
}

function CellContent({ id, ...props }: CellProps & { id: string }) {
  const { mooring, tried } = props;
  const { words, tone } = verdict(props);
  const moored = mooring !== undefined;
  const { setNodeRef, listeners, transform } = useDraggable({ id, disabled: !moored });
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: '28px 1fr',
        columnGap: 0.5,
        alignItems: 'baseline',
        ...(transform && {
          transform: `translate(${transform.x}px, ${transform.y}px)`,
          position: 'relative',
          zIndex: 2,
        }),
      }}
    >
      <Box
        component="span"
        ref={setNodeRef}
        {...listeners}
        data-grip={moored ? id : undefined}
        sx={{
          fontWeight: 600,
          touchAction: 'none',
          cursor: moored ? 'grab' : 'pointer',
          textDecoration: moored && !mooring.enabled ? 'line-through' : undefined,
        }}
      >
        {moored ? ordinal(mooring.order) : '–'}
      </Box>
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
      <Typography
        variant="caption"
        sx={{ gridColumn: '1 / -1', color: tone === 'lands' ? 'inherit' : 'text.secondary', whiteSpace: 'nowrap' }}
      >
        {tried && !tried.failed && tried.moreClaims > 0
          ? `${countText(tried.moreClaims)} more · ${sizeText(tried.moreBytes)}`
          : ' '}
        {moored && mooring.weight !== 1 && ` · weight ${mooring.weight}`}
      </Typography>
    </Box>
  );
}

/**
 * Pools by backend, and there from fast to deep. Those of other sites come last, and only when a class keeps off-site copies or
 * is moored to one.
 */
export function grouped(state: PlacementState): PlacementState['pools'] {
  const sends = state.classes.some((c) => c.offsite);
  const shown = state.pools.filter((p) => isHere(state, p) || sends || state.moorings.some((m) => m.pool === p.id));
  return shown.sort(
    (a, b) =>
      Number(isHere(state, b)) - Number(isHere(state, a)) ||
      (a.backend < b.backend ? -1 : a.backend > b.backend ? 1 : 0) ||
      tiers.indexOf(a.tier) - tiers.indexOf(b.tier) ||
      (a.name < b.name ? -1 : 1),
  );
}

/** Class × pool. Arrows move, Space turns a mooring on or off, Alt with up and down reorders, the ordinal can be dragged. */
export function Grid({
  state,
  answers,
  outlooks,
  changed,
  cell,
  setCell,
  mayChange,
  find,
  turn,
  move,
  moveTo,
  choose,
}: {
  state: PlacementState;
  answers?: Record<string, TriedClass>;
  outlooks?: Record<string, Outlook>;
  /** Cells that a draft changes. */
  changed: ReadonlySet<string>;
  cell: Cell;
  setCell: (cell: Cell) => void;
  mayChange: boolean;
} & Omit<MooringActs, 'weigh'>) {
  const { chart } = useTheme();
  const table = useRef<HTMLTableElement>(null);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));
  const classes = state.classes.map((c) => c.name);
  const shown = grouped(state);
  const pools = shown.map((p) => p.id);
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
  const byBackend = [...new Set(shown.map((p) => p.backend))].map((backend) => ({
    backend,
    count: shown.filter((p) => p.backend === backend).length,
  }));
  // the classes stay in sight while many pools are scrolled through
  const stays = { position: 'sticky', left: 0, zIndex: 3, bgcolor: 'background.paper' } as const;
  const divider = (i: number) =>
    i > 0 && shown[i]!.backend !== shown[i - 1]!.backend ? { borderLeft: `2px solid ${chart.rule}` } : {};
  return (
    <DndContext
      sensors={sensors}
      onDragEnd={({ active, over }) => {
        if (!over || !mayChange) return;
        const [className, pool] = String(active.id).split('/') as [string, string];
        const [otherClass, onto] = String(over.id).split('/') as [string, string];
        if (className === otherClass && pool !== onto && find({ className, pool: onto }))
          moveTo({ className, pool, onto });
      }}
    >
      <Table ref={table} size="small" role="grid" aria-label="Moorings: classes by pools" onKeyDown={onKey}>
        <TableHead>
          <TableRow>
            <TableCell rowSpan={2} sx={stays}>
              Class
            </TableCell>
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
            {shown.map((p, i) => (
              <TableCell key={p.id} sx={divider(i)}>
                {p.name}
                <Typography variant="caption" component="div">
                  {isHere(state, p)
                    ? `${p.tier}, ${p.facts.access.join(' and ')}`
                    : `copies only, at ${p.sites.join(', ')}`}
                  {p.reachable ? '' : ' · does not answer'}
                </Typography>
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {state.classes.map((cls) => (
            <TableRow key={cls.name}>
              <TableCell component="th" scope="row" sx={{ whiteSpace: 'nowrap', py: 0.25, ...stays }}>
                <strong>{cls.name}</strong>
                <Typography variant="caption" component="span" color="text.secondary">
                  {' '}
                  ·{' '}
                  <StrategyPick
                    className={cls.name}
                    strategy={cls.strategy}
                    disabled={!mayChange}
                    choose={(strategy) => choose({ className: cls.name, strategy })}
                  />
                  {state.defaultClass === cls.name && ' · default'}
                </Typography>
                <Typography
                  variant="caption"
                  component="div"
                  sx={{ color: outlooks?.[cls.name]?.claims === 0 ? 'warning.main' : 'text.secondary' }}
                  title={
                    outlooks?.[cls.name]?.known === false
                      ? 'Nobody has asked this class yet: 100 GiB is a guess.'
                      : undefined
                  }
                >
                  {outlooks?.[cls.name] ? outlookText(outlooks[cls.name]!) : ' '}
                </Typography>
              </TableCell>
              {shown.map((pool, i) => {
                const here = { className: cls.name, pool: pool.id };
                const id = `${cls.name}/${pool.id}`;
                const chosen = cell.className === cls.name && cell.pool === pool.id;
                const answer = answers?.[cls.name];
                const place = answer?.winner === pool.id ? 'lands' : answer?.runnerUp === pool.id ? 'next' : undefined;
                return (
                  <GridCell
                    key={pool.id}
                    id={id}
                    title={`${cls.name} on ${pool.name}`}
                    elsewhere={!isHere(state, pool)}
                    mooring={find(here)}
                    tried={cellOf(state, answer, pool.id)}
                    place={place}
                    chosen={chosen}
                    changed={changed.has(id)}
                    edge={divider(i)}
                    choose={() => setCell(here)}
                  />
                );
              })}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </DndContext>
  );
}

const strategyHelp: Record<Strategy, string> = {
  'in-order': 'The first pool in order that fits',
  spread: 'The pool with most room left after it',
  pack: 'The pool it fills best',
};

/** The strategy of a class, to be changed where it shows. */
function StrategyPick({
  className,
  strategy,
  disabled,
  choose,
}: {
  className: string;
  strategy: Strategy;
  disabled: boolean;
  choose: (strategy: Strategy) => void;
}) {
  return (
    <NativeSelect
      value={strategy}
      disabled={disabled}
      disableUnderline
      title={strategyHelp[strategy]}
      inputProps={{ 'aria-label': `How ${className} chooses among pools that fit` }}
      // keys that move in the grid are the field's own here
      onKeyDown={(event) => event.stopPropagation()}
      onChange={(event) => choose(event.target.value as Strategy)}
      sx={{ fontSize: 'inherit', color: 'inherit', '& select': { py: 0, minHeight: 0, fieldSizing: 'content' } }}
    >
      {strategies.map((s) => (
        <option key={s} value={s}>
          {s.replace('-', ' ')}
        </option>
      ))}
    </NativeSelect>
  );
}

function GridCell({
  id,
  title,
  chosen,
  changed,
  edge,
  choose,
  ...content
}: CellProps & { id: string; title: string; chosen: boolean; changed: boolean; edge: object; choose: () => void }) {
  const { chart } = useTheme();
  const { setNodeRef, isOver } = useDroppable({ id });
  const { mooring, place } = content;
  return (
    <TableCell
      ref={setNodeRef}
      role="gridcell"
      data-cell={id}
      tabIndex={chosen ? 0 : -1}
      aria-selected={chosen}
      data-mooring={mooring ? (mooring.enabled ? ordinal(mooring.order) : 'off') : 'none'}
      data-changed={changed || undefined}
      title={changed ? `${title}, changed in the draft` : title}
      onClick={choose}
      sx={{
        cursor: 'pointer',
        minWidth: 134,
        py: 0.25,
        verticalAlign: 'top',
        ...edge,
        bgcolor: isOver ? chart.depth[0] : place === 'lands' ? chart.depth[1] : 'transparent',
        color: place === 'lands' ? chart.onDepth[1] : 'text.primary',
        boxShadow: chosen ? `inset 0 0 0 2px ${chart.tide}` : 'none',
        outline: changed ? `1px dashed ${chart.ink}` : undefined,
        outlineOffset: -4,
      }}
    >
      <CellContent id={id} {...content} />
    </TableCell>
  );
}
