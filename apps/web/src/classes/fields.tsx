import { Box, Checkbox, FormControlLabel, TextField, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import type { NewClass } from '@moorage/contract/classes';
import { Controller, useFormContext } from 'react-hook-form';
import { NamesField } from '../parts/NamesField';
import { OneOf } from '../parts/OneOf';

type Names<T> = { [K in keyof NewClass]-?: NewClass[K] extends T ? K : never }[keyof NewClass];

/** One of a few, all seen at once. */
export function Choice({
  name,
  label,
  options,
}: {
  name: 'reclaim' | 'binding' | 'level' | 'volumeMode' | 'copies';
  label: string;
  options: readonly (readonly [string | number, string, string?])[];
}) {
  return (
    <Controller<NewClass, typeof name>
      name={name}
      render={({ field }) => (
        <Box>
          <Typography variant="caption" color="text.secondary" id={`${name}-label`}>
            {label}
          </Typography>
          <div>
            <ToggleButtonGroup
              exclusive
              size="small"
              value={field.value}
              aria-labelledby={`${name}-label`}
              onChange={(_e, v: string | number | null) => v !== null && field.onChange(v)}
            >
              {options.map(([value, words, spoken]) => (
                <ToggleButton key={value} value={value} aria-label={spoken}>
                  {words}
                </ToggleButton>
              ))}
            </ToggleButtonGroup>
          </div>
        </Box>
      )}
    />
  );
}

export function Flag({ name, label }: { name: Names<boolean>; label: string }) {
  return (
    <Controller<NewClass, typeof name>
      name={name}
      render={({ field }) => (
        <FormControlLabel
          sx={{ my: -0.5 }}
          control={<Checkbox size="small" checked={field.value} onChange={(e) => field.onChange(e.target.checked)} />}
          label={label}
        />
      )}
    />
  );
}

/** One of several, from a list. The empty text stands for nothing said. */
export function Pick({
  name,
  label,
  options,
  help,
}: {
  name: 'strategy' | 'purpose' | 'fileSystem' | 'root';
  label: string;
  options: readonly (readonly [string, string])[];
  help?: string;
}) {
  return (
    <Controller<NewClass, typeof name>
      name={name}
      render={({ field }) => (
        <OneOf
          label={label}
          value={field.value ?? ''}
          options={options}
          choose={(value) => field.onChange(value === '' ? undefined : value)}
          helperText={help}
        />
      )}
    />
  );
}

/** Several names of the class. */
export function Names({
  name,
  label,
  help,
  known,
}: {
  name: 'zones' | 'pinnedNodes' | 'mountOptions' | 'protocols';
  label: string;
  help?: string;
  /** What there is to choose from. */
  known: readonly string[];
}) {
  const { formState } = useFormContext<NewClass>();
  return (
    <Controller<NewClass, typeof name>
      name={name}
      render={({ field }) => (
        <NamesField
          label={label}
          help={help}
          known={known}
          placeholder="any"
          value={field.value}
          onChange={field.onChange}
          error={!!formState.errors[name]}
        />
      )}
    />
  );
}

/** A number; empty text stands for `empty`. */
export function Figure({
  name,
  label,
  help,
  empty,
  scale = 1,
  width = '100%',
}: {
  name: 'graceDays' | 'latencyAimMs' | 'writeShare';
  label: string;
  help?: string;
  empty: number | undefined;
  scale?: number;
  width?: number | string;
}) {
  const { formState } = useFormContext<NewClass>();
  const problem = formState.errors[name]?.message;
  return (
    <Controller<NewClass, typeof name>
      name={name}
      render={({ field }) => (
        <TextField
          label={label}
          defaultValue={
            field.value === empty || field.value === undefined ? '' : Number((field.value * scale).toFixed(4))
          }
          onChange={(e) => field.onChange(e.target.value.trim() === '' ? empty : Number(e.target.value) / scale)}
          error={!!problem}
          helperText={problem ?? help}
          sx={{ width }}
          slotProps={{ htmlInput: { inputMode: 'decimal' }, inputLabel: { shrink: true } }}
        />
      )}
    />
  );
}
