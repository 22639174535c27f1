import { Paper, TableCell, TableRow, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { styled, useTheme } from '@mui/material/styles';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import { useAddress, useInAddress } from '../frame/address';
import { MarkedWord } from '../marks/Mark';
import { Matrix, type CellProps } from '../parts/Matrix';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { depthStep } from '../theme/tokens';
import { UseOf } from './UseOf';
import { Column, FaintCell } from '../parts/layout';

const measures = ['provisioned', 'requested', 'consumed', 'footprint'] as const;
type Measure = (typeof measures)[number];
const measureWords: Record<Measure, string> = {
  provisioned: 'provisioned',
  requested: 'requested',
  consumed: 'written',
  footprint: 'raw, with copies',
};

function share(use: number, limit: number | null, largest: number): number {
  return limit ? Math.min(use / limit, 1) : largest > 0 ? (use / largest) * 0.8 : 0;
}

/** What is drawn of one cell: bytes by each measure, and the limit when there is one. */
type Use = { readonly [K in Measure]: number } & { readonly limit: number | null; readonly unbound?: number };

const Tinted = styled(TableCell)(({ theme }) => ({
  padding: theme.spacing(0.6, 1.25),
  height: 44,
  cursor: 'pointer',
  '&:focus-visible': { outline: `2px solid ${theme.chart.tide}`, outlineOffset: -2 },
}));

/** `whole` is what the value is compared with where there is no limit. */
function UseCell({
  use,
  measure,
  whole,
  grid,
}: {
  use: Use | undefined;
  measure: Measure;
  whole: number;
  grid: CellProps;
}) {
  const { chart } = useTheme();
  const value = use?.[measure] ?? 0;
  // a limit is in provisioned bytes: nothing else is a share of it
  const limit = measure === 'provisioned' ? (use?.limit ?? null) : null;
  const step = depthStep(share(value, limit, whole));
  const over = limit !== null && value > 0.9 * limit;
  const colour = value > 0 ? chart.onDepth[step] : chart.ink;
  return (
    <Tinted
      align="right"
      {...grid}
      sx={{
        bgcolor: value > 0 ? chart.depth[step] : 'transparent',
        color: colour,
        '--second-ink': colour,
        boxShadow: grid['aria-selected'] ? `inset 0 0 0 2px ${chart.ink}` : 'none',
      }}
    >
      {use ? <Size bytes={value} /> : <span>–</span>}
      <Typography
        variant="caption"
        component="div"
        sx={{ color: over ? 'inherit' : colour, fontWeight: over ? 700 : 400 }}
      >
        {limit
          ? `${Math.round((100 * value) / limit)} % of limit`
          : use?.unbound
            ? `${use.unbound} without volume`
            : ' '}
      </Typography>
    </Tinted>
  );
}

function BoundOf({ row }: { row: NamespaceUsage }) {
  const unbound = row.classes.reduce((sum, c) => sum + c.unbound, 0);
  return unbound > 0 ? (
    <MarkedWord kind="waiting" word={`${row.claims - unbound} of ${row.claims} bound`} />
  ) : (
    `${row.claims} bound`
  );
}

/** In the place of a class: all of them. */
const all = '';

/** Namespaces by classes, by one measure at a time. */
export function UseGrid({ rows }: { rows: readonly NamespaceUsage[] }) {
  const may = useMay('administrator', 'operator');
  const [measure, setMeasure] = useInAddress('measure', 'provisioned');
  const [namespace] = useInAddress('namespace');
  const [className] = useInAddress('class');
  const change = useAddress();
  const shown = (measures.includes(measure as Measure) ? measure : 'provisioned') as Measure;
  const classes = [...new Set(rows.flatMap((r) => r.classes.map((c) => c.className)))].filter(Boolean).sort();
  const byName = new Map(rows.map((r) => [r.namespace, r]));
  const chosen = byName.get(namespace) ?? rows[0];
  const usedOf = (row: NamespaceUsage, column: string): Use | undefined =>
    column === all ? row : row.classes.find((u) => u.className === column);
  const total = (column: string) => rows.reduce((sum, r) => sum + (usedOf(r, column)?.[shown] ?? 0), 0);
  const largest = Math.max(...rows.flatMap((r) => r.classes.map((c) => c[shown])), 0);
  return (
    <Column gap={1.5}>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={shown}
        onChange={(_e, m: Measure | null) => m && setMeasure(m)}
        aria-label="Measure"
      >
        {measures.map((m) => (
          <ToggleButton key={m} value={m}>
            {measureWords[m]}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Paper sx={{ overflow: 'auto' }}>
        <Matrix
          label="Use by namespace and class"
          rows={rows.map((r) => r.namespace)}
          columns={[...classes, all]}
          chosen={{ row: chosen?.namespace ?? '', column: className }}
          choose={({ row, column }) => change({ namespace: row, class: column || null })}
          corner="Namespace"
          columnHead={(column) => (
            <TableCell key={column} align="right">
              {column || 'All classes'}
            </TableCell>
          )}
          rowHead={(name) => <strong>{name}</strong>}
          cell={({ row, column }, props) => (
            <UseCell
              key={column}
              use={usedOf(byName.get(row)!, column)}
              measure={shown}
              whole={column === all ? total(all) : largest}
              grid={props}
            />
          )}
          afterHead={<TableCell>Claims</TableCell>}
          after={(name) => (
            <TableCell>
              <BoundOf row={byName.get(name)!} />
            </TableCell>
          )}
          below={
            <TableRow>
              <FaintCell component="th" scope="row">
                All
              </FaintCell>
              {[...classes, all].map((column) => (
                <TableCell key={column} align="right" sx={{ fontWeight: column === all ? 600 : 400 }}>
                  <Size bytes={total(column)} />
                </TableCell>
              ))}
              <TableCell>{rows.reduce((sum, r) => sum + r.claims, 0)}</TableCell>
            </TableRow>
          }
        />
      </Paper>
      {chosen && <UseOf row={chosen} className={className || undefined} may={may} />}
    </Column>
  );
}
