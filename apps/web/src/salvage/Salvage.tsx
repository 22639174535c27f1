import { Button, TextField, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { DataGrid, type GridColDef } from '@mui/x-data-grid';
import type { SalvagePage, SalvageRow } from '@moorage/contract/salvage';
import { useState } from 'react';
import { useInAddress } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Fill, Row } from '../parts/layout';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Offer } from '../static-volumes/Offer';
import { Empty, Fetched } from '../parts/States';
import { useSettled } from '../parts/useSettled';
import { When } from '../parts/When';
import { useGiveBack, useSalvage } from './useSalvage';
import { Way } from './Way';
import { calledOf, copyWords, countdown, originWords, totalsSentence } from './words';

const origins = [
  ['', 'all'],
  ['grace', 'in their grace'],
  ['kept', 'kept by their class'],
  ['foreign', 'made by others'],
] as const;

const columns: GridColDef<SalvageRow>[] = [
  {
    field: 'name',
    headerName: 'Last claim',
    flex: 1,
    minWidth: 220,
    valueGetter: (_v, row) => calledOf(row),
    renderCell: ({ row }) => (
      <span title={copyWords[row.copies].words} style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}>
        <Mark kind={row.operation ? 'progress' : copyWords[row.copies].mark} /> <strong>{calledOf(row)}</strong>
      </span>
    ),
  },
  { field: 'className', headerName: 'Class', width: 110, valueGetter: (_v, row) => row.className ?? '–' },
  { field: 'origin', headerName: 'Why it is here', width: 140, valueGetter: (_v, row) => originWords[row.origin] },
  {
    field: 'bytes',
    headerName: 'Size',
    width: 84,
    align: 'right',
    headerAlign: 'right',
    renderCell: ({ row }) => <Size bytes={row.bytes} />,
  },
  {
    field: 'consumed',
    headerName: 'Written',
    width: 84,
    align: 'right',
    headerAlign: 'right',
    renderCell: ({ row }) => <Size bytes={row.consumed} />,
  },
  { field: 'pool', headerName: 'Pool', width: 126 },
  { field: 'copies', headerName: 'Copies', width: 130, valueGetter: (_v, row) => copyWords[row.copies].words },
  { field: 'since', headerName: 'Since', width: 130, renderCell: ({ row }) => <When at={row.since} /> },
  {
    field: 'destroyedAt',
    headerName: 'Destroyed',
    width: 104,
    renderCell: ({ row }) => {
      if (row.destroyedAt === null) return 'never';
      const { words, urgent } = countdown(row.destroyedAt, Date.now());
      return <strong style={{ fontWeight: urgent ? 700 : 400 }}>{words}</strong>;
    },
  },
];

function List({ page, q }: { page: SalvagePage; q: string }) {
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const [open, setOpen] = useInAddress('volume');
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const give = useGiveBack(() => setPicked(new Set()));
  const { rows } = page;
  const row = rows.find((r) => r.id === open);
  const [offering, setOffering] = useState(false);
  const mayOffer = useMay('administrator', 'operator');
  const foreign = rows.filter((r) => picked.has(r.id) && r.origin === 'foreign' && r.operation === null);
  const going = rows.filter((r) => picked.has(r.id) && r.name !== null && !r.nameTaken && r.operation === null);
  return (
    <>
      <Row gap={2} align="center" sx={{ minHeight: 34 }}>
        <Typography variant="body1">{totalsSentence(page, Date.now())}</Typography>
        <Fill />
        {mayOffer && foreign.length > 0 && !offering && (
          <Button onClick={() => setOffering(true)}>
            Offer {foreign.length} to {foreign.length === 1 ? 'a claim' : 'claims'}
          </Button>
        )}
        {going.length > 0 && (
          <Button
            variant="contained"
            disabled={give.isPending}
            onClick={() => give.mutate(going.map((r) => ({ id: r.id, namespace: r.namespace!, name: r.name! })))}
          >
            Give {going.length} back to {going.length === 1 ? 'its old name' : 'their old names'}
          </Button>
        )}
      </Row>
      <DataGrid<SalvageRow>
        rows={rows}
        columns={columns}
        density="compact"
        rowHeight={32}
        columnHeaderHeight={34}
        disableColumnMenu
        checkboxSelection={may}
        disableRowSelectionOnClick
        disableRowSelectionExcludeModel
        isRowSelectable={({ row: r }) => (r.name !== null || mayOffer) && r.operation === null}
        rowSelectionModel={{ type: 'include', ids: new Set(picked) }}
        onRowSelectionModelChange={({ ids }) => setPicked(new Set([...ids].map(String)))}
        onRowClick={({ row: r }: { row: SalvageRow }) => setOpen(r.id)}
        onCellKeyDown={({ row: r }: { row: SalvageRow }, event) => {
          if (event.key === 'Enter') setOpen(r.id);
        }}
        hideFooter
        slots={{
          noRowsOverlay: () => (
            <Empty title={q ? 'Nothing matches' : 'Nothing is adrift'}>
              {q
                ? 'Look for another part of a name or an identifier.'
                : 'A volume appears here when its claim is deleted and its class keeps it, and when a backend lists one that nobody here made.'}
            </Empty>
          ),
        }}
        sx={{ flex: 1, minHeight: 220 }}
        aria-label="Volumes that no claim holds"
      />
      {page.next && (
        <Typography variant="body2" color="text.secondary">
          The {rows.length} newest of {page.total.toLocaleString('en-GB')} are shown: filter for the others.
        </Typography>
      )}
      {offering && foreign.length > 0 && <Offer rows={foreign} close={() => setOffering(false)} />}
      {row && !offering && <Way row={row} rows={rows} close={() => setOpen('')} />}
    </>
  );
}

/** Every volume that no claim holds, from either world, and the ways back. */
export default function Salvage() {
  const [q, setQ] = useInAddress('q');
  const [origin, setOrigin] = useInAddress('origin');
  const [text, setText] = useSettled(q, setQ);
  const query = useSalvage(q, origin);
  return (
    <Place title="Salvage" question="What holds data and has no claim, and how does it come back?">
      <Column gap={1} sx={{ height: '100%' }}>
        <Row gap={1.5} align="center">
          <TextField
            label="Filter"
            placeholder="claim, class, pool, identifier"
            value={text}
            onChange={(e) => setText(e.target.value)}
            sx={{ width: 300 }}
            slotProps={{ inputLabel: { shrink: true } }}
          />
          <ToggleButtonGroup
            exclusive
            size="small"
            value={origin}
            onChange={(_e, v: string | null) => setOrigin(v ?? '')}
            aria-label="Why it is here"
          >
            {origins.map(([value, words]) => (
              <ToggleButton key={value} value={value}>
                {words}
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
        </Row>
        <Fetched query={query}>{(page) => <List page={page} q={q || origin} />}</Fetched>
      </Column>
    </Place>
  );
}
