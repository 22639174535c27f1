import { Box, Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Proof as ProofData } from '@moorage/contract/proof';
import { displaySize, sizeText } from '@moorage/core/sizes/display';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { kindTitles } from '../drift/words';
import { MarkedWord } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { Column, FaintCell, Sheet } from '../parts/layout';
import { Place } from '../parts/Place';
import { Fetched } from '../parts/States';
import { momentText } from '../parts/moment';
import { mono } from '../theme/theme';

const none = 'not told';
const text = (value: string | number | null): string => (value === null ? none : String(value));
const size = (bytes: number | null): string =>
  bytes === null ? none : `${sizeText(bytes)} (${displaySize(bytes).exact})`;
const identifier = (id: string | null, what: string): React.ReactNode =>
  id === null ? none : <Copyable text={id} what={what} />;
const moment = (at: string | null): string => (at === null ? 'never' : momentText(at));

/** What one side says, a figure a line. */
function Side({ title, rows }: { title: string; rows: readonly (readonly [string, React.ReactNode])[] }) {
  return (
    <Box sx={{ flex: 1, minWidth: 0 }}>
      <Typography variant="h2">{title}</Typography>
      <Table size="small" aria-label={title}>
        <TableBody>
          {rows.map(([what, value]) => (
            <TableRow key={what}>
              <FaintCell sx={{ pl: 0, width: 150 }}>{what}</FaintCell>
              <TableCell sx={{ fontFamily: mono, fontSize: 12, overflowWrap: 'anywhere' }}>{value}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

function Sheets({ proof: { claim, at, links, platform, backend, checks } }: { proof: ProofData }) {
  const failed = checks.filter((c) => !c.passed);
  return (
    <Column gap={1.5} className="printed">
      <Sheet>
        <Typography variant="body1">
          {checks.length === 0
            ? `${claim} holds no volume of ours: there is nothing to compare.`
            : failed.length === 0
              ? `Both sides say the same of ${claim}: ${checks.length} checks, all passed.`
              : `${failed.length} of ${checks.length} checks of ${claim} did not pass.`}{' '}
          Put together {moment(at)}.
        </Typography>
      </Sheet>
      <Sheet sx={{ display: 'flex', gap: 3 }}>
        <Side
          title="The platform says"
          rows={[
            ['last heard of', moment(platform.seenAt)],
            ['claim uid', identifier(platform.claimUid, 'uid of the claim')],
            ['phase', text(platform.phase)],
            ['asked for', size(platform.requested)],
            ['persistent volume', identifier(platform.volumeName, 'name of the persistent volume')],
            ['its uid', identifier(platform.volumeUid, 'uid of the persistent volume')],
            ['its phase', text(platform.volumePhase)],
            ['its capacity', text(platform.capacity)],
            ['its reclaim policy', text(platform.reclaim)],
            ['names', identifier(platform.handle, 'handle of the volume')],
          ]}
        />
        <Side
          title={backend ? `The backend ${backend.id} says` : 'No backend'}
          rows={
            backend
              ? [
                  ['last answered', `${moment(backend.seenAt)}${backend.reachable ? '' : ', and not since'}`],
                  ['volume', identifier(backend.volumeId, 'backend identifier')],
                  ['called', identifier(backend.name, 'name on the backend')],
                  ['on pool', text(backend.pool)],
                  ['size', size(backend.bytes)],
                  ['written', size(backend.consumed)],
                  ['encrypted', backend.encrypted === null ? none : backend.encrypted ? 'yes' : 'no'],
                  [
                    'IOPS ceiling',
                    backend.iopsCeiling === null ? 'none' : `${backend.iopsCeiling.toLocaleString('en-GB')} IOPS`,
                  ],
                  [
                    'throughput ceiling',
                    backend.throughputCeiling === null
                      ? 'none'
                      : `${backend.throughputCeiling.toLocaleString('en-GB')} MB/s`,
                  ],
                  [
                    'copies',
                    backend.copies.map((c) => `${c.disk} in ${c.node}, ${c.state}`).join('; ') || 'its own affair',
                  ],
                ]
              : []
          }
        />
      </Sheet>
      <Sheet>
        <Typography variant="h2">The chain</Typography>
        <Table size="small" aria-label="The chain">
          <TableBody>
            {links.map((link, i) => (
              <TableRow key={`${link.kind}-${i}`}>
                <FaintCell sx={{ pl: 0, width: 150 }}>{link.kind}</FaintCell>
                <TableCell>{link.name}</TableCell>
                <TableCell>
                  <MarkedWord kind={link.mark} word={link.note ?? undefined} />
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Sheet>
      {checks.length > 0 && (
        <Sheet>
          <Typography variant="h2">Checks</Typography>
          <Table size="small" aria-label="Checks">
            <TableHead>
              <TableRow>
                <TableCell sx={{ pl: 0 }}>That it is not</TableCell>
                <TableCell>Result</TableCell>
                <TableCell>Declared</TableCell>
                <TableCell>Actual</TableCell>
                <TableCell>Since</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {checks.map((c) => (
                <TableRow key={c.kind}>
                  <TableCell sx={{ pl: 0 }}>{kindTitles[c.kind]}</TableCell>
                  <TableCell>
                    <MarkedWord kind={c.passed ? 'settled' : 'person'} word={c.passed ? 'passed' : 'differs'} />
                  </TableCell>
                  <TableCell>{c.passed ? '' : text(c.declared)}</TableCell>
                  <TableCell>{c.passed ? '' : text(c.actual)}</TableCell>
                  <TableCell>{c.since === null ? '' : moment(c.since)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Sheet>
      )}
    </Column>
  );
}

/** Both sides of one claim on a page that can be printed: identifiers, figures, when each was last seen, the checks made. */
export default function Proof() {
  const { namespace = '', name = '' } = useParams();
  const query = useQuery({
    queryKey: keys.proof(namespace, name),
    queryFn: () => ask('getProof', { params: { namespace, name } }),
  });
  return (
    <Place
      title={`${namespace}/${name}`}
      question="Do both sides say the same of it?"
      actions={<Button onClick={() => window.print()}>Print</Button>}
    >
      <Fetched query={query}>{(proof) => <Sheets proof={proof} />}</Fetched>
    </Place>
  );
}
