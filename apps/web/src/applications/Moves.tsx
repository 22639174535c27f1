import { Box, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ApplicationSeen, MoveSeen } from '@moorage/contract/applications';
import { Mark } from '../marks/Mark';
import { Row, Sheet } from '../parts/layout';
import { When } from '../parts/When';
import { between, dataMarks, dataWords, measuredSentence, moveStep } from './words';

/** Ways shown at first. */
const most = 6;

/** What a claim held before and holds after, with the fingerprint by which that is known. */
function DataHeld({ held, isAlone }: { held: MoveSeen['data'][number]; isAlone: boolean }) {
  const { claim, before, comparison } = held;
  return (
    <Row gap={1} align="center">
      <Mark kind={comparison === null ? 'progress' : dataMarks[comparison]} />
      <Typography variant="body2" component="span">
        {isAlone ? '' : `${claim}: `}
        {dataWords(held)}{' '}
        <Box component="code" title={`${claim}: fingerprint ${before.fingerprint} after ${before.writes} writes`}>
          {before.fingerprint.slice(0, 8)}
        </Box>
      </Typography>
    </Row>
  );
}

/** Pods that ended and came back, with how long each step took, and how long that takes as a rule. */
export function Moves({ seen }: { seen: ApplicationSeen }) {
  const { moves, measured, application } = seen;
  // a replica that was taken away does not come back
  const stays = (pod: string) => application.wanted === null || Number(/\d+$/.exec(pod)?.[0] ?? 0) < application.wanted;
  const shown = moves.filter((m) => m.readyAt !== null || stays(m.pod)).slice(0, most);
  if (shown.length === 0 && measured.length === 0) return null;
  // only where its pods say what they hold
  const tellsData = shown.some((m) => m.data.length > 0);
  return (
    <Sheet>
      <Typography variant="h2">Pods that ended and came back</Typography>
      {measured.map((m) => (
        <Typography key={`${m.className}/${m.backend}`} variant="body2">
          {measuredSentence(m)}
        </Typography>
      ))}
      {shown.length > 0 && (
        <Table size="small" aria-label="Pods that ended and came back">
          <TableHead>
            <TableRow>
              <TableCell>Pod</TableCell>
              <TableCell>Way</TableCell>
              <TableCell>Ended at</TableCell>
              <TableCell align="right">Gone after</TableCell>
              <TableCell align="right">Detached after</TableCell>
              <TableCell align="right">Placed after</TableCell>
              <TableCell align="right">Attached after</TableCell>
              <TableCell align="right">Ready after</TableCell>
              {tellsData && <TableCell>Its data</TableCell>}
            </TableRow>
          </TableHead>
          <TableBody aria-live="polite">
            {shown.map((m) => (
              <TableRow key={m.id}>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <Row gap={1} align="center">
                    <Mark kind={m.readyAt === null ? 'progress' : 'settled'} />
                    {m.pod}
                  </Row>
                </TableCell>
                <TableCell>
                  {m.readyAt === null ? moveStep(m) : m.to === m.from ? `back on ${m.from}` : `${m.from} to ${m.to}`}
                </TableCell>
                <TableCell>
                  <When at={m.endedAt} />
                </TableCell>
                {[m.goneAt, m.detachedAt, m.placedAt, m.attachedAt, m.readyAt].map((at, i) => (
                  <TableCell key={i} align="right">
                    {m.readyAt !== null && at === null ? 'stayed' : between(m.endedAt, at)}
                  </TableCell>
                ))}
                {tellsData && (
                  <TableCell>
                    {m.data.map((held) => (
                      <DataHeld key={held.claim} held={held} isAlone={m.data.length === 1} />
                    ))}
                  </TableCell>
                )}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Sheet>
  );
}
