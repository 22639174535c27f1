import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { useGo } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Row, Sheet } from '../parts/layout';
import { localitySentence, localityWays } from './words';

/** Replicas at first. */
const most = 6;

/** Whether replicas read from their own nodes where their class wants it, and what would make it so. */
export function LocalReads({ seen }: { seen: ApplicationSeen }) {
  const go = useGo();
  const { locality, measured, application } = seen;
  if (locality.length === 0) return null;
  const away = locality.filter((l) => l.claims.some((c) => !c.isLocal));
  const outFor = measured.length > 0 ? Math.max(...measured.map((m) => m.half)) : undefined;
  return (
    <Sheet>
      <Typography variant="h2">Reading from the own node</Typography>
      <Row gap={1} align="center">
        <Mark kind={away.length === 0 ? 'settled' : 'degraded'} />
        <Typography variant="body2">{localitySentence(locality)}</Typography>
      </Row>
      {away.length > 0 && (
        <Table size="small" aria-label="Replicas that read over the network">
          <TableHead>
            <TableRow>
              <TableCell>Replica</TableCell>
              <TableCell>Runs on</TableCell>
              <TableCell>What would let it read there, one of</TableCell>
              <TableCell align="right">Costs</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {away.slice(0, most).map((l) => {
              const claim = l.claims.find((c) => !c.isLocal)!.claim;
              const ways = localityWays(l, outFor);
              return (
                <TableRow key={l.pod}>
                  <TableCell>{l.pod}</TableCell>
                  <TableCell>{l.node}</TableCell>
                  <TableCell>
                    {ways.map(({ text }) => (
                      <div key={text}>{text}</div>
                    ))}
                  </TableCell>
                  <TableCell align="right">
                    {ways.map(({ text, cost }) => (
                      <div key={text}>{cost}</div>
                    ))}
                  </TableCell>
                  <TableCell align="right">
                    <Button
                      sx={{ whiteSpace: 'nowrap' }}
                      onClick={() =>
                        go(`/claims/${encodeURIComponent(application.namespace)}/${encodeURIComponent(claim)}`)
                      }
                    >
                      Its copies
                    </Button>
                  </TableCell>
                </TableRow>
              );
            })}
          </TableBody>
        </Table>
      )}
      {away.length > most && (
        <Typography variant="caption" color="text.secondary">
          {(away.length - most).toLocaleString('en-GB')} more read over the network.
        </Typography>
      )}
    </Sheet>
  );
}
