import { Button, TextField, Typography } from '@mui/material';
import type { ClaimDetail, ClaimRow } from '@moorage/contract/claims';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Column, Plain, Row } from '../parts/layout';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { deletionAsked, deletionLines } from './deletion-words';

/** The whole consequence of deleting a claim, and the act; what would destroy written data asks for the name. */
export function Deletion({
  claim,
  usedBy,
  close,
}: {
  claim: ClaimRow;
  usedBy: ClaimDetail['usedBy'];
  close: () => void;
}) {
  const { namespace, name } = claim;
  const navigate = useNavigate();
  const [typed, setTyped] = useState('');
  const query = useQuery({
    queryKey: keys.deletion(namespace, name),
    queryFn: () => ask('planDeletion', { params: { namespace, name } }),
  });
  const remove = useAct(async () => {
    await ask('deleteClaim', { params: { namespace, name }, query: { confirm: typed } });
    void refresh('claims');
    // one that pods still use stays for now: what it waits for is seen on its own page
    if (usedBy.pods.length > 0) close();
    // its Line goes with it
    else void navigate('/claims');
    return { text: deletionAsked(`${namespace}/${name}`, usedBy) };
  });
  return (
    <Column
      role="alert"
      gap={1}
      sx={{ border: 1, borderColor: query.data?.confirm ? 'error.main' : 'divider', p: 1.5, my: 1 }}
    >
      <Fetched query={query}>
        {(plan) => (
          <>
            <Plain aria-label="What goes with it">
              {deletionLines(plan, usedBy).map(({ mark, text }) => (
                <li key={text}>
                  <Row align="baseline" sx={{ fontSize: 13, py: 0.25 }}>
                    <Mark kind={mark} />
                    <span>{text}</span>
                  </Row>
                </li>
              ))}
            </Plain>
            <Row gap={1.5} align="center" justify="flex-end" wraps>
              {plan.confirm && (
                <TextField
                  label={`Type ${name} to delete`}
                  value={typed}
                  onChange={(e) => setTyped(e.target.value)}
                  sx={{ width: 260 }}
                />
              )}
              <Button onClick={close}>Keep it</Button>
              <Button
                variant="contained"
                disabled={(plan.confirm && typed !== name) || remove.isPending}
                onClick={() => remove.mutate(undefined)}
              >
                Delete claim
              </Button>
            </Row>
          </>
        )}
      </Fetched>
    </Column>
  );
}

/** The last way back of a claim that is being deleted: the platform does not take that back, and its volume can be kept. */
export function KeepVolume({ claim: { namespace, name } }: { claim: ClaimRow }) {
  const { data } = useQuery({
    queryKey: keys.deletion(namespace, name),
    queryFn: () => ask('planDeletion', { params: { namespace, name } }),
  });
  const keep = useAct(async () => {
    await ask('keepVolume', { params: { namespace, name } });
    await refresh('claims', 'deletion');
    return { text: `The volume of ${namespace}/${name} stays when its pods are gone: it is found under Salvage then.` };
  });
  const fate = data?.claims[0]?.fate;
  if (fate === 'kept')
    return <Typography variant="body2">Its volume is kept, and found under Salvage then.</Typography>;
  if (fate !== 'destroyed' && fate !== 'grace') return null;
  return (
    <Button variant="contained" disabled={keep.isPending} onClick={() => keep.mutate(undefined)}>
      Keep its volume
    </Button>
  );
}
