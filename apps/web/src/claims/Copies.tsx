import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ClaimRow } from '@moorage/contract/claims';
import type { CopiesAnswer, CopyChange } from '@moorage/contract/copies';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh, useClasses } from '../api/queries';
import { Mark, MarkedWord } from '../marks/Mark';
import { Row, Sheet } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { choiceText, copiesSentence, copyWord, planSentence, refusedWords } from './copies-words';

/** Whether a claim's class lets it keep more or fewer copies than the class has. */
export function useMayChangeCopies({ className, namespace }: ClaimRow): boolean {
  const { data } = useClasses();
  const cls = data?.find((c) => c.storageClass.name === className)?.storageClass;
  return (
    cls?.allowances.some(
      (a) => a.setting === 'copies' && (a.namespaces.length === 0 || a.namespaces.includes(namespace)),
    ) ?? false
  );
}

function Lying({ now }: { now: CopiesAnswer['now'] }) {
  return (
    <Table size="small" aria-label="Copies" sx={{ maxWidth: 640, mb: 1 }}>
      <TableHead>
        <TableRow>
          <TableCell sx={{ pl: 0 }}>Node</TableCell>
          <TableCell>Disk</TableCell>
          <TableCell>State</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {now.map((c) => (
          <TableRow key={c.disk}>
            <TableCell component="th" scope="row" sx={{ pl: 0 }}>
              {c.node}
            </TableCell>
            <TableCell>{c.disk}</TableCell>
            <TableCell>
              <MarkedWord kind={c.state === 'Synchronized' ? 'settled' : 'degraded'} word={copyWord(c)} />
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** One copy more of a bound claim's volume, on the best node or a chosen one, or one fewer; while its pods go on. */
export function Copies({ claim, close }: { claim: ClaimRow; close: () => void }) {
  const { namespace, name } = claim;
  const params = { namespace, name };
  const [kind, setKind] = useState<CopyChange['kind']>('raise');
  /** The disk that is chosen; empty for the best. */
  const [at, setAt] = useState('');
  const first = useQuery({
    queryKey: keys.copies(namespace, name, kind),
    queryFn: () => ask('planCopies', { params, body: { kind } }),
    placeholderData: keepPreviousData,
  });
  const offered = first.data?.plan.kind === 'reckoned' && !first.isPlaceholderData ? first.data.plan.choices : [];
  const chosen = offered.find((c) => c.disk === at);
  const change: CopyChange = !chosen
    ? { kind }
    : kind === 'raise'
      ? { kind, node: chosen.node }
      : { kind, disk: chosen.disk };
  const query = useQuery({
    queryKey: keys.copies(namespace, name, chosen ? JSON.stringify(change) : kind),
    queryFn: () => ask('planCopies', { params, body: change }),
    placeholderData: keepPreviousData,
  });
  const send = useAct(async () => {
    await ask('changeCopies', { params, body: change });
    await refresh('claims', 'copies', 'operations');
    close();
    return {
      text:
        kind === 'raise' ? `One more copy of ${namespace}/${name} is made.` : `A copy of ${namespace}/${name} goes.`,
    };
  });
  const isNow = query.data !== undefined && !query.isPlaceholderData;
  const fits = isNow && query.data.plan.kind === 'reckoned' && query.data.plan.fits;
  return (
    <Sheet role="region" aria-label="Copies of this claim">
      <Typography variant="h2">Copies</Typography>
      <Fetched query={query}>
        {({ now, plan }) => (
          <>
            <Typography variant="body2" sx={{ mb: 0.5 }}>
              {copiesSentence(now)}
            </Typography>
            {now.length > 0 && <Lying now={now} />}
            {plan.kind === 'not-ours' ? (
              <Row gap={1.5} align="center">
                <Typography variant="body2">{planSentence(plan, kind)}</Typography>
                <Button onClick={close}>Leave it as it is</Button>
              </Row>
            ) : (
              <>
                <Row gap={1.5} align="center" wraps sx={{ mb: 1 }}>
                  <OneOf
                    label="Keep"
                    value={kind}
                    choose={(to) => {
                      setKind(to);
                      setAt('');
                    }}
                    options={[
                      ['raise', 'one more'],
                      ['lower', 'one fewer'],
                    ]}
                    width={130}
                  />
                  <OneOf
                    label={kind === 'raise' ? 'Where' : 'Which'}
                    value={chosen ? at : ''}
                    choose={setAt}
                    disabled={offered.length === 0}
                    options={[
                      ['', kind === 'raise' ? 'where it is best' : 'the one that is missed least'],
                      ...offered.map((c) => [c.disk, choiceText(c, kind)] as const),
                    ]}
                    width={380}
                  />
                  <Button variant="contained" disabled={!fits || send.isPending} onClick={() => send.mutate(undefined)}>
                    {kind === 'raise' ? 'Make one more copy' : 'Take the copy away'}
                  </Button>
                  <Button onClick={close}>Leave it as it is</Button>
                </Row>
                <Row align="baseline" aria-live="polite" sx={{ fontSize: 13.5 }}>
                  <Mark kind={fits ? 'settled' : 'person'} />
                  <span>{[planSentence(plan, kind), ...refusedWords(plan)].join(' ')}</span>
                </Row>
              </>
            )}
          </>
        )}
      </Fetched>
    </Sheet>
  );
}
