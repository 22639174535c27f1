import { Button, styled, TableCell, TableRow } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { sizeText } from '@moorage/core/sizes/display';
import { useMemo, useState } from 'react';
import { Mark } from '../marks/Mark';
import { Column, Row } from '../parts/layout';
import { Matrix, type At } from '../parts/Matrix';
import { claimsAt, joined, sheetOf, type SeenCopy, type SheetCell, type SheetColumn, type SheetRow } from './sheet';
import { copyWords, podMark, podWord } from './words';

/** Rows drawn at once; the rest is a click away. */
const atOnce = 100;

const Head = styled(TableCell, { shouldForwardProp: (p) => p !== 'stops' })<{ stops?: boolean }>(
  ({ theme, stops }) => ({
    textAlign: 'center',
    whiteSpace: 'nowrap',
    padding: '3px 8px',
    borderLeft: `1px solid ${theme.palette.divider}`,
    ...(stops && { color: theme.chart.lamp, boxShadow: `inset 0 -3px ${theme.chart.lamp}` }),
  }),
);
const Cell = styled(TableCell, { shouldForwardProp: (p) => p !== 'stops' && p !== 'picked' })<{
  stops?: boolean;
  picked?: boolean;
}>(({ theme, stops, picked }) => ({
  textAlign: 'center',
  padding: '2px 6px',
  height: 30,
  borderLeft: `1px solid ${theme.palette.divider}`,
  cursor: 'pointer',
  ...(picked && { outline: `2px solid ${theme.palette.primary.main}`, outlineOffset: -2 }),
  ...(stops && { backgroundColor: theme.chart.depth[0] }),
}));

/** A copy: filled as far as it is in step; a witness, which holds nothing, is a ring. */
function CopyShape({ copy }: { copy: SeenCopy }) {
  const { chart } = useTheme();
  const { state, role, percent } = copy;
  const full = state === 'in-sync' ? 10 : state === 'resyncing' ? Math.max(1, Math.round(percent / 10)) : 0;
  const edge = state === 'lost' ? chart.buoy : state === 'stale' ? chart.lamp : chart.ink;
  const word = role === 'witness' ? 'witness' : `copy ${copyWords[state]}`;
  return (
    <svg width="12" height="12" viewBox="0 0 12 12" role="img" aria-label={word} style={{ flex: 'none' }}>
      <title>{`${copy.claim.name}: ${word}, disk ${copy.disk}`}</title>
      {role === 'witness' ? (
        <circle cx="6" cy="6" r="4" fill="none" stroke={chart.ink} strokeWidth="1.4" />
      ) : (
        <>
          <rect x="1" y={11 - full} width="10" height={full} fill={chart.depth[3]} />
          <rect x="1" y="1" width="10" height="10" fill="none" stroke={edge} strokeWidth="1.2" />
          {state === 'lost' && <path d="M2 2l8 8M10 2l-8 8" stroke={chart.buoy} strokeWidth="1.6" />}
        </>
      )}
    </svg>
  );
}

function Inside({ cell, row }: { cell: SheetCell; row: SheetRow }) {
  const { chart } = useTheme();
  return (
    <Row gap={0.5} align="center" justify="center">
      {cell.runs && row.replica && (
        <span title={`${row.replica.pod}: ${podWord(row.replica)}`} style={{ display: 'inline-flex' }}>
          <Mark kind={podMark(row.replica)} size={16} />
        </span>
      )}
      {cell.copies.map((copy) => (
        <CopyShape key={copy.disk} copy={copy} />
      ))}
      {cell.volumes.map((claim) => (
        <svg
          key={claim.uid}
          width="16"
          height="12"
          viewBox="0 0 16 12"
          role="img"
          aria-label={`volume of ${claim.name}`}
        >
          <title>{`${claim.name}: ${sizeText(claim.provisioned ?? claim.requested)}`}</title>
          <rect x="1" y="1" width="14" height="10" fill={chart.depth[2]} stroke={chart.ink} strokeWidth="1" />
        </svg>
      ))}
    </Row>
  );
}

/** Names of what stops several replicas, by kind. */
function stopping(points: ApplicationSeen['points']) {
  const names = new Map<string, string>();
  for (const p of points) {
    const of = p.level === 'disk' ? undefined : `${p.level}/${p.name}`;
    if (of && !names.has(of)) names.set(of, `${p.pods.length} stop when it fails`);
  }
  return names;
}

