import { Box, Button, TextField, Typography } from '@mui/material';
import type { LimitEffect, LimitMeasure } from '@moorage/contract/limits';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import dayjs from 'dayjs';
import { useEffect, useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { Plain, Row } from '../parts/layout';
import { useAct } from '../parts/useAct';
import { Day } from '../parts/Day';
import { amountText, effectWords, measureTitles, readAmount, typedAmount } from './limit-words';

/** Pause in typing after which it is asked what the limit would do. */
const settleMs = 200;

interface LimitAsked {
  readonly namespace: string;
  readonly className: string | null;
  readonly of: LimitMeasure;
}

function Effect({ of, effect }: { of: LimitMeasure; effect: LimitEffect | undefined }) {
  if (!effect) return null;
  return (
    <Plain aria-label="What it would do" aria-live="polite">
      {effectWords(of, effect).map(({ text, warns }) => (
        <Typography key={text} component="li" variant="body2" sx={{ fontWeight: warns ? 700 : undefined }}>
          {text}
        </Typography>
      ))}
    </Plain>
  );
}

/** A new limit, with what it would do before it is set; for those who may not set it, a request for it. */
export function LimitForm({
  namespace,
  className,
  of,
  value,
  may,
  done,
}: LimitAsked & { value: number | null; may: boolean; done: () => void }) {
  const [text, setText] = useState(typedAmount(of, value));
  const [settled, settle] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => settle(text), settleMs);
    return () => clearTimeout(timer);
  }, [text]);
  const [reason, setReason] = useState('');
  const [neededBy, setNeededBy] = useState<string | null>(null);
  const read = readAmount(of, text);
  const amount = 'problem' in read ? undefined : read.amount;
  const told = readAmount(of, settled);
  const foreseen = 'problem' in told ? undefined : told.amount;
  const query = useQuery({
    queryKey: keys.limits.effect(namespace, className ?? '', of, String(foreseen)),
    queryFn: () =>
      ask('getLimitEffect', {
        params: { namespace },
        query: {
          ...{ measure: of, ...(className !== null && { className }) },
          ...(typeof foreseen === 'number' && { amount: String(foreseen) }),
        },
      }),
    enabled: foreseen !== undefined,
    placeholderData: keepPreviousData,
  });
  const what = `${measureTitles[of].toLowerCase()} ${className === null ? 'in all' : `in ${className}`}`;
  // one that is below what is used is set by who saw that it is
  const over = query.data && foreseen === amount && !query.isPlaceholderData ? query.data.over : 0;
  const send = (to: number | null, evenIfOver: boolean) => {
    const body = { [of]: to, ...(evenIfOver && { evenIfOver }) };
    return className === null
      ? ask('setNamespaceLimit', { params: { namespace }, body })
      : ask('setClassLimit', { params: { namespace, className }, body });
  };
  const set = useAct(async (to: number | null) => {
    await send(to, over > 0);
    await refresh('limits', 'namespaces', 'use');
    done();
    return {
      text: `The limit of ${what} of ${namespace} is ${to === null ? 'taken away' : amountText(of, to)}.`,
      undo: async () => {
        await send(value, true);
        await refresh('limits', 'namespaces', 'use');
      },
    };
  });
  const request = useAct(async (asked: number) => {
    await ask('askForLimit', { params: { namespace }, body: { className, measure: of, asked, reason, neededBy } });
    await refresh('limits');
    done();
    return { text: `Asked for ${amountText(of, asked)} of ${what}. An operator answers it.` };
  });
  const asksMore = typeof amount === 'number' && value !== null && amount > value;
  const problem =
    'problem' in read
      ? read.problem
      : !may && value === null
        ? 'There is no such limit: nothing has to be asked for.'
        : !may && text !== typedAmount(of, value) && !asksMore
          ? `Ask for more than ${amountText(of, value ?? 0)}.`
          : undefined;
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        if (amount === undefined) return;
        if (may && amount !== value) set.mutate(amount);
        else if (!may && asksMore && reason.trim().length > 2) request.mutate(amount!);
      }}
    >
      <Row gap={2} wraps align="flex-start">
        <TextField
          label={`${may ? 'Limit of' : 'Ask for'} ${what}`}
          placeholder="none"
          value={text}
          autoFocus
          onChange={(e) => setText(e.target.value)}
          error={!!problem}
          helperText={problem ?? (of === 'bytes' ? 'As 500Gi or 2Ti; empty for none.' : 'Empty for none.')}
          sx={{ width: 280 }}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        {!may && (
          <>
            <TextField
              label="Why"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              helperText="Who decides reads this."
              sx={{ width: 260 }}
              slotProps={{ inputLabel: { shrink: true } }}
            />
            <Day label="Needed by" value={neededBy} choose={setNeededBy} from={dayjs().format('YYYY-MM-DD')} />
          </>
        )}
        <Button
          type="submit"
          variant="contained"
          color={over > 0 && may ? 'warning' : 'primary'}
          disabled={
            amount === undefined ||
            set.isPending ||
            request.isPending ||
            (may ? amount === value : !asksMore || reason.trim().length < 3)
          }
        >
          {may ? (amount === null ? 'Take it away' : over > 0 ? 'Set it all the same' : 'Set') : 'Ask'}
        </Button>
        <Button onClick={done}>Leave it</Button>
      </Row>
      {foreseen !== undefined && <Effect of={of} effect={query.data} />}
    </Box>
  );
}
