import { MenuItem, TextField } from '@mui/material';
import type { NewClaim } from '@moorage/contract/claims';
import type { Allowance } from '@moorage/core/classes/tunable';
import { accessModes } from '@moorage/core/classes/storage-class';
import { Controller, type Control } from 'react-hook-form';
import { tunableWords } from '../classes/words';
import { Row } from '../parts/layout';

type Options = readonly (readonly [value: string, words: string])[];

/** Values that are their own words. */
export const same = (values: readonly string[]): Options => values.map((v) => [v, v]);

export function Choice({
  control,
  name,
  label,
  options,
}: {
  control: Control<NewClaim>;
  name: 'namespace' | 'className' | 'volumeMode';
  label: string;
  options: Options;
}) {
  return (
    <Controller
      control={control}
      name={name}
      render={({ field, fieldState: { error } }) => (
        <TextField
          select
          label={label}
          value={field.value ?? ''}
          onChange={(e) => field.onChange(e.target.value || undefined)}
          error={!!error}
          helperText={error?.message}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          {options.map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </TextField>
      )}
    />
  );
}

export function ModeField({ control }: { control: Control<NewClaim> }) {
  return (
    <Controller
      control={control}
      name="modes"
      render={({ field }) => (
        <TextField select label="Access mode" value={field.value[0]} onChange={(e) => field.onChange([e.target.value])}>
          {accessModes.map((m) => (
            <MenuItem key={m} value={m}>
              {m}
            </MenuItem>
          ))}
        </TextField>
      )}
    />
  );
}

/** What the claim may have otherwise than its class. */
export function TunedFields({ control, allowances }: { control: Control<NewClaim>; allowances: readonly Allowance[] }) {
  return (
    <Controller
      control={control}
      name="tuned"
      render={({ field, fieldState: { invalid } }) => (
        <Row role="group" aria-label="What it tunes" wraps>
          {allowances.map(({ setting, minimum, maximum }) => (
            <TextField
              key={setting}
              label={tunableWords[setting]}
              placeholder={`${minimum} to ${maximum}`}
              helperText="Empty: as the class has it."
              onChange={(e) => {
                const { [setting]: _before, ...others } = field.value ?? {};
                const text = e.target.value.trim();
                const next = text === '' ? others : { ...others, [setting]: Number(text) };
                field.onChange(Object.keys(next).length > 0 ? next : undefined);
              }}
              error={invalid}
              sx={{ width: 200 }}
              slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: 'numeric' } }}
            />
          ))}
        </Row>
      )}
    />
  );
}
