import { DataGrid, type GridColDef, type GridRowSelectionModel } from '@mui/x-data-grid';
import type { SeenDisk } from '@moorage/contract/inventory';
import { unfit } from '@moorage/core/clusters/disk';
import { useMemo } from 'react';
import { Size } from '../parts/Size';
import { mono } from '../theme/theme';
import { diskWords } from './words';
import type { Role } from './drawing';

interface Row extends SeenDisk {
  readonly role: string;
  readonly words: string;
}

const columns: GridColDef<Row>[] = [
  { field: 'node', headerName: 'Node', width: 90 },
  {
    field: 'id',
    headerName: 'Disk',
    flex: 1,
    minWidth: 170,
    renderCell: ({ value }) => <span style={{ fontFamily: mono, fontSize: 12 }}>{value}</span>,
  },
  { field: 'media', headerName: 'Media', width: 76 },
  {
    field: 'capacity',
    headerName: 'Size',
    type: 'number',
    width: 90,
    renderCell: ({ row }) => <Size bytes={row.capacity} />,
  },
  {
    field: 'provisioned',
    headerName: 'Promised',
    type: 'number',
    width: 104,
    renderCell: ({ row }) => (row.use === 'owned' ? <Size bytes={row.provisioned} /> : '–'),
  },
  { field: 'lifeLeft', headerName: 'Life left', type: 'number', width: 96, valueFormatter: (v: number) => `${v} %` },
  { field: 'role', headerName: 'Chosen for', width: 110 },
  { field: 'words', headerName: 'State', flex: 1.2, minWidth: 180 },
];

/** The same disks as a table: for the keyboard, for sorting, for those who read rather than look. */
export function DiskTable({
  disks,
  roles,
  mayPick,
  onPick,
}: {
  disks: readonly SeenDisk[];
  roles: ReadonlyMap<string, Role>;
  /** Whether a disk can be chosen at all; what cannot is shown with its reason. */
  mayPick?: (disk: SeenDisk) => boolean;
  onPick?: (disks: readonly SeenDisk[]) => void;
}) {
  const rows = useMemo(
    () => disks.map((d): Row => ({ ...d, role: roles.get(d.id) ?? '', words: diskWords(d, unfit(d)) })),
    [disks, roles],
  );
  const selection: GridRowSelectionModel = { type: 'include', ids: new Set(roles.keys()) };
  return (
    <DataGrid
      rows={rows}
      columns={disks.some((d) => d.use === 'owned') ? columns : columns.filter((c) => c.field !== 'provisioned')}
      density="compact"
      aria-label="Disks"
      disableColumnMenu
      sx={{ height: 'max(420px, 58vh)' }}
      hideFooterSelectedRowCount
      checkboxSelection={onPick !== undefined}
      disableRowSelectionOnClick
      isRowSelectable={({ row }) => mayPick?.(row) ?? true}
      rowSelectionModel={onPick ? selection : { type: 'include', ids: new Set() }}
      onRowSelectionModelChange={(model) => {
        const now =
          model.type === 'include' ? model.ids : new Set(rows.filter((r) => !model.ids.has(r.id)).map((r) => r.id));
        const changed = rows.filter((r) => now.has(r.id) !== roles.has(r.id) && (mayPick?.(r) ?? true));
        if (changed.length > 0) onPick?.(changed);
      }}
    />
  );
}
