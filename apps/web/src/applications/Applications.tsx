import { Button, TextField, ToggleButton, ToggleButtonGroup } from '@mui/material';
import { DataGrid, type GridSortModel } from '@mui/x-data-grid';
import type { ApplicationPage, ApplicationRow } from '@moorage/contract/applications';
import { useSearchParams } from 'react-router';
import { useApplications } from '../api/application-queries';
import { useNamespaces } from '../api/queries';
import { useAddress, useGo, useInAddress } from '../frame/address';
import { Column, Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { Pages, usePages } from '../parts/Pages';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Failed } from '../parts/States';
import { useSettled } from '../parts/useSettled';
import { columns, sortOf } from './application-columns';

/** Which applications are listed; all of it stands in the address. */
function Filters({ counts }: { counts: ApplicationPage['counts'] | undefined }) {
  const [need, setNeed] = useInAddress('need');
  const [q, setQ] = useInAddress('q');
  const [namespace, setNamespace] = useInAddress('namespace');
  const [text, setText] = useSettled(q, setQ);
  const options = useNamespaces().data?.map((n) => n.namespace) ?? [];
  const button = (value: string, word: string, of: number | undefined) => (
    <ToggleButton value={value}>
      {word}
      {of !== undefined && ` ${of.toLocaleString('en-GB')}`}
    </ToggleButton>
  );
  return (
    <Row gap={1.5} align="center" wraps>
      <TextField
        label="Filter"
        placeholder="name, class, pool, node, zone"
        value={text}
        onChange={(e) => setText(e.target.value)}
        sx={{ width: 260 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <OneOf
        label="Namespace"
        value={options.includes(namespace) ? namespace : ''}
        options={[['', 'any'], ...options]}
        choose={setNamespace}
        width={150}
      />
      <ToggleButtonGroup
        exclusive
        size="small"
        value={need}
        onChange={(_e, v: string | null) => setNeed(v ?? '')}
        aria-label="What they need"
      >
        {button('', 'all', counts?.all)}
        {button('replicas', 'not all ready', counts?.replicas)}
        {button('copies', 'a copy not in step', counts?.copies)}
        {button('points', 'stand together', counts?.points)}
      </ToggleButtonGroup>
    </Row>
  );
}

export default function Applications() {
  const go = useGo();
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const change = useAddress();
  const [search] = useSearchParams();
  const [namespace] = useInAddress('namespace');
  const [need] = useInAddress('need');
  const [q] = useInAddress('q');
  const sort = search.get('sort') ?? 'namespace';
  const direction = (search.get('direction') ?? 'asc') as 'asc' | 'desc';
  const pages = usePages([namespace, need, q, sort, direction].join('|'));
  const query = useApplications({
    ...{ namespace, need, q, direction },
    sort: sortOf[sort],
    limit: '100',
    cursor: pages.cursor,
  });
  const { data } = query;
  const open = ({ namespace: of, name }: ApplicationRow) => go(`/apps/${of}/${name}`);
  const filtered = Boolean(namespace || need || q);
  return (
    <Place
      title="Apps"
      question="Which applications keep their data when a pod, a node or an array does not, and which stop in one go?"
      actions={
        <>
          <Button onClick={() => go('/apps/nodes')}>Nodes</Button>
          {may && (
            <Button variant="contained" onClick={() => go('/apps/new')}>
              Start one
            </Button>
          )}
        </>
      }
    >
      <Column gap={1.25} sx={{ height: '100%' }}>
        <Filters counts={data?.counts} />
        {query.isError && <Failed error={query.error} retry={() => void query.refetch()} />}
        <DataGrid<ApplicationRow>
          rows={data?.applications ?? []}
          columns={columns}
          getRowId={(row) => row.uid}
          loading={query.isPending}
          density="compact"
          rowHeight={32}
          columnHeaderHeight={34}
          sortingMode="server"
          sortModel={[{ field: sort, sort: direction }]}
          onSortModelChange={(model: GridSortModel) =>
            change({ sort: model[0]?.field ?? 'namespace', direction: model[0]?.sort ?? 'asc' })
          }
          sortingOrder={['asc', 'desc']}
          disableColumnMenu
          disableRowSelectionOnClick
          onRowClick={({ row }: { row: ApplicationRow }) => open(row)}
          onCellKeyDown={({ row }: { row: ApplicationRow }, event) => {
            if (event.key === 'Enter') open(row);
          }}
          hideFooter
          slots={{
            noRowsOverlay: () => (
              <Empty title={filtered ? 'No application matches' : 'No pod mounts a claim yet'}>
                {filtered
                  ? 'Take a filter away, or look for another part of a name.'
                  : 'Applications appear as soon as something owns pods with claims, a stateful set for example.'}
              </Empty>
            ),
          }}
          sx={{ flex: 1, minHeight: 0, '& .MuiDataGrid-row': { cursor: 'pointer' } }}
          aria-label="Applications"
        />
        <Pages
          {...pages}
          shown={data?.applications.length}
          total={data?.total}
          next={data?.next}
          hint="click or Enter opens"
        />
      </Column>
    </Place>
  );
}
