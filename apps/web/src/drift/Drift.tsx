import { Button, Typography } from '@mui/material';
import { DataGrid, type GridColDef } from '@mui/x-data-grid';
import type { DriftPage, DriftRow } from '@moorage/contract/drift';
import { driftKinds } from '@moorage/core/drift/drift';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { useInAddress } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Fill, Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { When } from '../parts/When';
import { useDrift, useMend } from './useDrift';
import { byWords, driftSentence, isMeant, kindTitles, remedyOf } from './words';

const keyOf = ({ claimUid, kind }: DriftRow): string => `${claimUid} ${kind}`;
const isMendable = (row: DriftRow): boolean => row.remedy !== null && !row.asked;

/** The act that puts a row right, why that has not come about, or what a person has to do. */
export function Remedy({ row, mend }: { row: DriftRow; mend: ReturnType<typeof useMend> }) {
  const may = useMay('administrator', 'operator');
  const remedy = remedyOf(row);
  if (row.asked) return <span title={row.problem ?? undefined}>{row.problem ?? 'is being put right'}</span>;
  if ('todo' in remedy) return <span title={remedy.todo}>{remedy.todo}</span>;
  if (!may) return <span>{remedy.act}</span>;
  return (
    <Button disabled={mend.isPending} onClick={() => mend.mutate([row])} sx={{ minHeight: 24, py: 0 }}>
      {remedy.act}
    </Button>
  );
}

const columnsFor = (mend: ReturnType<typeof useMend>): GridColDef<DriftRow>[] => [
  {
    field: 'name',
    headerName: 'Claim',
    width: 230,
    valueGetter: (_v, row) => `${row.namespace}/${row.name}`,
    renderCell: ({ row }) => (
      <RouterLink to={`/claims/${row.namespace}/${row.name}`} style={{ color: 'inherit', fontWeight: 600 }}>
        {row.namespace}/{row.name}
      </RouterLink>
    ),
  },
  {
    field: 'kind',
    headerName: 'What differs',
    flex: 1,
    minWidth: 320,
    valueGetter: (_v, row) => driftSentence(row),
    renderCell: ({ row }) => (
      <span title={driftSentence(row)} style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}>
        <Mark kind={row.asked ? (row.problem ? 'degraded' : 'progress') : 'person'} /> {driftSentence(row)}
      </span>
    ),
  },
  { field: 'by', headerName: 'Whose doing', width: 196, valueGetter: (_v, row) => byWords[row.by] },
  { field: 'since', headerName: 'Since', width: 130, renderCell: ({ row }) => <When at={row.since} /> },
  {
    field: 'remedy',
    headerName: 'Remedy',
    width: 240,
    sortable: false,
    renderCell: ({ row }) => <Remedy row={row} mend={mend} />,
  },
];

function List({ page, kind }: { page: DriftPage; kind: string }) {
  const may = useMay('administrator', 'operator');
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const mend = useMend(() => setPicked(new Set()));
  const going = page.rows.filter((r) => picked.has(keyOf(r)) && isMendable(r));
  const all = Object.values(page.counts).reduce((sum, n) => sum + n, 0);
  return (
    <>
      <Row gap={2} align="center" sx={{ minHeight: 34 }}>
        <Typography variant="body1">
          {all === 0
            ? 'Every volume is as it was declared, on its backend and on the platform.'
            : `${all} ${all === 1 ? 'difference' : 'differences'} between what is declared and what is.`}
        </Typography>
        <Fill />
        {going.length > 0 && (
          <Button variant="contained" disabled={mend.isPending} onClick={() => mend.mutate(going)}>
            Put {going.length} right
          </Button>
        )}
      </Row>
      <DataGrid<DriftRow>
        rows={page.rows}
        columns={columnsFor(mend)}
        getRowId={keyOf}
        density="compact"
        rowHeight={32}
        columnHeaderHeight={34}
        disableColumnMenu
        checkboxSelection={may}
        disableRowSelectionOnClick
        disableRowSelectionExcludeModel
        isRowSelectable={({ row }) => isMendable(row) && !isMeant(row)}
        rowSelectionModel={{ type: 'include', ids: new Set(picked) }}
        onRowSelectionModelChange={({ ids }) => setPicked(new Set([...ids].map(String)))}
        hideFooter
        slots={{
          noRowsOverlay: () => (
            <Empty title={kind ? 'Nothing differs in this way' : 'Nothing differs'}>
              Size, pool, copies, encryption, ceilings and reclaim policy of every bound volume are compared with its
              class and claim, on both sides, all the time.
            </Empty>
          ),
        }}
        sx={{ flex: 1, minHeight: 220 }}
        aria-label="What is declared and is otherwise"
      />
      {page.next && (
        <Typography variant="body2" color="text.secondary">
          The {page.rows.length} oldest are shown: choose one way of differing for the others.
        </Typography>
      )}
    </>
  );
}

/** Every difference between what class and claim say of a volume, and what its backend and the platform say. */
export default function Drift() {
  const [kind, setKind] = useInAddress('kind');
  const query = useDrift('', kind);
  const counts = query.data?.counts ?? {};
  return (
    <Place title="Declared and actual" question="Which volumes are not as they were declared, and whose doing is it?">
      <Column gap={1} sx={{ height: '100%' }}>
        <OneOf
          label="What differs"
          value={kind}
          options={[
            ['', 'everything'],
            ...driftKinds
              .filter((k) => (counts[k] ?? 0) > 0 || k === kind)
              .map((k): [string, string] => [k, `${kindTitles[k]} (${counts[k] ?? 0})`]),
          ]}
          choose={setKind}
          width={260}
        />
        <Fetched query={query}>{(page) => <List page={page} kind={kind} />}</Fetched>
      </Column>
    </Place>
  );
}
