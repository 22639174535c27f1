import { Button } from '@mui/material';
import { DataGrid, type GridSortModel } from '@mui/x-data-grid';
import type { ClaimPage, ClaimRow } from '@moorage/contract/claims';
import { useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { useClaims } from '../api/queries';
import { useAddress, useGo, useInAddress, useSelected } from '../frame/address';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Failed } from '../parts/States';
import { columns, sortOf } from './claim-columns';
import { ClaimFilters } from './ClaimFilters';
import { NewClaim } from './NewClaim';
import { Column, Fill, Row } from '../parts/layout';

type Cursors = readonly (string | undefined)[];

/** How much of the list is seen, and the ways to the rest. */
function Pages({ list, data, go }: { list: Cursors; data: ClaimPage | undefined; go: (list: Cursors) => void }) {
  return (
    <Row gap={2} align="center" sx={{ fontSize: 13, color: 'text.secondary' }}>
      <span>
        {data ? `${data.claims.length} of ${data.total.toLocaleString('en-GB')} shown` : ' '}
        {data && data.claims.length > 0 && ' · click fills the Line, Enter or double click opens'}
      </span>
      <Fill />
      {(list.length > 1 || data?.next) && (
        <>
          <Button disabled={list.length <= 1} onClick={() => go(list.slice(0, -1))}>
            Earlier page
          </Button>
          <span>page {list.length}</span>
          <Button disabled={!data?.next} onClick={() => go([...list, data!.next!])}>
            Next page
          </Button>
        </>
      )}
    </Row>
  );
}

export default function Claims() {
  const go = useGo();
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const [selected, select] = useSelected();
  const [namespace] = useInAddress('namespace');
  const [className] = useInAddress('class');
  const [state] = useInAddress('state');
  const [q] = useInAddress('q');
  const [making, setMaking] = useInAddress('new');
  const [search] = useSearchParams();
  const change = useAddress();
  const sort = search.get('sort') ?? 'createdAt';
  const direction = (search.get('direction') ?? 'desc') as 'asc' | 'desc';
  const pageSize = 100;
  // cursors of the pages walked through so far; a new filter or order begins again
  const walk = [namespace, className, state, q, sort, direction].join('|');
  const [cursors, setCursors] = useState<{ walk: string; list: Cursors }>({ walk, list: [undefined] });
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
  const setSort = (model: GridSortModel) =>
    change({ sort: model[0]?.field ?? 'createdAt', direction: model[0]?.sort ?? 'desc' });
  const { data } = query;
  const rowSelection = useMemo(() => {
    const row = data?.claims.find((c) => `${c.namespace}/${c.name}` === selected);
    return { type: 'include' as const, ids: new Set(row ? [row.uid] : []) };
  }, [data, selected]);
  const filtered = Boolean(namespace || className || state || q);
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
      <Column gap={1.25} sx={{ height: '100%' }}>
        <ClaimFilters counts={data?.counts} />
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
        <Pages list={list} data={data} go={(to) => setCursors({ walk, list: to })} />
      </Column>
      <NewClaim open={making === 'claim'} close={() => setMaking('')} />
    </Place>
  );
}
