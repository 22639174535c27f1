import { Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ApplicationPlan } from '@moorage/contract/applications';
import { useContext } from 'react';
import { Mark } from '../marks/Mark';
import { failureSentence } from '../moorings/check-words';
import { Column, Row } from '../parts/layout';
import { PersonContext } from '../parts/person';
import { Size } from '../parts/Size';
import { againstWords, planSentence } from './words';

/** Replicas shown of a plan; those that find no place come first. */
const most = 40;

/** Where each replica and its claims would go, as things stand, or what is against it. */
export function PlanOf({ plan }: { plan: ApplicationPlan }) {
  const currency = useContext(PersonContext)?.currency ?? '';
  const claimsOf = new Map(
    plan.pods.map(({ pod }) => [pod, plan.claims.filter((c) => c.name.endsWith(`-${pod}`))] as const),
  );
  const isOpen = (pod: ApplicationPlan['pods'][number]) =>
    pod.node === null || claimsOf.get(pod.pod)!.some((c) => !c.isThere && c.pool === null);
  const pods = [...plan.pods.filter(isOpen), ...plan.pods.filter((p) => !isOpen(p))];
  return (
    <Column gap={1}>
      <Row gap={1} align="center">
        <Mark kind={plan.fits ? 'settled' : 'person'} />
        <Typography variant="body1" aria-live="polite">
          {planSentence(plan)}
        </Typography>
      </Row>
      <Typography variant="body2">
        {plan.bytes > 0 && (
          <>
            New claims ask <Size bytes={plan.bytes} />
            {plan.monthly > 0 && `, ${plan.monthly.toFixed(2)} ${currency} a month at the prices of their pools`}.{' '}
          </>
        )}
        Nodes are those that the platform would choose as things stand now.
      </Typography>
      {pods.length > 0 && (
        <Table size="small" aria-label="Where replicas and claims would go">
          <TableHead>
            <TableRow>
              <TableCell>Replica</TableCell>
              <TableCell>Node</TableCell>
              <TableCell>Zone</TableCell>
              <TableCell>Its claims</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {pods.slice(0, most).map((p) => (
              <TableRow key={p.pod}>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{p.pod}</TableCell>
                {p.node === null ? (
                  <TableCell colSpan={2}>
                    <Row gap={1} align="center">
                      <Mark kind="person" /> {againstWords(p.against)}
                    </Row>
                  </TableCell>
                ) : (
                  <>
                    <TableCell sx={{ whiteSpace: 'nowrap' }}>{p.node}</TableCell>
                    <TableCell>{p.zone ?? '–'}</TableCell>
                  </>
                )}
                <TableCell>
                  {claimsOf.get(p.pod)!.map((c) => (
                    <div key={c.name}>
                      {c.name}
                      {c.isThere
                        ? ', there from before, with its data'
                        : c.pool !== null
                          ? ` → ${c.pool}`
                          : c.failed
                            ? `: ${c.failed.pool}, ${failureSentence(c.failed.check)}`
                            : ': its class is moored to no pool'}
                    </div>
                  ))}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      {pods.length > most && (
        <Typography variant="caption" color="text.secondary">
          {(pods.length - most).toLocaleString('en-GB')} more replicas, not shown.
        </Typography>
      )}
    </Column>
  );
}
