import { Box, Button, MenuItem, TextField, ToggleButton, ToggleButtonGroup } from '@mui/material';
import { DataGrid, type GridColDef, type GridSortModel } from '@mui/x-data-grid';
import { claimMarks, type ClaimRow } from '@moorage/contract/claims';
import { useEffect, useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { useClaims, useClasses, useNamespaces } from '../api/queries';
import { useAddress, useGo, useInAddress, useSelected } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Changed } from '../parts/Changed';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Empty, Failed } from '../parts/States';
import { When } from '../parts/When';
import { claimSentence, stateWords } from '../words/claims';
import { NewClaim } from './NewClaim';

const sortOf: Record<string, string> = {
  name: 'name',
  namespace: 'namespace',
  className: 'class',
  requested: 'size',
  state: 'state',
  createdAt: 'created',
};

const columns: GridColDef<ClaimRow>[] = [
  {
    field: 'state',
    headerName: 'State',
    width: 132,
    renderCell: ({ row }) => (
      <Changed key={row.uid} of={row.state}>
        <Mark kind={claimMarks[row.state]} />
        {stateWords[row.state]}
      </Changed>
    ),
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

/** A text field whose value goes to the address once typing pauses. */
function useSettled(value: string, settle: (value: string) => void, afterMs: number): [string, (text: string) => void] {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  useEffect(() => {
    if (text === value) return;
    const timer = setTimeout(() => settle(text), afterMs);
    return () => clearTimeout(timer);
  }, [text, value, settle, afterMs]);
  return [text, setText];
}

export default function Claims() {
  const go = useGo();
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const [selected, select] = useSelected();
  const [namespace, setNamespace] = useInAddress('namespace');
  const [className, setClass] = useInAddress('class');
  const [state, setState] = useInAddress('state');
  const [q, setQ] = useInAddress('q');
  const [making, setMaking] = useInAddress('new');
  const [search] = useSearchParams();
  const change = useAddress();
  const [text, setText] = useSettled(q, setQ, 200);
  const sort = search.get('sort') ?? 'createdAt';
  const direction = (search.get('direction') ?? 'desc') as 'asc' | 'desc';
  const pageSize = 100;
  // cursors of the pages walked through so far; a new filter or order begins again
  const walk = [namespace, className, state, q, sort, direction].join('|');
  const [cursors, setCursors] = useState<{ walk: string; list: (string | undefined)[] }>({ walk, list: [undefined] });
  const list = cursors.walk === walk ? cursors.list : [undefined];
  const query = useClaims({
    namespace,
    className,
    state,
    q,
    sort: sortOf[sort],
    direction,
    limit: String(pageSize),
    cursor: list[list.length - 1],
  });
  const { data: classes } = useClasses();
  const { data: namespaces } = useNamespaces();
  const setSort = (model: GridSortModel) =>
    change({ sort: model[0]?.field ?? 'createdAt', direction: model[0]?.sort ?? 'desc' });
  const { data } = query;
  const rowSelection = useMemo(() => {
    const row = data?.claims.find((c) => `${c.namespace}/${c.name}` === selected);
    return { type: 'include' as const, ids: new Set(row ? [row.uid] : []) };
  }, [data, selected]);
  const filtered = Boolean(namespace || className || state || q);
  const choice = (label: string, value: string, set: (v: string) => void, options: readonly string[]) => (
    <TextField
      select
      label={label}
      value={options.includes(value) ? value : ''}
      onChange={(e) => set(e.target.value)}
      sx={{ width: 150 }}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      <MenuItem value="">any</MenuItem>
      {options.map((o) => (
        <MenuItem key={o} value={o}>
          {o}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Place
      title="Claims"
      question="Who has a volume, who has none, and why?"
      actions={
        may && (
          <Button variant="contained" onClick={() => setMaking('claim')}>
            New claim
          </Button>
        )
      }
    >
      <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1.25, height: '100%' }}>
        <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'center' }}>
          <TextField
            label="Filter"
            placeholder="name, namespace, class, pool, identifier"
            value={text}
            onChange={(e) => setText(e.target.value)}
            sx={{ width: 300 }}
            slotProps={{ inputLabel: { shrink: true } }}
          />
          {choice('Namespace', namespace, setNamespace, namespaces?.map((n) => n.namespace) ?? [])}
          {choice('Class', className, setClass, classes?.map((c) => c.storageClass.name) ?? [])}
          <ToggleButtonGroup
            exclusive
            size="small"
            value={state}
            onChange={(_e, v: string | null) => setState(v ?? '')}
            aria-label="State"
          >
            <ToggleButton value="">all{data && ` ${data.counts.bound + data.counts.unbound}`}</ToggleButton>
            <ToggleButton value="bound">bound{data && ` ${data.counts.bound}`}</ToggleButton>
            <ToggleButton value="unbound">without volume{data && ` ${data.counts.unbound}`}</ToggleButton>
          </ToggleButtonGroup>
        </Box>
        {query.isError && <Failed error={query.error} retry={() => void query.refetch()} />}
        <DataGrid<ClaimRow>
          rows={data?.claims ?? []}
          columns={columns}
          getRowId={(row) => row.uid}
          loading={query.isPending}
          density="compact"
          rowHeight={32}
          columnHeaderHeight={34}
          sortingMode="server"
          sortModel={[{ field: sort, sort: direction }]}
          onSortModelChange={setSort}
          sortingOrder={['asc', 'desc']}
          disableColumnMenu
          disableRowSelectionOnClick={false}
          rowSelectionModel={rowSelection}
          onRowClick={({ row }: { row: ClaimRow }) => select(`${row.namespace}/${row.name}`)}
          onRowDoubleClick={({ row }: { row: ClaimRow }) => go(`/claims/${row.namespace}/${row.name}`)}
          onCellKeyDown={({ row }: { row: ClaimRow }, event) => {
            if (event.key === 'Enter') go(`/claims/${row.namespace}/${row.name}`);
            if (event.key === ' ') {
              event.preventDefault();
              select(`${row.namespace}/${row.name}`);
            }
          }}
          hideFooter
          slots={{
            noRowsOverlay: () => (
              <Empty title={filtered ? 'No claim matches' : 'There is no claim yet'}>
                {filtered
                  ? 'Take a filter away, or look for another part of the name.'
                  : 'Claims appear as soon as an application asks for storage, or make one here.'}
              </Empty>
            ),
          }}
          sx={{ flex: 1, minHeight: 0 }}
          aria-label="Claims"
        />
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', fontSize: 13, color: 'text.secondary' }}>
          <span>
            {data ? `${data.claims.length} of ${data.total.toLocaleString('en-GB')} shown` : ' '}
            {data && data.claims.length > 0 && ' · click fills the Line, Enter or double click opens'}
          </span>
          <Box sx={{ flex: 1 }} />
          {(list.length > 1 || data?.next) && (
            <>
              <Button disabled={list.length <= 1} onClick={() => setCursors({ walk, list: list.slice(0, -1) })}>
                Earlier page
              </Button>
              <span>page {list.length}</span>
              <Button disabled={!data?.next} onClick={() => setCursors({ walk, list: [...list, data!.next!] })}>
                Next page
              </Button>
            </>
          )}
        </Box>
      </Box>
      <NewClaim open={making === 'claim'} close={() => setMaking('')} />
    </Place>
  );
}
