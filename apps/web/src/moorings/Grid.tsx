import { DndContext, PointerSensor, useDraggable, useDroppable, useSensor, useSensors } from '@dnd-kit/core';
import { Box, NativeSelect, TableCell, TableRow, Typography } from '@mui/material';
import { styled, useTheme } from '@mui/material/styles';
import { tiers } from '@moorage/contract/backends';
import { isHere, type MooringRow, type PlacementState } from '@moorage/contract/moorings';
import { strategies, type Strategy } from '@moorage/core/classes/storage-class';
import type { Outlook } from '@moorage/core/placement/outlook';
import { sizeText } from '@moorage/core/sizes/display';
import { cellKey, Matrix, type CellProps } from '../parts/Matrix';
import { failureShort } from './check-words';
import { ordinal } from './ordinal';
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

interface CellContents {
  /** The pool is there for off-site copies alone. */
  readonly elsewhere: boolean;
  readonly mooring?: MooringRow;
  readonly tried?: TriedCell;
  readonly place?: 'lands' | 'next';
}

function verdict({ elsewhere, mooring, tried, place }: CellContents): {
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

function CellContent({ id, ...props }: CellContents & { id: string }) {
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
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));
  const shown = grouped(state);
  const poolAt = new Map(shown.map((p, i) => [p.id, { pool: p, edge: divider(shown, i, chart.rule) }]));
  const classAt = new Map(state.classes.map((c) => [c.name, c]));
  /** Space turns a mooring on or off; Alt with up and down reorders. */
  const act = (event: React.KeyboardEvent): boolean => {
    if (event.key === ' ') {
      if (mayChange) turn({ ...cell, enabled: !(find(cell)?.enabled ?? false) });
      return true;
    }
    if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return false;
    if (mayChange) move({ ...cell, by: event.key === 'ArrowUp' ? -1 : 1 });
    return true;
  };
  const byBackend = [...new Set(shown.map((p) => p.backend))].map((backend) => ({
    backend,
    count: shown.filter((p) => p.backend === backend).length,
  }));
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
      <Matrix
        label="Moorings: classes by pools"
        rows={state.classes.map((c) => c.name)}
        columns={shown.map((p) => p.id)}
        chosen={{ row: cell.className, column: cell.pool }}
        choose={({ row, column }) => setCell({ className: row, pool: column })}
        onKey={act}
        corner="Class"
        above={
          <TableRow>
            <TableCell sx={{ borderBottom: 0 }} />
            {byBackend.map(({ backend, count }, i) => (
              <BackendHead key={backend} colSpan={count} parted={i > 0}>
                {backend}
              </BackendHead>
            ))}
          </TableRow>
        }
        columnHead={(id) => <PoolHead key={id} state={state} {...poolAt.get(id)!} />}
        rowHead={(name) => (
          <ClassHead
            cls={classAt.get(name)!}
            isDefault={state.defaultClass === name}
            outlook={outlooks?.[name]}
            mayChange={mayChange}
            choose={choose}
          />
        )}
        cell={(at, props) => {
          const { pool, edge } = poolAt.get(at.column)!;
          const answer = answers?.[at.row];
          return (
            <GridCell
              key={pool.id}
              title={`${at.row} on ${pool.name}`}
              elsewhere={!isHere(state, pool)}
              mooring={find({ className: at.row, pool: pool.id })}
              tried={cellOf(state, answer, pool.id)}
              place={answer?.winner === pool.id ? 'lands' : answer?.runnerUp === pool.id ? 'next' : undefined}
              changed={changed.has(cellKey(at))}
              edge={edge}
              grid={props}
            />
          );
        }}
      />
    </DndContext>
  );
}

/** A line before the first pool of each backend but the first. */
const divider = (shown: PlacementState['pools'], i: number, rule: string): object =>
  i > 0 && shown[i]!.backend !== shown[i - 1]!.backend ? { borderLeft: `2px solid ${rule}` } : {};

const BackendHead = styled(TableCell, { shouldForwardProp: (prop) => prop !== 'parted' })<{ parted: boolean }>(
  ({ theme, parted }) => ({
    borderBottom: 0,
    paddingBottom: 0,
    color: theme.palette.text.primary,
    ...(parted && { borderLeft: `2px solid ${theme.chart.rule}` }),
  }),
);

function PoolHead({
  state,
  pool,
  edge,
}: {
  state: PlacementState;
  pool: PlacementState['pools'][number];
  edge: object;
}) {
  return (
    <TableCell sx={edge}>
      {pool.name}
      <Typography variant="caption" component="div">
        {isHere(state, pool)
          ? `${pool.tier}, ${pool.facts.access.join(' and ')}`
          : `copies only, at ${pool.sites.join(', ')}`}
        {pool.reachable ? '' : ' · does not answer'}
      </Typography>
    </TableCell>
  );
}

/** A class, how it chooses, and how much more of it the pools could take. */
function ClassHead({
  cls,
  isDefault,
  outlook,
  mayChange,
  choose,
}: {
  cls: PlacementState['classes'][number];
  isDefault: boolean;
  outlook: Outlook | undefined;
  mayChange: boolean;
  choose: MooringActs['choose'];
}) {
  return (
    <>
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
        {isDefault && ' · default'}
      </Typography>
      <Typography
        variant="caption"
        component="div"
        sx={{ color: outlook?.claims === 0 ? 'warning.main' : 'text.secondary' }}
        title={outlook?.known === false ? 'Nobody has asked this class yet: 100 GiB is a guess.' : undefined}
      >
        {outlook ? outlookText(outlook) : ' '}
      </Typography>
    </>
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
  title,
  changed,
  edge,
  grid,
  ...content
}: CellContents & { title: string; changed: boolean; edge: object; grid: CellProps }) {
  const { chart } = useTheme();
  const id = grid['data-cell'];
  const { setNodeRef, isOver } = useDroppable({ id });
  const { mooring, place } = content;
  return (
    <TableCell
      ref={setNodeRef}
      {...grid}
      data-mooring={mooring ? (mooring.enabled ? ordinal(mooring.order) : 'off') : 'none'}
      data-changed={changed || undefined}
      title={changed ? `${title}, changed in the draft` : title}
      sx={{
        cursor: 'pointer',
        minWidth: 134,
        py: 0.25,
        verticalAlign: 'top',
        ...edge,
        bgcolor: isOver ? chart.depth[0] : place === 'lands' ? chart.depth[1] : 'transparent',
        color: place === 'lands' ? chart.onDepth[1] : 'text.primary',
        boxShadow: grid['aria-selected'] ? `inset 0 0 0 2px ${chart.tide}` : 'none',
        outline: changed ? `1px dashed ${chart.ink}` : undefined,
        outlineOffset: -4,
      }}
    >
      <CellContent id={id} {...content} />
    </TableCell>
  );
}
