import { Button, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import { DataGrid, type GridColDef } from '@mui/x-data-grid';
import type { BucketRow } from '@moorage/contract/buckets';
import { sizeText } from '@moorage/core/sizes/display';
import { useNamespaces } from '../api/queries';
import { useInAddress } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Fill, Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { useMay } from '../parts/person';
import { Place } from '../parts/Place';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { When } from '../parts/When';
import { depthStep } from '../theme/tokens';
import { BucketClasses } from './BucketClasses';
import { BucketSheet } from './BucketSheet';
import { NewBucket } from './NewBucket';
import { useBuckets } from './useBuckets';
import { fillOf, stateOf, totalsSentence } from './words';

/** What is written of what may be, as a bar along the cell, its figures beside it. */
function Written({ row }: { row: BucketRow }) {
  const { chart } = useTheme();
  const share = fillOf(row);
  if (share === undefined) return <span>{row.bucket === null ? '–' : 'not counted yet'}</span>;
  const words = `${sizeText(row.written!)} of ${sizeText(row.limit!)} (${Math.round(share * 100)} %)`;
  const tint = row.isShut ? chart.buoy : chart.depth[depthStep(Math.min(share, 0.99))];
  return (
    <Row gap={1} align="center" sx={{ width: '100%', height: '100%' }} title={words}>
      <svg width={48} height={12} role="img" aria-label={words}>
        <rect x="0.5" y="0.5" width={47} height={11} fill={chart.paper} stroke={chart.secondInk} />
        <rect x="1" y="1" width={46 * Math.min(1, share)} height={10} fill={tint} />
      </svg>
      <Fill sx={{ textAlign: 'right' }}>
        <Size bytes={row.written} />
      </Fill>
    </Row>
  );
}

const right = { align: 'right', headerAlign: 'right' } as const;
const columns: GridColDef<BucketRow>[] = [
  {
    field: 'name',
    headerName: 'Bucket claim',
    flex: 1,
    minWidth: 210,
    valueGetter: (_v, row) => `${row.namespace}/${row.name}`,
    renderCell: ({ row }) => (
      <span style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}>
        <Mark kind={stateOf(row).mark} /> {row.namespace}/<strong>{row.name}</strong>
      </span>
    ),
  },
  { field: 'className', headerName: 'Class', width: 110, valueGetter: (_v, row) => row.className ?? '–' },
  {
    field: 'state',
    headerName: 'How it stands',
    flex: 0.8,
    minWidth: 170,
    valueGetter: (_v, row) => stateOf(row).words,
    renderCell: ({ row }) => <span title={stateOf(row).words}>{stateOf(row).words}</span>,
  },
  {
    ...{ field: 'written', headerName: 'Written', width: 150, ...right },
    renderCell: ({ row }) => <Written row={row} />,
  },
  {
    ...{ field: 'limit', headerName: 'May hold', width: 90, ...right },
    renderCell: ({ row }) => <Size bytes={row.limit} />,
  },
  {
    ...{ field: 'objects', headerName: 'Objects', width: 90, ...right },
    valueFormatter: (n: number | null) => n?.toLocaleString('en-GB') ?? '–',
  },
  { field: 'pool', headerName: 'Pool', width: 110, valueGetter: (_v, row) => row.pool ?? '–' },
  { ...{ field: 'keys', headerName: 'Keys', width: 64, ...right } },
  {
    field: 'deletion',
    headerName: 'Without its claim',
    width: 130,
    valueGetter: (_v, row) => (row.deletion === null ? '–' : row.deletion === 'Delete' ? 'destroyed' : 'kept'),
  },
  { field: 'createdAt', headerName: 'Made', width: 110, renderCell: ({ row }) => <When at={row.createdAt} /> },
];

function List({ rows, more }: { rows: readonly BucketRow[]; more?: () => void }) {
  const [open, setOpen] = useInAddress('bucket');
  // an address written by hand names it
  const row = rows.find((r) => r.uid === open) ?? rows.find((r) => `${r.namespace}/${r.name}` === open);
  return (
    <>
      <Typography variant="body1">{totalsSentence(rows)}</Typography>
      <DataGrid<BucketRow>
        rows={rows}
        columns={columns}
        getRowId={(r) => r.uid}
        density="compact"
        rowHeight={32}
        columnHeaderHeight={34}
        disableColumnMenu
        disableRowSelectionOnClick
        onRowClick={({ row: r }: { row: BucketRow }) => setOpen(r.uid)}
        onCellKeyDown={({ row: r }: { row: BucketRow }, event) => {
          if (event.key === 'Enter') setOpen(r.uid);
        }}
        hideFooter
        slots={{
          noRowsOverlay: () => (
            <Empty title="No buckets">
              An application that keeps objects rather than files asks for a bucket: a bucket claim, by the button above
              or by a manifest. It needs a bucket class first.
            </Empty>
          ),
        }}
        // as tall as its rows while one of them is open
        sx={row ? { flex: '0 0 auto', height: 37 + 22 * Math.min(rows.length, 9) } : { flex: 1, minHeight: 220 }}
        aria-label="Buckets"
      />
      {more && <Button onClick={more}>Show more</Button>}
      {row && <BucketSheet key={row.uid} row={row} close={() => setOpen('')} />}
    </>
  );
}

/** Buckets: claims for them, what lies in them, and who may use them. */
export default function Buckets() {
  const [see, setSee] = useInAddress('see', 'buckets');
  const [namespace, setNamespace] = useInAddress('namespace');
  const [asked, setAsked] = useInAddress('new');
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const { data: namespaces } = useNamespaces();
  const query = useBuckets(namespace);
  return (
    <Place
      title="Buckets"
      question="Who keeps objects where, how full are they, and who holds a key?"
      actions={
        may && (
          <Button variant="contained" onClick={() => setAsked('bucket')}>
            New bucket
          </Button>
        )
      }
    >
      <Column gap={1} sx={{ height: '100%' }}>
        <Row gap={1.5} align="center">
          <ToggleButtonGroup
            exclusive
            size="small"
            value={see}
            aria-label="Show"
            onChange={(_e, v: string | null) => v && setSee(v)}
          >
            <ToggleButton value="buckets">Buckets</ToggleButton>
            <ToggleButton value="classes">Bucket classes</ToggleButton>
          </ToggleButtonGroup>
          {see === 'buckets' && (
            <OneOf
              label="Namespace"
              value={namespace}
              options={[['', 'all'], ...(namespaces ?? []).map((n) => n.namespace)]}
              choose={setNamespace}
              width={190}
            />
          )}
        </Row>
        {see === 'classes' ? (
          <BucketClasses />
        ) : (
          <Fetched query={query}>
            {({ pages }) => (
              <List
                rows={pages.flatMap((p) => p.rows)}
                more={query.hasNextPage ? () => void query.fetchNextPage() : undefined}
              />
            )}
          </Fetched>
        )}
      </Column>
      {may && asked === 'bucket' && <NewBucket close={() => setAsked('')} />}
    </Place>
  );
}