/** Replicas by nodes and pools, where each pod runs and each copy lies. */
export function SheetDrawing({
  seen,
  select,
  endPod,
}: {
  seen: ApplicationSeen;
  select: (claim: string) => void;
  /** Undefined where pods may not be deleted. */
  endPod: ((pod: string) => void) | undefined;
}) {
  const sheet = useMemo(() => sheetOf(seen), [seen]);
  const stops = useMemo(() => stopping(seen.points), [seen.points]);
  const [shown, setShown] = useState(atOnce);
  const rows = sheet.rows.slice(0, shown);
  const byKey = new Map(rows.map((r) => [r.key, r]));
  const columnOf = new Map(sheet.columns.map((c) => [c.key, c]));
  const [chosen, setChosen] = useState<At>();
  const [turn, setTurn] = useState(0);
  const choose = (at: At) => {
    // chosen once more, the next of what lies there
    const next = chosen?.row === at.row && chosen.column === at.column ? turn + 1 : 0;
    setChosen(at);
    setTurn(next);
    const [row, column] = [byKey.get(at.row), columnOf.get(at.column)];
    const claims = row && column ? claimsAt(sheet, row, column) : [];
    const claim = claims[next % Math.max(1, claims.length)];
    if (claim) select(`${seen.application.namespace}/${claim.name}`);
  };
  const isHit = (level: 'node' | 'rack' | 'zone' | 'pool' | 'backend', name: string | null) =>
    name !== null && stops.has(`${level}/${name}`);
  const hit = (c: SheetColumn) =>
    c.kind === 'node'
      ? isHit('node', c.name) || isHit('rack', c.rack) || isHit('zone', c.group)
      : isHit('pool', c.name) || isHit('backend', c.group);
  const above = (
    of: (c: SheetColumn) => string | null,
    level: (kind: SheetColumn['kind']) => 'zone' | 'rack' | 'backend',
  ) => (
    <TableRow>
      <TableCell />
      {joined(sheet.columns, of).map(({ name, kind, span, first }) => (
        <Head
          key={first}
          colSpan={span}
          stops={isHit(level(kind), name)}
          title={name === null ? undefined : stops.get(`${level(kind)}/${name}`)}
        >
          {name ?? ''}
        </Head>
      ))}
    </TableRow>
  );
  const hasRacks = sheet.columns.some((c) => c.rack !== null);
  return (
    <Column gap={1} sx={{ overflow: 'auto' }}>
      <Matrix
        label={`Where ${seen.application.name} runs and where its data lies`}
        rows={rows.map((r) => r.key)}
        columns={sheet.columns.map((c) => c.key)}
        chosen={chosen ?? { row: rows[0]?.key ?? '', column: sheet.columns[0]?.key ?? '' }}
        choose={choose}
        corner="Replica"
        above={
          <>
            {above(
              (c) => c.group,
              (kind) => (kind === 'node' ? 'zone' : 'backend'),
            )}
            {hasRacks &&
              above(
                (c) => c.rack,
                () => 'rack',
              )}
          </>
        }
        columnHead={(key) => {
          const column = columnOf.get(key)!;
          const name = column.kind === 'node' ? `node/${column.name}` : `pool/${column.name}`;
          return (
            <Head key={key} stops={stops.has(name)} title={stops.get(name)}>
              {column.name}
            </Head>
          );
        }}
        rowHead={(key) => {
          const row = byKey.get(key)!;
          return row.replica ? (
            <Row gap={1} align="center">
              <Mark kind={podMark(row.replica)} />
              <span>{row.replica.pod}</span>
            </Row>
          ) : (
            <span style={{ color: 'var(--second-ink)' }} title="A claim of this application that no pod mounts now">
              {row.claims[0]!.name}, no pod
            </span>
          );
        }}
        afterHead={<Head sx={{ textAlign: 'left !important' }}>State</Head>}
        after={(key) => {
          const row = byKey.get(key)!;
          return (
            <TableCell sx={{ whiteSpace: 'nowrap' }} title={row.replica?.why ?? undefined}>
              <Row gap={1} align="center" justify="space-between">
                <span>{row.replica ? podWord(row.replica) : 'kept'}</span>
                {endPod && row.replica && !row.replica.deleting && (
                  <Button
                    variant="text"
                    onClick={() => endPod(row.replica!.pod)}
                    aria-label={`Delete the pod ${row.replica.pod}`}
                    sx={{ minHeight: 22, py: 0 }}
                  >
                    Delete pod
                  </Button>
                )}
              </Row>
            </TableCell>
          );
        }}
        cell={(at, props) => {
          const [row, column] = [byKey.get(at.row)!, columnOf.get(at.column)!];
          return (
            <Cell
              key={at.column}
              {...props}
              stops={hit(column)}
              picked={chosen !== undefined && props['aria-selected']}
            >
              <Inside cell={sheet.cell(row, column)} row={row} />
            </Cell>
          );
        }}
      />
      {sheet.rows.length > shown && (
        <div>
          <Button onClick={() => setShown(shown + atOnce)}>
            Draw {Math.min(atOnce, sheet.rows.length - shown).toLocaleString('en-GB')} more
          </Button>
        </div>
      )}
    </Column>
  );
}
