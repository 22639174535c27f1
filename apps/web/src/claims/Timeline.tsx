import { Box, Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ClaimDetail, ClaimSayings } from '@moorage/contract/claims';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { Mark } from '../marks/Mark';
import { FaintCell, Sheet } from '../parts/layout';
import { When } from '../parts/When';
import { merged, sayingTook, tookText } from './timeline-words';

const shownFirst = 8;
/** The platform is asked for what it says, not followed. */
const askedEveryMs = 10_000;

/** What the platform says of a claim, asked for while it is looked at. */
export const useSayings = (namespace: string, name: string): ClaimSayings | undefined =>
  useQuery({
    queryKey: keys.sayings(namespace, name),
    queryFn: () => ask('getClaimSayings', { params: { namespace, name } }),
    refetchInterval: askedEveryMs,
  }).data;

/** What was done for a claim, step by step, with how long each took, and what the platform said meanwhile; the last first. */
export function Timeline({ timeline, said }: { timeline: ClaimDetail['timeline']; said: ClaimSayings | undefined }) {
  const [all, setAll] = useState(false);
  const lines = merged(timeline, said?.sayings ?? []).reverse();
  if (lines.length === 0 && !said?.problem) return null;
  const shown = all ? lines : lines.slice(0, shownFirst);
  return (
    <Sheet>
      <Typography variant="h2">What was done for it</Typography>
      {said?.problem && (
        <Typography variant="body2" color="warning.main">
          What the platform says of it is not known now: {said.problem}.
        </Typography>
      )}
      <Table size="small" aria-label="What was done for it" sx={{ maxWidth: 1000 }}>
        <TableHead>
          <TableRow>
            <TableCell>When</TableCell>
            <TableCell>What</TableCell>
            <TableCell>Step</TableCell>
            <TableCell align="right">Took</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map((line, i) => (
            <TableRow key={`${line.at}/${i}`} sx={{ '& td': { py: 0.3, verticalAlign: 'top' } }}>
              <FaintCell sx={{ whiteSpace: 'nowrap' }}>
                <When at={line.at} />
              </FaintCell>
              <TableCell sx={{ whiteSpace: 'nowrap' }}>{line.title}</TableCell>
              <TableCell>
                {line.saying ? (
                  <>
                    {line.saying.isWarning && (
                      <Box component="span" sx={{ mr: 0.75 }}>
                        <Mark kind="degraded" size={10} />
                      </Box>
                    )}
                    {line.saying.reason}: {line.saying.message}
                  </>
                ) : (
                  line.words
                )}
              </TableCell>
              <TableCell align="right">{line.saying ? sayingTook(line.saying) : tookText(line.seconds)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {lines.length > shownFirst && !all && <Button onClick={() => setAll(true)}>Show all {lines.length} lines</Button>}
    </Sheet>
  );
}
