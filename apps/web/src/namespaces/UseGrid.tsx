import { Box, Button, TextField, ToggleButton, ToggleButtonGroup } from '@mui/material';
import { styled, useTheme } from '@mui/material/styles';
import { useColumns, useRows, type UseColumn, type UseRow } from '@moorage/contract/usage';
import { useMemo } from 'react';
import { useNamespaces } from '../api/queries';
import { useAddress, useInAddress, useTypedInAddress } from '../frame/address';
import { useMoment } from '../frame/Moment';
import { OneOf } from '../parts/OneOf';
import { Iops, Size } from '../parts/Size';
import { VastMatrix, type Drawn } from '../parts/VastMatrix';
import { Fill, Row } from '../parts/layout';
import { amount } from './statement-words';
import { depthStep } from '../theme/tokens';
import {
  columnKeys,
  columnTitle,
  columnWords,
  isMeasure,
  measures,
  measureWords,
  noneOf,
  rowsShown,
  rowWords,
  shareOf,
  type Figures,
  type Measure,
  type UseIndex,
} from './use';

/** Why a figure is not known. */
const unknownWords: Partial<Record<Measure, string>> = {
  written: 'Its backend did not tell',
  price: 'A part of it has no price: prices are set at the statement',
  share: 'It has no limit',
};
/** A figure in the unit of its measure; a price is of a month. */
export function Figure({ value, measure, currency }: { value: number | null; measure: Measure; currency: string }) {
  if (value === null) return <span title={unknownWords[measure]}>–</span>;
  if (measure === 'price') return <span>{amount(value / 10_000, currency)}</span>;
  if (measure === 'share') return <span>{Math.round(100 * value)} %</span>;
  if (measure === 'iops') return <Iops value={value} />;
  if (measure === 'claims') return <span>{value.toLocaleString('en-GB')}</span>;
  return <Size bytes={value} />;
}

/** What is chosen about the grid, as the address has it. */
export function useUseChoices() {
  const [rows] = useInAddress('rows', 'namespace');
  const [columns] = useInAddress('columns', 'class');
  const [measure] = useInAddress('measure', 'provisioned');
  const [sort] = useInAddress('sort', 'name');
  const [namespace] = useInAddress('namespace');
  const [column] = useInAddress('class');
  // of pods one namespace is told of at a time: without one, classes are shown
  const known = (useColumns as readonly string[]).includes(columns) ? (columns as UseColumn) : 'class';
  const isPods = known === 'pod' && namespace !== '' && rows !== 'team';
  return {
    of: isPods ? namespace : '',
    rows: ((useRows as readonly string[]).includes(rows) ? rows : 'namespace') as UseRow,
    columns: known === 'pod' && !isPods ? 'class' : known,
    measure: isMeasure(measure) ? measure : 'provisioned',
    sort,
    chosen: { row: namespace, column },
  };
}

/** Of which namespace is told alone. */
function OneNamespace({ name }: { name: string }) {
  const change = useAddress();
  const { data } = useNamespaces();
  const names = [...new Set([name, ...(data ?? []).map((n) => n.namespace)])].sort();
  return (
    <OneOf
      label="Namespace"
      width={190}
      value={name}
      options={names.map((n) => [n, n] as const)}
      choose={(n) => change({ namespace: n, class: null })}
    />
  );
}

/** How the grid is looked at: rows, columns, measure, order, and part of a name. */
export function UseControls({ isDrawing = false, first = '' }: { isDrawing?: boolean; first?: string }) {
  const { rows, columns, measure, sort, of, chosen } = useUseChoices();
  const change = useAddress();
  const [q, setQ] = useTypedInAddress('q');
  const at = useMoment();
  return (
    <Row gap={1.5} align="center" wraps sx={{ rowGap: 1.5 }}>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={isDrawing && measure === 'share' ? 'provisioned' : measure}
        onChange={(_e, m: Measure | null) => m && change({ measure: m === 'provisioned' ? null : m })}
        aria-label="Measure"
      >
        {measures
          .filter((m) => !isDrawing || m !== 'share')
          .map((m) => (
            <ToggleButton key={m} value={m}>
              {measureWords[m]}
            </ToggleButton>
          ))}
      </ToggleButtonGroup>
      <Fill />
      <OneOf
        label="Shown as"
        width={130}
        value={isDrawing ? 'shores' : 'grid'}
        options={[
          ['grid', 'grid'],
          ['shores', 'three shores'],
        ]}
        choose={(v) => change({ view: v === 'grid' ? null : v })}
      />
      {!isDrawing && (
        <>
          <Box sx={{ flexBasis: '100%', height: 0 }} />
          <OneOf
            label="Rows"
            width={130}
            value={rows}
            options={useRows.map((r) => [r, rowWords[r]] as const)}
            choose={(r) => change({ rows: r === 'namespace' ? null : r, namespace: null })}
          />
          <OneOf
            label="Columns"
            width={130}
            value={columns}
            options={useColumns.map((c) => [c, columnWords[c]] as const)}
            choose={(c) =>
              change({
                ...{ columns: c === 'class' ? null : c, class: null, sort: null },
                ...(c === 'pod' && { namespace: chosen.row || first, rows: null, q: null }),
              })
            }
          />
          <OneOf
            label="Order"
            width={130}
            value={sort === 'name' || sort === 'largest' ? sort : 'column'}
            options={[
              ['name', 'by name'],
              ['largest', 'largest first'],
              ...(sort === 'name' || sort === 'largest'
                ? []
                : ([['column', `by ${sort || noneOf[columns]}`]] as const)),
            ]}
            choose={(s) => s !== 'column' && change({ sort: s === 'name' ? null : s })}
          />
          {of === '' ? (
            <TextField
              label={`Part of a ${rowWords[rows]}`}
              value={q}
              onChange={(e) => setQ(e.target.value)}
              sx={{ width: 170 }}
              slotProps={{ inputLabel: { shrink: true } }}
            />
          ) : (
            <OneNamespace name={of} />
          )}
          <Button
            href={`/api/use/export?${new URLSearchParams({ rows, columns, ...(at && { at }), ...(of && { namespace: of }) })}`}
          >
            CSV
          </Button>
        </>
      )}
    </Row>
  );
}

