import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ClaimDetail } from '@moorage/contract/claims';
import { useState } from 'react';
import { FaintCell, Sheet } from '../parts/layout';
import { When } from '../parts/When';
import { tookText } from './timeline-words';

const shownFirst = 8;

/** What was done for a claim, step by step, with how long each took; the last first. */
export function Timeline({ timeline }: { timeline: ClaimDetail['timeline'] }) {
  const [all, setAll] = useState(false);
  if (timeline.length === 0) return null;
  const steps = [...timeline].reverse();
  const shown = all ? steps : steps.slice(0, shownFirst);
  return (
    <Sheet>
      <Typography variant="h2">What was done for it</Typography>
      <Table size="small" aria-label="What was done for it" sx={{ maxWidth: 860 }}>
        <TableHead>
          <TableRow>
            <TableCell>When</TableCell>
            <TableCell>What</TableCell>
            <TableCell>Step</TableCell>
            <TableCell align="right">Took</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map((step, i) => (
            <TableRow key={`${step.at}/${i}`} sx={{ '& td': { py: 0.3 } }}>
              <FaintCell>
                <When at={step.at} />
              </FaintCell>
              <TableCell>{step.title}</TableCell>
              <TableCell>{step.words}</TableCell>
              <TableCell align="right">{tookText(step.seconds)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {steps.length > shownFirst && !all && <Button onClick={() => setAll(true)}>Show all {steps.length} steps</Button>}
    </Sheet>
  );
}
