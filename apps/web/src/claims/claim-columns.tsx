import type { GridColDef } from '@mui/x-data-grid';
import type { ClaimRow } from '@moorage/contract/claims';
import { Mark } from '../marks/Mark';
import { Changed } from '../parts/Changed';
import { Size } from '../parts/Size';
import { When } from '../parts/When';
import { claimSentence, standing } from './words';

/** What the server calls the order by a column. */
export const sortOf: Record<string, string> = {
  name: 'name',
  namespace: 'namespace',
  className: 'class',
  requested: 'size',
  state: 'state',
  createdAt: 'created',
};

export const columns: GridColDef<ClaimRow>[] = [
  {
    field: 'state',
    headerName: 'State',
    width: 132,
    renderCell: ({ row }) => {
      const { kind, word } = standing(row);
      return (
        <Changed key={row.uid} of={word}>
          <Mark kind={kind} />
          {word}
        </Changed>
      );
    },
  },
  { field: 'namespace', headerName: 'Namespace', width: 110 },
  { field: 'name', headerName: 'Claim', width: 176, renderCell: ({ row }) => <strong>{row.name}</strong> },
  { field: 'className', headerName: 'Class', width: 108, valueGetter: (_v, row) => row.className ?? '–' },
  {
    field: 'requested',
    headerName: 'Asked',
    width: 74,
    align: 'right',
    headerAlign: 'right',
    renderCell: ({ row }) => <Size bytes={row.requested} />,
  },
  {
    field: 'provisioned',
    headerName: 'Got',
    width: 74,
    align: 'right',
    headerAlign: 'right',
    sortable: false,
    renderCell: ({ row }) => <Size bytes={row.provisioned} />,
  },
  {
    field: 'consumed',
    headerName: 'Written',
    width: 78,
    align: 'right',
    headerAlign: 'right',
    sortable: false,
    renderCell: ({ row }) => <Size bytes={row.consumed} />,
  },
  {
    field: 'reason',
    headerName: 'Where, or why not',
    flex: 1,
    minWidth: 240,
    sortable: false,
    renderCell: ({ row }) => (
      <span title={claimSentence(row)} style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}>
        {claimSentence(row)}
      </span>
    ),
  },
  { field: 'createdAt', headerName: 'Since', width: 84, renderCell: ({ row }) => <When at={row.createdAt} /> },
];
