import { Button, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { useState } from 'react';
import { useSpreadPlan } from '../api/application-queries';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { Column, Row, Sheet } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { Failed, Waiting } from '../parts/States';
import { useAct } from '../parts/useAct';
import { PlanOf } from './PlanOf';

type By = 'nodes' | 'zones';

/** Makes replicas keep apart by the platform's own rule, with where each would start anew before it is done. */
export function KeepApart({ seen, close }: { seen: ApplicationSeen; close: () => void }) {
  const { namespace, name, pods } = seen.application;
  const [by, setBy] = useState<By>('zones');
  const plan = useSpreadPlan(namespace, name, by);
  const act = useAct(async () => {
    await ask('spreadApplication', { params: { namespace, name }, body: { by } });
    await refresh('applications');
    close();
    return { text: `The replicas of ${namespace}/${name} keep apart now: they start anew, one after the other.` };
  });
  return (
    <Sheet>
      <Column gap={1.5}>
        <Typography variant="h2">Keep the replicas apart</Typography>
        <Typography variant="body2">
          The set gets the platform&rsquo;s rule for it, and the platform then starts its {pods} pods anew, the last
          first, each once the others are ready. Their volumes are detached and attached where they go; nothing is
          copied.
        </Typography>
        <Row gap={1} align="flex-start">
          <OneOf<By>
            label="Apart"
            value={by}
            options={[
              ['zones', 'by zone and node'],
              ['nodes', 'by node'],
            ]}
            choose={setBy}
            width={180}
          />
          <Button
            variant="contained"
            disabled={act.isPending || plan.data?.fits !== true}
            onClick={() => act.mutate(undefined)}
          >
            Start them anew so
          </Button>
          <Button onClick={close}>Leave</Button>
        </Row>
        {plan.isError && <Failed error={plan.error} retry={() => void plan.refetch()} />}
        {plan.isPending && <Waiting />}
        {plan.data && <PlanOf plan={plan.data} />}
      </Column>
    </Sheet>
  );
}