/** What stands before a figure, smaller. */
const NoteText = styled('span')({ fontSize: 12, flex: 1, textAlign: 'left' });

function Note({ use, limit, measure }: { use: Figures; limit: number | null; measure: Measure }) {
  const value = use[measure];
  if (measure === 'provisioned' && limit !== null && value !== null)
    return (
      <NoteText title="of its limit" style={{ fontWeight: value > 0.9 * limit ? 700 : 400 }}>
        {Math.round((100 * value) / limit)} %
      </NoteText>
    );
  // an amount with its currency leaves no room beside it, and a limit is of what is there
  return use.unbound > 0 && measure !== 'price' && measure !== 'share' ? (
    <NoteText title="claims without a volume">{use.unbound} unbound</NoteText>
  ) : null;
}

/** Use by rows and columns, by one measure at a time. */
export function UseGrid({ index, open }: { index: UseIndex; open: (row: string, column: string) => void }) {
  const { chart } = useTheme();
  const change = useAddress();
  const { rows: by, columns: of, measure, sort, chosen } = useUseChoices();
  const [q] = useInAddress('q');
  const { grid } = index;
  const { names, place } = useMemo(() => rowsShown(index, q, sort, measure), [index, q, sort, measure]);
  const columns = useMemo(() => columnKeys(grid), [grid]);
  const placeAt = useMemo(() => new Map(columns.map((key, i) => [key, i])), [columns]);
  const largest = useMemo(
    () =>
      measure === 'share' ? 1 : grid.cells[measure].reduce<number>((most, value) => Math.max(most, value ?? 0), 0),
    [grid, measure],
  );
  const largestRow = useMemo(
    () => index.ofRow.reduce((most, r) => Math.max(most, r[measure] ?? 0), 0),
    [index, measure],
  );
  const cell = (at: { row: string; column: string }): Drawn => {
    const row = place.get(at.row)!;
    const column = at.column === '' ? null : placeAt.get(at.column)!;
    const use = column === null ? index.ofRow[row] : index.cell(row, column);
    if (!use) return { content: '–', colour: chart.secondInk };
    const limit = index.limit(row, column);
    const value = use[measure];
    const asLimit = measure === 'provisioned' ? limit : measure === 'share' ? 1 : null;
    const step = depthStep(shareOf(value ?? 0, asLimit, column === null ? largestRow : largest));
    const isDrawn = (value ?? 0) > 0;
    return {
      background: isDrawn ? chart.depth[step] : undefined,
      colour: isDrawn ? chart.onDepth[step] : chart.ink,
      content: (
        <>
          <Note use={use} limit={limit} measure={measure} />
          <Figure value={value} measure={measure} currency={grid.currency} />
        </>
      ),
    };
  };
  return (
    <VastMatrix
      most="max(330px, 100vh - 360px)"
      label={`Use by ${rowWords[by]} and ${columnWords[of]}`}
      rows={names}
      columns={columns}
      chosen={{ row: chosen.row || (names[0] ?? ''), column: placeAt.has(chosen.column) ? chosen.column : '' }}
      choose={(at) => change({ namespace: at.row, class: at.column || null })}
      // what has no name, and several together, cannot be asked for: all of the row is
      open={(at) => open(at.row, grid.columns.includes(at.column) ? at.column : '')}
      corner={rowWords[by]}
      wholeHead="All"
      columnHead={(key) => columnTitle(grid, placeAt.get(key)!, of)}
      rowHead={(name) => <strong title={name}>{name || noneOf[by]}</strong>}
      cell={cell}
      foot={(key) => (
        <Figure
          value={(key === '' ? index.all : index.ofColumn[placeAt.get(key)!]!)[measure]}
          measure={measure}
          currency={grid.currency}
        />
      )}
    />
  );
}
