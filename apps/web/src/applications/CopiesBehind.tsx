import { Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { Mark } from '../marks/Mark';
import { Row, Sheet } from '../parts/layout';
import { Size } from '../parts/Size';
import { When } from '../parts/When';
import { behindSentence, copyMarks, copyWords, rateText, readyText } from './words';

/** Copies at first. */
const most = 12;

/** Copies that are not in step: since when, what is left of them and for how long. */
export function CopiesBehind({ behind }: { behind: ApplicationSeen['behind'] }) {
  if (behind.length === 0) return null;
  return (
    <Sheet>
      <Typography variant="h2">Copies that are not in step</Typography>
      <Typography variant="body2">{behindSentence(behind)}</Typography>
      <Table size="small" aria-label="Copies that are not in step">
        <TableHead>
          <TableRow>
            <TableCell>Volume of</TableCell>
            <TableCell>Copy on</TableCell>
            <TableCell>State</TableCell>
            <TableCell>Not in step since</TableCell>
            <TableCell align="right">Left</TableCell>
            <TableCell align="right">Rate</TableCell>
            <TableCell align="right">In step in</TableCell>
          </TableRow>
        </TableHead>
        <TableBody aria-live="polite">
          {behind.slice(0, most).map((b) => (
            <TableRow key={`${b.claim} ${b.disk}`}>
              <TableCell>{b.claim}</TableCell>
              <TableCell>
                {b.node}, {b.pool}
              </TableCell>
              <TableCell>
                <Row gap={1} align="center">
                  <Mark kind={copyMarks[b.state]} />
                  {copyWords[b.state]}
                  {b.state === 'resyncing' && `, ${Math.floor(b.percent)} %`}
                </Row>
              </TableCell>
              <TableCell>
                <When at={b.since} />
              </TableCell>
              <TableCell align="right">
                <Size bytes={b.left} />
              </TableCell>
              <TableCell align="right">{rateText(b)}</TableCell>
              <TableCell align="right">{readyText(b)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {behind.length > most && (
        <Typography variant="caption" color="text.secondary">
          {behind.length - most} more are not listed.
        </Typography>
      )}
    </Sheet>
  );
}
