import { TextField } from '@mui/material';
import type { NewClaim } from '@moorage/contract/claims';
import type { Allowance } from '@moorage/core/classes/tunable';
import { accessModes } from '@moorage/core/classes/storage-class';
import { Controller, type Control } from 'react-hook-form';
import { tunableWords } from '../classes/words';
import { OneOf, type Option } from '../parts/OneOf';
import { Row } from '../parts/layout';

/** One of the values that a claim can have there. */
export function ChoiceOf({
  control,
  name,
  ...choice
}: {
  control: Control<NewClaim>;
  name: 'namespace' | 'className' | 'volumeMode';
  label: string;
  options: readonly Option<string>[];
}) {
  return (
    <Controller
      control={control}
      name={name}
      render={({ field, fieldState: { error } }) => (
        <OneOf
          {...choice}
          value={field.value ?? ''}
          choose={(value) => field.onChange(value || undefined)}
          error={!!error}
          helperText={error?.message}
        />
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
        <OneOf
          label="Access mode"
          value={field.value[0] ?? ''}
          options={accessModes}
          choose={(mode) => field.onChange([mode])}
        />
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
