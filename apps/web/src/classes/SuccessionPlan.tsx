import { Box, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Succession } from '@moorage/contract/classes';
import { movingShare } from '@moorage/core/classes/succession';
import { useSuccessions } from '../api/queries';
import { MarkedWord } from '../marks/Mark';
import { durationText } from '../clusters/words';
import { Size } from '../parts/Size';
import { When } from '../parts/When';
import { Sheet } from '../parts/layout';

function Plan({ plan }: { plan: Succession }) {
  const stuck = plan.moves.filter((m) => m.to === null).length;
  return (
    <Sheet component="section" aria-label={`Plan from ${plan.from} to ${plan.to}`} sx={{ mt: 2 }}>
      <Typography variant="h2">
        Moving claims from {plan.from} to {plan.to}
      </Typography>
      <Typography variant="body2" color="text.secondary" sx={{ pb: 1 }}>
        {plan.moves.length === 0 ? (
          'There is no claim to move.'
        ) : (
          <>
            {plan.moves.length} {plan.moves.length === 1 ? 'claim' : 'claims'}, <Size bytes={plan.bytes} /> written,{' '}
            {durationText(plan.seconds)} one after the other, at {Math.round(movingShare * 100)} % of what the slower
            pool moves.
            {stuck > 0 && ` ${stuck} of them fit nowhere yet.`} Planned by {plan.person}, <When at={plan.createdAt} />;
            nothing is moved by it.
          </>
        )}
      </Typography>
      {plan.moves.length > 0 && (
        <Box sx={{ maxHeight: 360, overflow: 'auto' }}>
          <Table size="small" stickyHeader aria-label="Moves in their order">
            <TableHead>
              <TableRow>
                <TableCell align="right">Order</TableCell>
                <TableCell>Claim</TableCell>
                <TableCell>From</TableCell>
                <TableCell>To</TableCell>
                <TableCell align="right">Provisioned</TableCell>
                <TableCell align="right">Written</TableCell>
                <TableCell align="right">Takes</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {plan.moves.map((m, i) => (
                <TableRow key={`${m.namespace}/${m.claim}`}>
                  <TableCell align="right">{i + 1}</TableCell>
                  <TableCell>
                    {m.namespace} / {m.claim}
                  </TableCell>
                  <TableCell>{m.from ?? 'no volume yet'}</TableCell>
                  <TableCell>{m.to ?? <MarkedWord kind="person" word="fits nowhere yet" />}</TableCell>
                  <TableCell align="right">
                    <Size bytes={m.bytes} />
                  </TableCell>
                  <TableCell align="right">
                    <Size bytes={m.consumed} />
                  </TableCell>
                  <TableCell align="right">{durationText(m.seconds)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Box>
      )}
    </Sheet>
  );
}

/** Plans for moving claims from or to a class. */
export function SuccessionPlans({ name }: { name: string }) {
  const { data } = useSuccessions(name);
  return (
    <>
      {data?.map((plan) => (
        <Plan key={`${plan.from}/${plan.to}`} plan={plan} />
      ))}
    </>
  );
}
