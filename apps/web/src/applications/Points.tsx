import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import type { Spread } from '@moorage/core/applications/spread';
import { useMemo } from 'react';
import { usePlacement } from '../api/queries';
import { useGo } from '../frame/address';
import { Mark } from '../marks/Mark';
import { prepare } from '@moorage/contract/placement-input';
import { FaintCell, Row, Sheet } from '../parts/layout';
import { Failed } from '../parts/States';
import { spreadsOf } from './choice';
import { copiedWords, leavesWords, spreadLines, stopsWords } from './words';

/** The way to the change, where there is one: pods start anew apart, copies are changed with their claim. */
function Way({
  spread,
  keepApart,
  open,
}: {
  spread: Spread;
  keepApart: (() => void) | undefined;
  open: (claim: string) => void;
}) {
  if (spread.kind === 'none') return null;
  if (spread.acts.some((a) => a.kind === 'pod') && keepApart) return <Button onClick={keepApart}>Keep apart</Button>;
  const copy = spread.acts.find((a) => a.kind === 'copy');
  return copy && 'claim' in copy ? (
    <Button sx={{ whiteSpace: 'nowrap' }} onClick={() => open(copy.claim)}>
      Open its claim
    </Button>
  ) : null;
}

/** What stops several replicas in one go, worst first, with the change that would spread each and what that moves. */
export function Points({ seen, keepApart }: { seen: ApplicationSeen; keepApart: (() => void) | undefined }) {
  const go = useGo();
  const placement = usePlacement(seen.points.length > 0);
  const spreads = useMemo(
    () => (placement.data ? spreadsOf(seen, prepare(placement.data)) : undefined),
    [seen, placement.data],
  );
  const { points, application } = seen;
  return (
    <Sheet>
      <Typography variant="h2">Common points of failure</Typography>
      {points.length === 0 ? (
        <Typography variant="body2">
          None: no disk, node, rack, zone, pool or backend takes half of the replicas with it, no node two of them.
        </Typography>
      ) : (
        <Table size="small" aria-label="Common points of failure">
          <TableHead>
            <TableRow>
              <TableCell>What fails</TableCell>
              <TableCell>What stops</TableCell>
              <TableCell>Then</TableCell>
              <TableCell>What would spread it</TableCell>
              <TableCell align="right">Copied</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {points.map((point, i) => (
              <TableRow key={`${point.of}/${point.level}/${point.name}`}>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <Row gap={1} align="center">
                    <Mark kind={point.leaves === 'more-than-half' ? 'waiting' : 'degraded'} />
                    <span>
                      {point.level} <strong>{point.name}</strong>
                    </span>
                  </Row>
                </TableCell>
                <TableCell title={point.pods.join(', ')}>{stopsWords(point, application.pods)}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{leavesWords[point.leaves]}</TableCell>
                {spreads ? (
                  <>
                    <TableCell>
                      {spreadLines(spreads[i]!, point, application.classes).map((line) => (
                        <div key={line}>{line}</div>
                      ))}
                    </TableCell>
                    <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                      {copiedWords(spreads[i]!)}
                    </TableCell>
                    <TableCell align="right">
                      <Way
                        spread={spreads[i]!}
                        keepApart={keepApart}
                        open={(c) => go(`/claims/${application.namespace}/${c}`)}
                      />
                    </TableCell>
                  </>
                ) : (
                  <FaintCell colSpan={3}>{placement.isError ? 'not reckoned' : 'being reckoned'}</FaintCell>
                )}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      {placement.isError && <Failed error={placement.error} retry={() => void placement.refetch()} />}
    </Sheet>
  );
}
