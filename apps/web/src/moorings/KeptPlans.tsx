import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { KeptPlan } from '@moorage/contract/moorings';
import { ask } from '../api/client';
import { refresh, usePlans } from '../api/queries';
import { useMay } from '../parts/person';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { Size } from '../parts/Size';
import { When } from '../parts/When';
import { Sheet } from '../parts/layout';

/** Plans that were kept and whose claims are still to come, each with a way to let it go. */
export function KeptPlans() {
  const query = usePlans();
  const may = useMay('administrator', 'operator');
  const drop = useAct(async ({ plan, claims }: KeptPlan) => {
    await ask('dropPlan', { params: { plan } });
    await refresh('plans');
    return {
      text: `The plan is let go: ${claims} ${claims === 1 ? 'claim is' : 'claims are'} placed as their classes choose.`,
    };
  });
  return (
    <Fetched query={query}>
      {(plans) =>
        plans.length === 0 ? null : (
          <Sheet>
            <Typography variant="h2">Kept plans</Typography>
            <Typography variant="body2" color="text.secondary">
              A claim that comes takes its place; what is listed is still to come. What is held for it, others cannot
              take meanwhile; it is free again when the plan is let go, or at the time that is said.
            </Typography>
            <Table size="small" aria-label="Kept plans">
              <TableHead>
                <TableRow>
                  <TableCell>Claims from</TableCell>
                  <TableCell align="right">Still to come</TableCell>
                  <TableCell>To</TableCell>
                  <TableCell align="right">Held for them</TableCell>
                  <TableCell>Kept</TableCell>
                  <TableCell />
                </TableRow>
              </TableHead>
              <TableBody>
                {plans.map((plan) => (
                  <TableRow key={plan.plan}>
                    <TableCell>
                      {plan.namespaces.join(', ')} / {plan.first}
                    </TableCell>
                    <TableCell align="right">{plan.claims.toLocaleString('en-GB')}</TableCell>
                    <TableCell>
                      {plan.pools.map((p) => `${p.pool} (${p.claims.toLocaleString('en-GB')})`).join(', ')}
                    </TableCell>
                    <TableCell align="right">
                      {plan.until === null ? (
                        'nothing'
                      ) : (
                        <>
                          <Size bytes={plan.held} /> raw until <When at={plan.until} />
                        </>
                      )}
                    </TableCell>
                    <TableCell>
                      <When at={plan.at} /> by {plan.person}
                    </TableCell>
                    <TableCell align="right">
                      {may && (
                        <Button
                          size="small"
                          aria-label={`Let the plan for ${plan.first} go`}
                          onClick={() => drop.mutate(plan)}
                        >
                          Let it go
                        </Button>
                      )}
                    </TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          </Sheet>
        )
      }
    </Fetched>
  );
}
