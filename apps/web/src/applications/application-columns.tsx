import type { GridColDef } from '@mui/x-data-grid';
import type { ApplicationRow } from '@moorage/contract/applications';
import { Mark, MarkedWord } from '../marks/Mark';
import { Changed } from '../parts/Changed';
import { Size } from '../parts/Size';
import { briefAll, copyMarks, copyWords, readyMark, wantedOf } from './words';

/** What the server calls the order by a column. */
export const sortOf: Record<string, string> = {
  name: 'name',
  namespace: 'namespace',
  ready: 'ready',
  claims: 'claims',
  bytes: 'bytes',
  worst: 'worst',
  points: 'points',
};

/** A few names, and how many more there are. */
const some = (names: readonly string[], most = 2): string =>
  names.length === 0
    ? '–'
    : [...names.slice(0, most), ...(names.length > most ? [`${names.length - most} more`] : [])].join(', ');

const Cut = ({ text, title = text }: { text: string; title?: string }) => (
  <span title={title} style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}>
    {text}
  </span>
);

const right = { align: 'right', headerAlign: 'right' } as const;
const names = (field: 'classes' | 'pools', headerName: string, width: number): GridColDef<ApplicationRow> => ({
  ...{ field, headerName, width, sortable: false },
  renderCell: ({ row }) => <Cut text={some(row[field], 1)} title={row[field].join(', ')} />,
});

export const columns: GridColDef<ApplicationRow>[] = [
  {
    field: 'ready',
    headerName: 'Ready',
    width: 92,
    renderCell: ({ row }) => (
      <Changed key={row.uid} of={`${row.ready} of ${wantedOf(row)}`}>
        <Mark kind={readyMark(row)} />
        {row.ready} of {wantedOf(row)}
      </Changed>
    ),
  },
  { field: 'namespace', headerName: 'Namespace', width: 130 },
  { field: 'name', headerName: 'Application', width: 130, renderCell: ({ row }) => <strong>{row.name}</strong> },
  { field: 'claims', headerName: 'Claims', width: 68, ...right },
  { field: 'bytes', headerName: 'Asked', width: 78, ...right, renderCell: ({ row }) => <Size bytes={row.bytes} /> },
  names('classes', 'Class', 104),
  names('pools', 'Pool', 104),
  {
    field: 'nodes',
    headerName: 'Where its pods are',
    width: 150,
    sortable: false,
    renderCell: ({ row }) => (
      <Cut
        text={
          row.nodes.length === 0
            ? 'nowhere'
            : `${row.nodes.length} ${row.nodes.length === 1 ? 'node' : 'nodes'}, ${row.zones.length === 1 ? row.zones[0] : `${row.zones.length} zones`}`
        }
        title={`${row.nodes.join(', ')}; ${row.zones.join(', ')}`}
      />
    ),
  },
  {
    field: 'worst',
    headerName: 'Worst copy',
    width: 150,
    renderCell: ({ row }) =>
      row.worst === null ? (
        <span title="Their backends place copies themselves and do not tell of each.">not told</span>
      ) : (
        <MarkedWord kind={copyMarks[row.worst]} word={copyWords[row.worst]} />
      ),
  },
  {
    field: 'points',
    headerName: 'What stops it in one go',
    flex: 1,
    minWidth: 180,
    renderCell: ({ row }) => <Cut text={row.points.length === 0 ? '–' : briefAll(row.points)} />,
  },
];
