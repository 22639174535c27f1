import { Button, Chip, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import type { LimitRequest } from '@moorage/contract/limits';
import dayjs from 'dayjs';
import { Fragment, useState } from 'react';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { Confirm } from '../parts/Confirm';
import { Column, Row } from '../parts/layout';
import { useMay } from '../parts/person';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { Day } from '../parts/Day';
import { amountText, measureTitles, readAmount, requestWords, typedAmount } from './limit-words';

/** The answer to a request: all of it, less, or nothing; for good, or until a day. */
function Answer({ request }: { request: LimitRequest }) {
  const { id, measure, asked } = request;
  const [text, setText] = useState(typedAmount(measure, asked));
  const [until, setUntil] = useState<string | null>(null);
  const [words, setWords] = useState('');
  const read = readAmount(measure, text);
  const amount = 'problem' in read ? null : read.amount;
  const problem =
    'problem' in read
      ? read.problem
      : amount === null
        ? 'Say how much, or do not give it.'
        : amount > asked
          ? `${amountText(measure, asked)} were asked for.`
          : undefined;
  const answer = useAct(async (granted: number | null) => {
    await ask('answerLimitRequest', { params: { id }, body: { granted, until, answer: words } });
    await refresh('limits', 'namespaces', 'use', 'findings');
    return {
      text:
        granted === null
          ? `${request.namespace} is told that it does not get it.`
          : `${request.namespace} may use ${amountText(measure, granted)} now.`,
    };
  });
  return (
    <Row
      component="form"
      gap={1.5}
      wraps
      align="flex-start"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        if (!problem) answer.mutate(amount);
      }}
    >
      <TextField
        label="Give"
        value={text}
        onChange={(e) => setText(e.target.value)}
        error={!!problem}
        helperText={problem}
        sx={{ width: 130 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Day label="Until (last day)" value={until} choose={setUntil} from={dayjs().format('YYYY-MM-DD')} />
      <TextField
        label="Words to them"
        value={words}
        onChange={(e) => setWords(e.target.value)}
        sx={{ width: 220 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Button type="submit" variant="contained" disabled={!!problem || answer.isPending}>
        Give it
      </Button>
      <Confirm word="Do not give it" title="Not give it?" disabled={answer.isPending} act={() => answer.mutate(null)}>
        {request.person} is told, with your words.
      </Confirm>
    </Row>
  );
}

function Withdraw({ request }: { request: LimitRequest }) {
  const withdraw = useAct(async () => {
    await ask('withdrawLimitRequest', { params: { id: request.id } });
    await refresh('limits', 'findings');
    return { text: 'It is withdrawn.' };
  });
  return (
    <Button disabled={withdraw.isPending} onClick={() => withdraw.mutate(undefined)}>
      Withdraw
    </Button>
  );
}

/** What was asked for, newest first, with what became of it. */
export function LimitRequests({ requests }: { requests: readonly LimitRequest[] }) {
  const may = useMay('administrator', 'operator');
  const owns = useMay('namespace-owner');
  return (
    <Column gap={1}>
      <Typography variant="h3">Asked for</Typography>
      <Table size="small" aria-label="Asked for">
        <TableHead>
          <TableRow>
            <TableCell>What</TableCell>
            <TableCell>Why</TableCell>
            <TableCell>By</TableCell>
            <TableCell>State</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {requests.map((r) => (
            <Fragment key={r.id}>
              <TableRow sx={{ verticalAlign: 'top', '& > *': r.state === 'open' && may ? { borderBottom: 0 } : {} }}>
                <TableCell>
                  {amountText(r.measure, r.asked)} {r.measure === 'bytes' && measureTitles.bytes.toLowerCase()}{' '}
                  {r.className === null ? 'in all' : `in ${r.className}`}
                  <Typography variant="body2" color="text.secondary">
                    instead of {r.was === null ? 'none' : amountText(r.measure, r.was)}
                    {r.neededBy && `, by ${dayjs(r.neededBy).format('D MMM YYYY')}`}
                  </Typography>
                </TableCell>
                <TableCell>{r.reason}</TableCell>
                <TableCell>
                  {r.person}
                  <Typography variant="body2" color="text.secondary">
                    <When at={r.at} />
                  </Typography>
                </TableCell>
                <TableCell>
                  <Row gap={1} align="center">
                    {r.state === 'open' ? <Chip label={requestWords(r)} color="warning" /> : requestWords(r)}
                    {r.state === 'open' && owns && <Withdraw request={r} />}
                  </Row>
                </TableCell>
              </TableRow>
              {r.state === 'open' && may && (
                <TableRow>
                  <TableCell colSpan={4} sx={{ pt: 1 }}>
                    <Answer request={r} />
                  </TableCell>
                </TableRow>
              )}
            </Fragment>
          ))}
        </TableBody>
      </Table>
    </Column>
  );
}
