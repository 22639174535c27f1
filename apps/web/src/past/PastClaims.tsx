import { Link, Paper, Table, TableBody, TableCell, TableHead, TableRow, TextField } from '@mui/material';
import type { PastClaims as Answer } from '@moorage/contract/past';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useAddress, useInAddress, useTypedInAddress } from '../frame/address';
import { useMoment } from '../frame/Moment';
import { Column, FaintCell, Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { Pages, usePages } from '../parts/Pages';
import { Place } from '../parts/Place';
import { Iops, Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';

/** What a list of claims can be narrowed by, beside their names. */
const parts = ['class', 'pool', 'backend', 'application'] as const;
const partTitles = { class: 'Class', pool: 'Pool', backend: 'Backend', application: 'Application' } as const;

function useParts() {
  const given = {
    class: useInAddress('class')[0],
    pool: useInAddress('pool')[0],
    backend: useInAddress('backend')[0],
    application: useInAddress('application')[0],
  };
  return Object.fromEntries(Object.entries(given).filter(([, value]) => value !== '')) as Partial<typeof given>;
}

/** Namespaces that used anything at the moment. */
const useNamespacesThen = (at: string) =>
  useQuery({
    queryKey: keys.use('namespace', 'class', at),
    queryFn: () => ask('getUse', { query: { rows: 'namespace', columns: 'class', at } }),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });

function Rows({ answer, namespace }: { answer: Answer; namespace: string }) {
  if (answer.claims.length === 0)
    return (
      <Empty title={`${namespace} had no such claim then`}>
        Choose another moment, or take a part of the filter away.
      </Empty>
    );
  return (
    <Paper sx={{ overflow: 'auto' }}>
      <Table size="small" stickyHeader aria-label={`Claims of ${namespace} as they were`}>
        <TableHead>
          <TableRow>
            <TableCell>Claim</TableCell>
            <TableCell>Class</TableCell>
            <TableCell>Pool</TableCell>
            <TableCell>Application</TableCell>
            {['Asked', 'Got', 'Raw', 'Reserved'].map((title) => (
              <TableCell key={title} align="right">
                {title}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {answer.claims.map((c) => (
            <TableRow key={c.uid} hover>
              <TableCell>
                {c.isThere ? (
                  // what it is now: the moment is left behind
                  <Link component={RouterLink} to={`/claims/${namespace}/${c.name}`}>
                    {c.name}
                  </Link>
                ) : (
                  <span title="It is not there any more">{c.name} (gone)</span>
                )}
              </TableCell>
              <TableCell>{c.className || 'no class'}</TableCell>
              <TableCell>{c.pool ?? (c.isBound ? 'copies alone' : 'not placed')}</TableCell>
              <FaintCell>{c.application || '–'}</FaintCell>
              <TableCell align="right">
                <Size bytes={c.requested} />
              </TableCell>
              <TableCell align="right">{c.isBound ? <Size bytes={c.provisioned} /> : 'unbound'}</TableCell>
              <TableCell align="right">
                <Size bytes={c.footprint} />
              </TableCell>
              <TableCell align="right">{c.reserved > 0 ? <Iops value={c.reserved} /> : '–'}</TableCell>
            </TableRow>
          ))}
          <TableRow sx={{ '& td': { fontWeight: 600 } }}>
            <TableCell colSpan={5}>All {answer.total.claims.toLocaleString('en-GB')}, on every page</TableCell>
            <TableCell align="right">
              <Size bytes={answer.total.provisioned} />
            </TableCell>
            <TableCell align="right">
              <Size bytes={answer.total.footprint} />
            </TableCell>
            <TableCell />
          </TableRow>
        </TableBody>
      </Table>
    </Paper>
  );
}

/** Claims of a namespace as they were at a moment of the past. */
export default function PastClaims() {
  const at = useMoment()!;
  const change = useAddress();
  const [asked] = useInAddress('namespace');
  const [q, setQ] = useTypedInAddress('q');
  const given = useParts();
  const names = useNamespacesThen(at);
  const namespaces = names.data?.rows ?? [];
  const namespace = asked || namespaces[0] || '';
  const pages = usePages([at, namespace, q, ...Object.entries(given)].join('|'));
  const query = useQuery({
    queryKey: keys.past.claims(at, namespace, q, JSON.stringify(given), pages.cursor ?? ''),
    queryFn: () =>
      ask('listPastClaims', {
        query: { at, namespace, ...given, ...(q && { q }), ...(pages.cursor && { cursor: pages.cursor }) },
      }),
    enabled: namespace !== '',
    placeholderData: keepPreviousData,
  });
  return (
    <Place title="Claims" question="Which claims did a namespace have then, and how much of each?">
      <Column gap={1.5} sx={{ height: '100%' }}>
        <Row gap={1.5} align="center">
          <OneOf
            label="Namespace"
            width={220}
            value={namespace}
            options={[...new Set([...(asked ? [asked] : []), ...namespaces])].sort().map((n) => [n, n] as const)}
            choose={(n) => change({ namespace: n })}
          />
          <TextField
            label="Part of a name"
            value={q}
            onChange={(e) => setQ(e.target.value)}
            sx={{ width: 200 }}
            slotProps={{ inputLabel: { shrink: true } }}
          />
          {parts.map(
            (part) =>
              given[part] && (
                <OneOf
                  key={part}
                  label={partTitles[part]}
                  width={190}
                  value={given[part]}
                  options={[
                    [given[part], given[part]],
                    ['', 'any'],
                  ]}
                  choose={(value) => change({ [part]: value || null })}
                />
              ),
          )}
        </Row>
        {names.isSuccess && namespace === '' ? (
          <Empty title="Nothing was there at that moment">Choose a later one.</Empty>
        ) : (
          <Fetched query={query}>{(answer) => <Rows answer={answer} namespace={namespace} />}</Fetched>
        )}
        <Pages
          {...pages}
          shown={query.data?.claims.length}
          total={query.data?.total.claims}
          next={query.data?.next}
          hint="a name opens the claim as it is now"
        />
      </Column>
    </Place>
  );
}
