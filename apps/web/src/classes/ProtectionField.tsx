import { TextField, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import type { NewClass } from '@moorage/contract/classes';
import { Controller, useFormContext, useWatch } from 'react-hook-form';
import { Choice } from './fields';
import { Column, Row } from '../parts/layout';

const copiesOptions = [1, 2, 3, 4, 5].map((n) => [n, String(n), `${n} ${n === 1 ? 'copy' : 'copies'}`] as const);

/** Whole copies, or k+m shards. */
export function ProtectionField() {
  const { setValue } = useFormContext<NewClass>();
  const shards = useWatch<NewClass, 'shards'>({ name: 'shards' });
  return (
    <Column>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={shards ? 'shards' : 'copies'}
        aria-label="Kept as"
        onChange={(_e, v: string | null) => {
          if (v === 'shards') setValue('shards', { data: 4, parity: 2 }, { shouldValidate: true });
          else if (v === 'copies') setValue('shards', undefined, { shouldValidate: true });
        }}
      >
        <ToggleButton value="copies">whole copies</ToggleButton>
        <ToggleButton value="shards">shards, k+m</ToggleButton>
      </ToggleButtonGroup>
      {shards ? (
        <Row align="center">
          {(['data', 'parity'] as const).map((part) => (
            <Controller<NewClass, `shards.${typeof part}`>
              key={part}
              name={`shards.${part}`}
              render={({ field, fieldState }) => (
                <TextField
                  label={part === 'data' ? 'data (k)' : 'parity (m)'}
                  defaultValue={field.value}
                  onChange={(e) => field.onChange(Number(e.target.value))}
                  error={!!fieldState.error}
                  helperText={fieldState.error?.message}
                  sx={{ width: 110 }}
                  slotProps={{ htmlInput: { inputMode: 'numeric' } }}
                />
              )}
            />
          ))}
          <Typography variant="caption" color="text.secondary">
            as the pool has it
          </Typography>
        </Row>
      ) : (
        <Choice name="copies" label="Copies" options={copiesOptions} />
      )}
    </Column>
  );
}
