import { Button, TextField, Typography } from '@mui/material';
import { mostReplicas, type ApplicationSeen } from '@moorage/contract/applications';
import { useState } from 'react';
import { useScalePlan } from '../api/application-queries';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Column, Row, Sheet } from '../parts/layout';
import { Failed, Waiting } from '../parts/States';
import { useAct } from '../parts/useAct';
import { PlanOf } from './PlanOf';
import { goingSentence, wantedOf } from './words';

/** More or fewer replicas, with what that brings about before it is done. */
export function Scale({ seen, close }: { seen: ApplicationSeen; close: () => void }) {
  const { namespace, name } = seen.application;
  const now = wantedOf(seen.application);
  const [text, setText] = useState(String(now));
  const [typed, setTyped] = useState('');
  const to = /^\d{1,3}$/.test(text.trim()) && Number(text) <= mostReplicas ? Number(text) : undefined;
  const plan = useScalePlan(namespace, name, to !== undefined && to !== now ? to : undefined);
  const scale = useAct(async (replicas: number) => {
    const at = { params: { namespace, name } };
    const down = plan.data;
    await ask('scaleApplication', { ...at, body: { replicas, ...(down?.confirm && { confirm: typed }) } });
    await refresh('applications', 'claims');
    close();
    return {
      text: `${namespace}/${name} has ${replicas} replicas to run now.`,
      // where claims go with their replicas, going back does not bring back what they held
      ...(down?.whenScaled === 'Retain' && {
        undo: async () => {
          await ask('scaleApplication', { ...at, body: { replicas: now } });
          await refresh('applications', 'claims');
        },
      }),
    };
  });
  const mayDo =
    to !== undefined &&
    to !== now &&
    plan.data?.to === to &&
    plan.data.start?.fits !== false &&
    (!plan.data.confirm || typed === name);
  return (
    <Sheet>
      <Column gap={1.5}>
        <Typography variant="h2">More or fewer replicas</Typography>
        <Row gap={1} align="flex-start">
          <TextField
            label="Replicas"
            autoFocus
            value={text}
            onChange={(e) => setText(e.target.value)}
            error={to === undefined}
            helperText={to === undefined ? `0 to ${mostReplicas}` : undefined}
            sx={{ width: 100 }}
            slotProps={{ htmlInput: { inputMode: 'numeric' } }}
          />
          <Button
            variant="contained"
            disabled={!mayDo || scale.isPending}
            onClick={() => to !== undefined && scale.mutate(to)}
          >
            {to !== undefined && to < now ? 'Take away' : 'Add'}
          </Button>
          <Button onClick={close}>Leave</Button>
        </Row>
        {plan.isError && <Failed error={plan.error} retry={() => void plan.refetch()} />}
        {plan.isFetching && !plan.data && <Waiting />}
        {plan.data?.start && <PlanOf plan={plan.data.start} />}
        {plan.data && plan.data.to < plan.data.from && (
          <Row gap={1} align="center">
            <Mark kind={plan.data.destroyed > 0 ? 'person' : 'settled'} />
            <Typography variant="body1">{goingSentence(plan.data)}</Typography>
          </Row>
        )}
        {plan.data?.confirm && (
          <TextField
            label={`Type ${name} to destroy what was written`}
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
            sx={{ width: 340 }}
            slotProps={{ htmlInput: { spellCheck: false, autoComplete: 'off' } }}
          />
        )}
      </Column>
    </Sheet>
  );
}
