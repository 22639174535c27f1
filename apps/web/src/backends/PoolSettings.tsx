import { Box, Button, Popover, TextField, Typography } from '@mui/material';
import { tiers, type PoolChange, type PoolRow, type Tier } from '@moorage/contract/backends';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { quantityWords } from '@moorage/contract/claims';
import { useContext, useState } from 'react';
import { Controller, useForm } from 'react-hook-form';
import { ApiProblem, ask } from '../api/client';
import { OneOf } from '../parts/OneOf';
import { PersonContext, useMay } from '../parts/person';
import { useNotice } from '../parts/useAct';
import { Column, Row } from '../parts/layout';

/** As the form shows it: sizes as quantities, marks as percents, nothing as an empty field. */
interface Fields {
  overcommit: string;
  softMark: string;
  hardMark: string;
  allotment: string;
  allotmentIops: string;
  allotmentThroughput: string;
  price: string;
  tier: string;
}

const numberIn = (text: string, low: number, high: number): number | undefined => {
  const value = Number(text);
  return text.trim() !== '' && value >= low && value <= high ? value : undefined;
};

const numberOrNull = (text: string): number | null => (text.trim() === '' ? null : Number(text));
const optional =
  (low: number, high: number, words: string) =>
  (text: string): true | string =>
    text.trim() === '' || numberIn(text, low, high) !== undefined || words;

const fieldsOf = (pool: PoolRow): Fields => ({
  overcommit: String(pool.overcommit),
  softMark: String(Math.round(pool.softMark * 100)),
  hardMark: String(Math.round(pool.hardMark * 100)),
  allotment: pool.allotment === null ? '' : formatQuantity(pool.allotment as Bytes),
  allotmentIops: pool.allotmentIops === null ? '' : String(pool.allotmentIops),
  allotmentThroughput: pool.allotmentThroughput === null ? '' : String(Math.round(pool.allotmentThroughput / 1e6)),
  price: pool.price === null ? '' : String(pool.price),
  tier: pool.tierSaid ? pool.tier : '',
});

function changeOf(fields: Fields): PoolChange {
  const allotment = parseQuantity(fields.allotment);
  return {
    overcommit: Number(fields.overcommit),
    softMark: Number(fields.softMark) / 100,
    hardMark: Number(fields.hardMark) / 100,
    allotment: allotment.ok ? allotment.bytes : null,
    allotmentIops: numberOrNull(fields.allotmentIops),
    allotmentThroughput:
      fields.allotmentThroughput.trim() === '' ? null : Math.round(Number(fields.allotmentThroughput) * 1e6),
    price: numberOrNull(fields.price),
    tier: fields.tier === '' ? null : (fields.tier as Tier),
  };
}

/** What is set of it now, to be set again. */
const setOf = (pool: PoolRow): PoolChange => ({
  overcommit: pool.overcommit,
  softMark: pool.softMark,
  hardMark: pool.hardMark,
  allotment: pool.allotment,
  allotmentIops: pool.allotmentIops,
  allotmentThroughput: pool.allotmentThroughput,
  price: pool.price,
  tier: pool.tierSaid ? pool.tier : null,
});

/** Limits of one pool: how much may be promised, and where it counts as filling up. */
export function PoolSettings({ pool }: { pool: PoolRow }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const currency = useContext(PersonContext)?.currency ?? '';
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const show = useNotice((s) => s.show);
  const defaults = fieldsOf(pool);
  const { register, handleSubmit, reset, setError, formState, control } = useForm<Fields>({
    values: defaults,
    mode: 'onChange',
  });
  const { errors } = formState;
  const submit = handleSubmit(async (fields) => {
    try {
      const after = await ask('changePool', {
        params: { pool: pool.id },
        version: pool.version,
        body: changeOf(fields),
      });
      const before = setOf(pool);
      show({
        kind: 'done',
        text: `The limits of ${pool.name} are changed.`,
        undo: () => ask('changePool', { params: { pool: pool.id }, version: after.version, body: before }),
      });
      setAnchor(null);
    } catch (error) {
      setError('root', { message: error instanceof ApiProblem ? error.detail : 'The server does not answer.' });
    }
  });
  if (!may) return null;
  const field = (name: keyof Fields, label: string, help: string, validate: (text: string) => true | string) => (
    <TextField
      label={label}
      {...register(name, { validate })}
      error={!!errors[name]}
      helperText={errors[name]?.message ?? help}
    />
  );
  return (
    <>
      <Button
        onClick={(e) => {
          e.stopPropagation();
          reset(defaults);
          setAnchor(e.currentTarget);
        }}
        aria-label={`Limits of ${pool.name}`}
      >
        Limits
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        onClick={(e) => e.stopPropagation()}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
      >
        <Column component="form" onSubmit={submit} noValidate gap={1.5} sx={{ p: 2, width: 360 }}>
          <Typography variant="h2">Limits of {pool.name}</Typography>
          {field(
            'overcommit',
            'Overcommit',
            'Times the usable space that may be promised; 1 promises no more than there is.',
            (t) => numberIn(t, 1, 10) !== undefined || 'A number from 1 to 10.',
          )}
          {field(
            'softMark',
            'Soft mark, %',
            'Above it the pool is used last.',
            (t) => numberIn(t, 1, 99) !== undefined || 'A number from 1 to 99.',
          )}
          {field(
            'hardMark',
            'Hard mark, %',
            'From it on, nothing new is placed here.',
            (t) => numberIn(t, 1, 100) !== undefined || 'A number from 1 to 100.',
          )}
          {field(
            'allotment',
            'Allotment',
            'The cap on what this product may take out of the pool; empty for none.',
            (t) => {
              if (t.trim() === '') return true;
              const size = parseQuantity(t);
              return size.ok || quantityWords[size.problem];
            },
          )}
          <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1.5 }}>
            {field('allotmentIops', 'Allotment, IOPS', 'Empty for none.', optional(1, 1e9, 'A whole number.'))}
            {field('allotmentThroughput', 'Allotment, MB/s', 'Empty for none.', optional(1, 1e7, 'A number.'))}
            {field('price', 'Price of a GiB', `${currency}, a month.`, optional(0, 10_000, 'A number from 0.'))}
            <Controller
              name="tier"
              control={control}
              render={({ field: tier }) => (
                <OneOf
                  label="Tier"
                  value={tier.value}
                  options={[['', 'by its media'], ...tiers]}
                  choose={tier.onChange}
                  helperText="What it counts as."
                />
              )}
            />
          </Box>
          {errors.root && (
            <Typography role="alert" variant="body2" color="error">
              {errors.root.message}
            </Typography>
          )}
          <Row justify="flex-end">
            <Button onClick={() => setAnchor(null)}>Leave as it was</Button>
            <Button type="submit" variant="contained">
              Apply
            </Button>
          </Row>
        </Column>
      </Popover>
    </>
  );
}
