import { styled, Table, TableBody, TableCell, TableHead, TableRow } from '@mui/material';
import { useRef, type ReactNode } from 'react';

/** One place of a matrix. */
export interface At {
  readonly row: string;
  readonly column: string;
}
export const cellKey = ({ row, column }: At): string => `${row}/${column}`;

/** Names of rows stay in sight while many columns are scrolled through. */
const Staying = styled(TableCell)(({ theme }) => ({
  position: 'sticky',
  left: 0,
  zIndex: 3,
  whiteSpace: 'nowrap',
  // the other cells give the row its height
  '&.MuiTableCell-body': { paddingTop: 2, paddingBottom: 2 },
  backgroundColor: theme.palette.background.paper,
})) as typeof TableCell;

/** Where arrow keys lead from a cell; Home and End to the ends of its row. Undefined for other keys and at an edge. */
export function stepFrom(key: string, at: At, rows: readonly string[], columns: readonly string[]): At | undefined {
  const row = rows.indexOf(at.row);
  const column = columns.indexOf(at.column);
  const to = {
    ArrowUp: [row - 1, column],
    ArrowDown: [row + 1, column],
    ArrowLeft: [row, column - 1],
    ArrowRight: [row, column + 1],
    Home: [row, 0],
    End: [row, columns.length - 1],
  }[key];
  if (!to) return undefined;
  const [nextRow, nextColumn] = [rows[to[0]!], columns[to[1]!]];
  return nextRow === undefined || nextColumn === undefined ? undefined : { row: nextRow, column: nextColumn };
}

interface MatrixProps {
  readonly label: string;
  readonly rows: readonly string[];
  readonly columns: readonly string[];
  /** The cell that was chosen; the keys begin there. */
  readonly chosen: At;
  readonly choose: (at: At) => void;
  /** What stands over the names of rows. */
  readonly corner: ReactNode;
  /** A row above the head, which joins columns. */
  readonly above?: ReactNode;
  readonly columnHead: (column: string, index: number) => ReactNode;
  readonly rowHead: (row: string) => ReactNode;
  /** Cells beside the names of rows, and their heads. */
  readonly asideHead?: ReactNode;
  readonly aside?: (row: string) => ReactNode;
  readonly afterHead?: ReactNode;
  readonly after?: (row: string) => ReactNode;
  /** A cell with all that `cellProps` gives it. */
  readonly cell: (at: At, props: CellProps) => ReactNode;
  /** Rows below: totals. */
  readonly below?: ReactNode;
  /** Keys that do more than move; true when one was meant. */
  readonly onKey?: (event: React.KeyboardEvent) => boolean;
}

/** What makes a table cell a part of the grid. */
export interface CellProps {
  readonly role: 'gridcell';
  readonly 'data-cell': string;
  readonly tabIndex: 0 | -1;
  readonly 'aria-selected': boolean;
  readonly onClick: () => void;
}

/** Rows by columns, one cell of which is chosen: by a click or by the arrow keys. */
export function Matrix(props: MatrixProps) {
  const { label, rows, columns, chosen, choose, corner, above, columnHead, rowHead } = props;
  const { asideHead, aside, afterHead, after, cell, below, onKey } = props;
  const table = useRef<HTMLTableElement>(null);
  const move = (event: React.KeyboardEvent) => {
    if (onKey?.(event)) return event.preventDefault();
    if (event.altKey || event.ctrlKey || event.metaKey) return;
    const next = stepFrom(event.key, chosen, rows, columns);
    if (!next) return;
    event.preventDefault();
    choose(next);
    table.current?.querySelector<HTMLElement>(`[data-cell="${CSS.escape(cellKey(next))}"]`)?.focus();
  };
  const isChosen = (at: At) => at.row === chosen.row && at.column === chosen.column;
  return (
    <Table ref={table} size="small" role="grid" aria-label={label} onKeyDown={move}>
      <TableHead>
        {above}
        <TableRow>
          <Staying>{corner}</Staying>
          {asideHead}
          {columns.map(columnHead)}
          {afterHead}
        </TableRow>
      </TableHead>
      <TableBody>
        {rows.map((row) => (
          <TableRow key={row}>
            <Staying component="th" scope="row">
              {rowHead(row)}
            </Staying>
            {aside?.(row)}
            {columns.map((column) => {
              const at = { row, column };
              return cell(at, {
                role: 'gridcell',
                'data-cell': cellKey(at),
                tabIndex: isChosen(at) ? 0 : -1,
                'aria-selected': isChosen(at),
                onClick: () => choose(at),
              });
            })}
            {after?.(row)}
          </TableRow>
        ))}
        {below}
      </TableBody>
    </Table>
  );
}
