import { Box, Paper, Table, TableBody, TableCell, TableRow, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { Readiness as ReadinessData } from '@moorage/contract/readiness';
import { useReadiness } from '../api/cluster-queries';
import { useInAddress } from '../frame/address';
import { Mark, MarkedWord } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { cellKey, Matrix } from '../parts/Matrix';
import { useMay } from '../parts/person';
import { Place } from '../parts/Place';
import { Empty, Fetched } from '../parts/States';
import { addressesOf, checkFact, checkRemedy, checkTitles, shortFailure, type Check } from './readiness-words';
import { LetIn } from './LetIn';
import { isRangeable } from './ranges-words';
import { Ranges } from './Ranges';
import { Row, Sheet } from '../parts/layout';

type Cell = ReadinessData['cells'][number];
const marks = { ready: 'settled', weak: 'degraded', unready: 'person' } as const;
const checkMarks = { passed: 'settled', weak: 'degraded', failed: 'person' } as const;

/** What to do about a check that does not pass: done here, copied, or read. */
function Remedy({ check, cell, stay }: { check: Check; cell: Cell; stay: () => void }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const remedy = checkRemedy(check, cell.node, cell.backend);
  if (!remedy) return null;
  if (remedy.startsWith('kubectl'))
    return (
      <Box sx={{ mt: 0.5 }}>
        <Copyable text={remedy} what="command" />
      </Box>
    );
  if (may && check.check === 'export')
    return addressesOf(check)
      .filter(isRangeable)
      .map((address) => <LetIn key={address} address={address} {...cell} begun={stay} />);
  return (
    <Typography variant="body2" sx={{ mt: 0.5, color: check.state === 'failed' ? 'error.main' : 'warning.main' }}>
      {remedy}
    </Typography>
  );
}

/** `stay` keeps this cell chosen when it is no longer the worst. */
function Why({ cell, stay }: { cell: Cell; stay: () => void }) {
  return (
    <Sheet
      component="section"
      aria-label={`Checks of ${cell.node} for ${cell.backend}`}
      sx={{ width: 400, flex: 'none' }}
    >
      <Typography variant="h2">
        {cell.node} to {cell.backend}
      </Typography>
      <Table size="small" aria-label="Checks" sx={{ mt: 1 }}>
        <TableBody>
          {cell.checks.map((c, i) => (
            <TableRow key={`${c.check}-${i}`} sx={{ verticalAlign: 'top' }}>
              <TableCell sx={{ pl: 0, width: 130 }}>
                <Box component="span" sx={{ display: 'inline-flex', gap: 1, alignItems: 'baseline' }}>
                  <Mark kind={checkMarks[c.state]} size={10} />
                  {checkTitles[c.check]}
                </Box>
              </TableCell>
              <TableCell sx={{ pr: 0, overflowWrap: 'anywhere' }}>
                {checkFact(c)}
                <Remedy check={c} cell={cell} stay={stay} />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Sheet>
  );
}

function Board({ data }: { data: ReadinessData }) {
  const { chart } = useTheme();
  const cellAt = new Map(data.cells.map((c) => [`${c.node}/${c.backend}`, c]));
  const worst =
    data.cells.find((c) => c.state === 'unready') ?? data.cells.find((c) => c.state === 'weak') ?? data.cells[0];
  // the worst is only where one begins: what was chosen stays chosen when it is the worst no longer
  const [at, setAt] = useInAddress('at');
  const chosen = cellAt.get(at) ?? worst;
  if (!chosen)
    return (
      <Empty title="Nothing to compare yet">
        As soon as the platform tells of nodes and a backend of pools, they are here.
      </Empty>
    );
  const nodes = new Map(data.nodes.map((n) => [n.name, n]));
  return (
    <Row gap={2} align="flex-start">
      <Paper sx={{ flex: 1, minWidth: 0, overflow: 'auto' }}>
        <Matrix
          label="Nodes and backends"
          rows={data.nodes.map((n) => n.name)}
          columns={data.backends.map((b) => b.id)}
          chosen={{ row: chosen.node, column: chosen.backend }}
          choose={(to) => setAt(cellKey(to))}
          corner="Node"
          asideHead={
            <>
              <TableCell>Zone</TableCell>
              <TableCell>Address</TableCell>
            </>
          }
          columnHead={(id) => <TableCell key={id}>{id}</TableCell>}
          rowHead={(name) => name}
          aside={(name) => (
            <>
              <TableCell>{nodes.get(name)!.zone}</TableCell>
              <TableCell>{nodes.get(name)!.addresses.join(', ')}</TableCell>
            </>
          )}
          cell={(to, props) => {
            const cell = cellAt.get(cellKey(to));
            return (
              <TableCell
                key={to.column}
                {...props}
                sx={{ cursor: 'pointer', bgcolor: props['aria-selected'] ? chart.depth[0] : undefined }}
              >
                {cell ? <MarkedWord kind={marks[cell.state]} word={shortFailure(cell.checks)} /> : '–'}
              </TableCell>
            );
          }}
        />
      </Paper>
      <Why cell={chosen} stay={() => setAt(`${chosen.node}/${chosen.backend}`)} />
    </Row>
  );
}

/** Whether each node can really use each backend, with the exact remedy where it cannot. */
export default function Readiness() {
  const query = useReadiness();
  return (
    <Place
      title="Node readiness"
      question="Can a pod on this node use that backend's volumes, and if not, what is missing?"
    >
      <Fetched query={query}>
        {(data) => (
          <>
            <Board data={data} />
            <Ranges backends={data.backends} />
          </>
        )}
      </Fetched>
    </Place>
  );
}
