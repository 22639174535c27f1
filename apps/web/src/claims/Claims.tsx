import { Button } from '@mui/material';
import { DataGrid, type GridSortModel } from '@mui/x-data-grid';
import type { ClaimDetail, ClaimRow } from '@moorage/contract/claims';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { ask } from '../api/client';
import { useClaims } from '../api/queries';
import { useAddress, useGo, useInAddress, useSelected } from '../frame/address';
import { Place } from '../parts/Place';
import { Pages, usePages } from '../parts/Pages';
import { useMay } from '../parts/person';
import { saveText } from '../parts/save';
import { Empty, Failed } from '../parts/States';
import { useAct } from '../parts/useAct';
import { columns, sortOf } from './claim-columns';
import { ClaimFilters } from './ClaimFilters';
import { manifestsText } from './manifest-of';
import { LimitThem } from './LimitThem';
import { NewClaim } from './NewClaim';
import { Column, Row } from '../parts/layout';
import { Round } from './Round';
import type { RoundAct } from './round-words';
import { mostPicked, usePicked, type Picking } from './usePicked';

/** Where all claims of a filter are had as one text. */
function exportPath(query: Readonly<Record<string, string | undefined>>): string {
  const given = Object.entries(query).flatMap(([key, value]) => (value ? [[key, value]] : []));
  return `/api/claims/export?${new URLSearchParams(given).toString()}`;
}

/** What can be done with the claims that are picked. */
function Bar({ picking, total, begin }: { picking: Picking; total: number; begin: (act: RoundAct | 'limit') => void }) {
  const { picked, clear } = picking;
  const mayLimit = useMay('administrator', 'operator');
  const pickAll = useAct(picking.pickAll);
  const save = useAct(async () => {
    const found: ClaimDetail[] = [];
    // a few at once: a thousand questions in one breath would keep others waiting
    for (let i = 0; i < picked.length; i += 8)
      found.push(
        ...(await Promise.all(
          picked.slice(i, i + 8).map(({ namespace, name }) => ask('getClaim', { params: { namespace, name } })),
        )),
      );
    saveText('claims.yaml', manifestsText(found), 'application/yaml');
    return { text: `${found.length} ${found.length === 1 ? 'manifest is' : 'manifests are'} saved as claims.yaml.` };
  });
  const all = Math.min(total, mostPicked);
  return (
    <Row gap={1.5} align="center" role="toolbar" aria-label="With the picked claims" sx={{ fontSize: 13.5 }}>
      <span>
        <strong>{picked.length.toLocaleString('en-GB')}</strong> picked
      </span>
      <Button onClick={() => begin('grow')}>Grow them</Button>
      <Button onClick={() => begin('tune')}>Tune them</Button>
      <Button onClick={() => begin('delete')}>Delete them</Button>
      {mayLimit && <Button onClick={() => begin('limit')}>Limit their namespaces</Button>}
      <Button disabled={save.isPending} onClick={() => save.mutate(undefined)}>
        Save their manifests
      </Button>
      {picked.length < all && (
        <Button disabled={pickAll.isPending} onClick={() => pickAll.mutate(undefined)}>
          {total > mostPicked
            ? `Pick the first ${mostPicked.toLocaleString('en-GB')} of ${total.toLocaleString('en-GB')}`
            : `Pick all ${total.toLocaleString('en-GB')}`}
        </Button>
      )}
      <Button onClick={clear}>Pick none</Button>
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
  const pages = usePages([namespace, className, state, q, sort, direction].join('|'));
  const query = useClaims({
    namespace,
    className,
    state,
    q,
    sort: sortOf[sort],
    direction,
    limit: String(pageSize),
    cursor: pages.cursor,
  });
  const setSort = (model: GridSortModel) =>
    change({ sort: model[0]?.field ?? 'createdAt', direction: model[0]?.sort ?? 'desc' });
  const { data } = query;
  const picking = usePicked({ namespace, className, state, q }, data?.claims ?? []);
  const [act, setAct] = useState<RoundAct | 'limit'>();
  const filtered = Boolean(namespace || className || state || q);
  const close = () => {
    setAct(undefined);
    picking.clear();
  };
  if (act)
    return (
      <Place title="Claims" question="What would one change of all of these bring about?">
        {act === 'limit' ? (
          <LimitThem claims={picking.picked} close={close} />
        ) : (
          <Round act={act} claims={picking.picked} close={close} />
        )}
      </Place>
    );
  return (
    <Place
      title="Claims"
      question="Who has a volume, who has none, and why?"
      actions={
        <>
          <Button onClick={() => go('/claims/buckets')}>Buckets</Button>
          <Button onClick={() => go('/claims/salvage')}>Salvage</Button>
          <Button onClick={() => go('/claims/drift')}>Declared and actual</Button>
          {(['csv', 'json'] as const).map((format) => (
            <Button
              key={format}
              component="a"
              href={exportPath({ namespace, className, state, q, sort: sortOf[sort], direction, format })}
              download
              title={`All claims of this filter as ${format.toUpperCase()}, sizes in bytes`}
            >
              {format.toUpperCase()}
            </Button>
          ))}
          {may && (
            <Button variant="contained" onClick={() => setMaking('claim')}>
              New claim
            </Button>
          )}
        </>
      }
    >
      <Column gap={1.25} sx={{ height: '100%' }}>
        <ClaimFilters counts={data?.counts} />
        {picking.picked.length > 0 && <Bar picking={picking} total={data?.total ?? 0} begin={setAct} />}
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
          checkboxSelection={may}
          disableRowSelectionOnClick
          disableRowSelectionExcludeModel
          keepNonExistentRowsSelected
          rowSelectionModel={picking.model}
          onRowSelectionModelChange={picking.onModel}
          getRowClassName={({ row }) => (`${row.namespace}/${row.name}` === selected ? 'on-the-line' : '')}
          onRowClick={({ row }: { row: ClaimRow }) => select(`${row.namespace}/${row.name}`)}
          onRowDoubleClick={({ row }: { row: ClaimRow }) => go(`/claims/${row.namespace}/${row.name}`)}
          onCellKeyDown={({ row }: { row: ClaimRow }, event) => {
            if (event.key === 'Enter') go(`/claims/${row.namespace}/${row.name}`);
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
          sx={{
            flex: 1,
            minHeight: 0,
            '& .on-the-line': { boxShadow: (t) => `inset 3px 0 ${t.palette.primary.main}` },
          }}
          aria-label="Claims"
        />
        <Pages {...pages} shown={data?.claims.length} total={data?.total} next={data?.next} />
      </Column>
      <NewClaim open={making === 'claim'} close={() => setMaking('')} />
    </Place>
  );
}
