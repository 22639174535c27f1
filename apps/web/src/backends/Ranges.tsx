import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Readiness } from '@moorage/contract/readiness';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { Sheet } from '../parts/layout';
import { useMay } from '../parts/person';
import { useAct } from '../parts/useAct';
import {
  isRangeable,
  matchWords,
  rangesMark,
  rangesSentence,
  shortList,
  singleOf,
  strangersText,
} from './ranges-words';

type Ranges = NonNullable<Readiness['backends'][number]['ranges']>;

/** Lets in what is missing and takes away single addresses that no node has; each of them can be taken back. */
function Match({ backend, ranges }: { backend: string; ranges: Ranges }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const missing = ranges.missing.filter(isRangeable);
  const idle = ranges.idle.flatMap((block) => singleOf(block) ?? []);
  const allow = (address: string) => ask('allowClient', { params: { id: backend, address } });
  const disallow = (address: string) => ask('disallowClient', { params: { id: backend, address } });
  const match = useAct(async () => {
    // additions first: what is there is never without its last entry
    for (const address of missing) await allow(address);
    for (const address of idle) await disallow(address);
    await refresh('readiness');
    return {
      text: `${backend}: ${matchWords(missing.length, idle.length)}.`,
      undo: async () => {
        for (const address of missing) await disallow(address);
        await refresh('readiness');
      },
    };
  });
  if (!may || missing.length + idle.length === 0) return null;
  return (
    <Button disabled={match.isPending} onClick={() => match.mutate(undefined)}>
      Match the nodes: {matchWords(missing.length, idle.length)}
    </Button>
  );
}

/** What each backend's exports let in, beside the nodes of the site: the exact list, and what one block would cost. */
export function Ranges({ backends }: { backends: Readiness['backends'] }) {
  const shown = backends.flatMap(({ id, ranges }) => (ranges ? [{ id, ranges }] : []));
  if (shown.length === 0) return null;
  return (
    <Sheet role="region" aria-label="Addresses that may mount" sx={{ mt: 2 }}>
      <Typography variant="h2">Addresses that may mount exports</Typography>
      <Table size="small">
        <TableHead>
          <TableRow>
            <TableCell>Backend</TableCell>
            <TableCell>Now</TableCell>
            <TableCell>Exactly the nodes</TableCell>
            <TableCell>One block for all</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map(({ id, ranges }) => (
            <TableRow key={id} sx={{ verticalAlign: 'top' }}>
              <TableCell component="th" scope="row">
                <Mark kind={rangesMark(ranges)} /> {id}
              </TableCell>
              <TableCell sx={{ maxWidth: 330 }}>
                {rangesSentence(ranges)}
                <Typography variant="body2" color="text.secondary" title={ranges.now.join(', ')}>
                  {shortList(ranges.now)}
                </Typography>
              </TableCell>
              <TableCell sx={{ maxWidth: 300 }} title={ranges.exact.join(', ')}>
                {ranges.exact.length} {ranges.exact.length === 1 ? 'block' : 'blocks'}{' '}
                <Copyable text={ranges.exact.join(',')} as={shortList(ranges.exact)} what="exact list of blocks" />
              </TableCell>
              <TableCell>
                {ranges.single ? (
                  <>
                    <Copyable text={ranges.single.block} what="block" /> lets in{' '}
                    {strangersText(ranges.single.strangers)}
                  </>
                ) : (
                  'none: the nodes have addresses of two kinds'
                )}
              </TableCell>
              <TableCell align="right">
                <Match backend={id} ranges={ranges} />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Sheet>
  );
}
