import { Button, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import type { ClaimRow } from '@moorage/contract/claims';
import type { TuningAnswer, TuningRequest } from '@moorage/contract/tuning';
import type { Allowance } from '@moorage/core/classes/tunable';
import { tunableRates, type TunableRate } from '@moorage/core/placement/tuning';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh, useClasses } from '../api/queries';
import { tunableWords } from '../classes/words';
import { Mark } from '../marks/Mark';
import { FaintCell, Row, Sheet } from '../parts/layout';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { rateRows, tuningProblemOf, tuningSentence } from './tuning-words';

/** What a class lets claims of a namespace tune while they are bound. */
export const rateAllowances = (allowances: readonly Allowance[], namespace: string): Allowance[] =>
  allowances.filter(
    (a) =>
      (tunableRates as readonly string[]).includes(a.setting) &&
      (a.namespaces.length === 0 || a.namespaces.includes(namespace)),
  );

/** The rate allowances of a claim's class; none while they are not known. */
export function useRateAllowances({ className, namespace }: ClaimRow): Allowance[] {
  const { data } = useClasses();
  const cls = data?.find((c) => c.storageClass.name === className)?.storageClass;
  return cls ? rateAllowances(cls.allowances, namespace) : [];
}

function Outcome({ answer }: { answer: TuningAnswer }) {
  const { fits, text } = tuningSentence(answer);
  return (
    <>
      <Row align="baseline" aria-live="polite" sx={{ fontSize: 13.5 }}>
        <Mark kind={fits ? 'settled' : 'person'} />
        <span>{text}</span>
      </Row>
      <Table size="small" aria-label="What tuning changes" sx={{ maxWidth: 520 }}>
        <TableHead>
          <TableRow>
            <TableCell />
            <TableCell align="right">now</TableCell>
            <TableCell align="right">then</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {rateRows(answer).map(({ what, now, then }) => (
            <TableRow key={what}>
              <FaintCell component="th" scope="row">
                {what}
              </FaintCell>
              <TableCell align="right">{now}</TableCell>
              <TableCell align="right" sx={{ fontWeight: now === then ? 400 : 700 }}>
                {then}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </>
  );
}

/** Other ceilings and floors for a bound claim, within what its class lets it tune; in force at once, without a pod starting again. */
export function Tune({ claim, close }: { claim: ClaimRow; close: () => void }) {
  const { namespace, name } = claim;
  const params = { namespace, name };
  const allowances = useRateAllowances(claim);
  /** As they are typed; undefined as long as a field was not touched. */
  const [typed, setTyped] = useState<Readonly<Partial<Record<TunableRate, string>>>>({});
  const known = useQuery({
    queryKey: keys.tuning(namespace, name, ''),
    queryFn: () => ask('planTuning', { params, body: { tuned: {} } }),
  });
  const own = known.data?.tuned ?? {};
  const textOf = (setting: TunableRate): string =>
    typed[setting] ?? (own[setting] === undefined ? '' : String(own[setting]));
  const problems = allowances.map((a) => tuningProblemOf(textOf(a.setting as TunableRate), a));
  const tuned: TuningRequest['tuned'] = Object.fromEntries(
    allowances.flatMap(({ setting }) => {
      const text = textOf(setting as TunableRate).trim();
      return text === '' ? [] : [[setting, Number(text)]];
    }),
  );
  const isAsked = known.data !== undefined && problems.every((p) => p === undefined);
  const query = useQuery({
    queryKey: keys.tuning(namespace, name, JSON.stringify(tuned)),
    queryFn: () => ask('planTuning', { params, body: { tuned } }),
    enabled: isAsked,
    placeholderData: keepPreviousData,
  });
  const isSame = JSON.stringify(tuned) === JSON.stringify(own);
  const send = useAct(async () => {
    await ask('tuneClaim', { params, body: { tuned } });
    await refresh('claims', 'tuning', 'operations');
    close();
    return {
      text: `${namespace}/${name} is being tuned.`,
      undo: () => ask('tuneClaim', { params, body: { tuned: own } }).then(() => refresh('claims', 'tuning')),
    };
  });
  const fits = isAsked && query.data !== undefined && !query.isPlaceholderData && tuningSentence(query.data).fits;
  return (
    <Sheet role="region" aria-label="Tune this claim">
      <Typography variant="h2" sx={{ mb: 1 }}>
        Tune
      </Typography>
      <Row gap={1.5} align="flex-start" wraps sx={{ mb: 1 }}>
        {allowances.map(({ setting, minimum, maximum }, i) => (
          <TextField
            key={setting}
            label={tunableWords[setting]}
            value={textOf(setting as TunableRate)}
            placeholder="as the class has it"
            onChange={(e) => setTyped({ ...typed, [setting]: e.target.value })}
            error={problems[i] !== undefined}
            helperText={problems[i] ?? `${minimum.toLocaleString('en-GB')} to ${maximum.toLocaleString('en-GB')}`}
            sx={{ width: 220 }}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: 'numeric' } }}
          />
        ))}
        <Button variant="contained" disabled={!fits || isSame || send.isPending} onClick={() => send.mutate(undefined)}>
          Tune
        </Button>
        <Button onClick={close}>Leave it as it is</Button>
      </Row>
      {isAsked && <Fetched query={query}>{(answer) => <Outcome answer={answer} />}</Fetched>}
    </Sheet>
  );
}
