import { Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ClaimRow } from '@moorage/contract/claims';
import { useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { LetIn } from '../backends/LetIn';
import { isRangeable } from '../backends/ranges-words';
import { Mark, MarkedWord } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { Fill, Row, Sheet } from '../parts/layout';
import { useMay } from '../parts/person';
import { doesMark, doesWord, isShared, mountedSentence, mountText, shutOutSentence, usedSentence } from './share-words';

const mostShown = 24;

/** Which pods on which nodes read and write the files of a claim now, and whom its backend shuts out; nothing of a block device. */
export function Share({ claim }: { claim: ClaimRow }) {
  const { namespace, name } = claim;
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const { data } = useQuery({
    queryKey: keys.share(namespace, name),
    queryFn: () => ask('getShare', { params: { namespace, name } }),
    enabled: claim.state === 'bound' && isShared(claim),
  });
  if (!data) return null;
  const left = data.users.length - mostShown;
  return (
    <Sheet role="region" aria-label="Shared files">
      <Typography variant="h2">Who reads and writes it</Typography>
      <Typography variant="body2" aria-live="polite">
        {usedSentence(data)}{' '}
        {data.ranges === null
          ? `${data.backend} says nothing of who may mount it.`
          : `${data.backend} lets in ${data.ranges.join(', ') || 'nobody'}.`}
      </Typography>
      {data.mounted && (
        <>
          <Copyable text={mountText(data.mounted)} what="mount" />
          <Typography variant="body2">{mountedSentence(data)}</Typography>
        </>
      )}
      {data.shutOut.map((out) => (
        <Row key={out.node} gap={1} align="center" sx={{ pt: 0.5 }}>
          <Mark kind="person" />
          <Fill>
            <Typography variant="body2">{shutOutSentence(data.backend, out)}</Typography>
          </Fill>
          {may &&
            out.addresses
              .filter(isRangeable)
              .map((address) => <LetIn key={address} address={address} node={out.node} backend={data.backend} />)}
        </Row>
      ))}
      {data.users.length > 0 && (
        <Table size="small" aria-label="Pods" sx={{ mt: 0.5 }}>
          <TableHead>
            <TableRow>
              <TableCell sx={{ pl: 0 }}>Pod</TableCell>
              <TableCell>Node</TableCell>
              <TableCell>Address</TableCell>
              <TableCell>Does</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {data.users.slice(0, mostShown).map((user) => (
              <TableRow key={user.pod}>
                <TableCell component="th" scope="row" sx={{ pl: 0 }}>
                  {user.pod}
                </TableCell>
                <TableCell>{user.node ?? ''}</TableCell>
                <TableCell>{user.addresses.join(', ')}</TableCell>
                <TableCell>
                  <MarkedWord kind={doesMark(user)} word={doesWord(user)} />
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      {left > 0 && (
        <Typography variant="body2" color="text.secondary">
          And {left}
          {data.more ? ' and more' : ''} others, those by name after these.
        </Typography>
      )}
    </Sheet>
  );
}
