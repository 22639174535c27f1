import { Button, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import { zodResolver } from '@hookform/resolvers/zod';
import { tiers } from '@moorage/contract/backends';
import { newRateSchema, type NewRate, type RateRow } from '@moorage/contract/prices';
import dayjs from 'dayjs';
import { Controller, useForm } from 'react-hook-form';
import { useQuery } from '@tanstack/react-query';
import { ApiProblem, ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { Confirm } from '../parts/Confirm';
import { OneOf } from '../parts/OneOf';
import { useMay } from '../parts/person';
import { Fetched } from '../parts/States';
import { useAct, useNotice } from '../parts/useAct';
import { Column, Row, Sheet } from '../parts/layout';
import { Day } from '../parts/Day';

const price = (value: number, currency: string) =>
  `${value.toLocaleString('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 6 })} ${currency}`;

function NewRateForm({ currency }: { currency: string }) {
  const { register, control, handleSubmit, setError, formState, reset } = useForm<NewRate>({
    resolver: zodResolver(newRateSchema),
    defaultValues: { tier: 'fast', from: dayjs().add(1, 'month').startOf('month').format('YYYY-MM-DD') },
  });
  const show = useNotice((s) => s.show);
  const submit = handleSubmit(async (rate) => {
    try {
      await ask('setRate', { body: rate });
      await refresh('rates', 'statement');
      const day = dayjs(rate.from).format('D MMM YYYY');
      show({ kind: 'done', text: `${rate.tier} costs ${price(rate.perGiB, currency)} a GiB from ${day} on.` });
      reset();
    } catch (error) {
      const known = error instanceof ApiProblem ? error : undefined;
      const field = known?.field && known.field in rate ? (known.field as keyof NewRate) : 'root';
      setError(field, { message: known?.detail ?? 'The server does not answer. What you typed is still here.' });
    }
  });
  const problem = (field: keyof NewRate) => ({
    error: !!formState.errors[field],
    helperText: formState.errors[field]?.message,
  });
  const number = { valueAsNumber: true } as const;
  return (
    <Row component="form" gap={1.5} wraps align="flex-start" noValidate onSubmit={submit}>
      <Controller
        name="tier"
        control={control}
        render={({ field }) => (
          <OneOf label="Tier" width={130} value={field.value} options={tiers} choose={field.onChange} />
        )}
      />
      <Controller
        name="from"
        control={control}
        render={({ field }) => (
          <Day
            label="From the day (UTC)"
            value={field.value || null}
            choose={(day) => field.onChange(day ?? '')}
            {...problem('from')}
          />
        )}
      />
      <TextField
        label={`${currency} a GiB and month`}
        {...register('perGiB', number)}
        {...problem('perGiB')}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <TextField
        label={`${currency} a reserved IOPS and month`}
        {...register('perIops', number)}
        {...problem('perIops')}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Button type="submit" variant="contained" disabled={formState.isSubmitting}>
        Set
      </Button>
      {formState.errors.root && (
        <Typography role="alert" color="error">
          {formState.errors.root.message}
        </Typography>
      )}
    </Row>
  );
}

function Drop({ rate }: { rate: RateRow }) {
  const day = rate.from.slice(0, 10);
  const drop = useAct(async () => {
    await ask('dropRate', { params: { tier: rate.tier, from: day } });
    await refresh('rates', 'statement');
    return { text: `The price of ${rate.tier} from ${dayjs(day).format('D MMM YYYY')} is taken away.` };
  });
  return (
    <Confirm
      word="Take away"
      title="Take this price away?"
      disabled={drop.isPending}
      act={() => drop.mutate(undefined)}
    >
      It has not begun; the one before it goes on.
    </Confirm>
  );
}

/** Prices by tier, each from a day on. */
export function Rates({ currency }: { currency: string }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const query = useQuery({ queryKey: keys.rates(), queryFn: () => ask('listRates') });
  return (
    <Sheet>
      <Column gap={1.5}>
        <Typography variant="h2">Prices</Typography>
        <Fetched query={query}>
          {(rates) =>
            rates.length === 0 ? (
              <Typography variant="body2">
                No tier has a price yet: statements tell what was used, at nothing.
              </Typography>
            ) : (
              <Table size="small" aria-label="Prices">
                <TableHead>
                  <TableRow>
                    <TableCell>Tier</TableCell>
                    <TableCell>From</TableCell>
                    <TableCell align="right">A GiB and month</TableCell>
                    <TableCell align="right">A reserved IOPS and month</TableCell>
                    <TableCell>Set by</TableCell>
                    <TableCell />
                  </TableRow>
                </TableHead>
                <TableBody>
                  {rates.map((r) => (
                    <TableRow key={`${r.tier}/${r.from}`}>
                      <TableCell>{r.tier}</TableCell>
                      <TableCell>{dayjs(r.from.slice(0, 10)).format('D MMM YYYY')}</TableCell>
                      <TableCell align="right">{price(r.perGiB, currency)}</TableCell>
                      <TableCell align="right">{price(r.perIops, currency)}</TableCell>
                      <TableCell>{r.person}</TableCell>
                      <TableCell align="right">
                        {may && r.from > new Date().toISOString() && <Drop rate={r} />}
                      </TableCell>
                    </TableRow>
                  ))}
                </TableBody>
              </Table>
            )
          }
        </Fetched>
        {may && <NewRateForm currency={currency} />}
      </Column>
    </Sheet>
  );
}
