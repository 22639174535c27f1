import { Box, Checkbox, FormControlLabel, TextField } from '@mui/material';
import type { NewClass } from '@moorage/contract/classes';
import { Controller, useFormContext } from 'react-hook-form';
import { Row } from '../parts/layout';

/** Local snapshots: how often, and how many are kept; or none. */
export function SafeguardField() {
  const { formState } = useFormContext<NewClass>();
  const problems = formState.errors.safeguard;
  return (
    <Controller<NewClass, 'safeguard'>
      name="safeguard"
      render={({ field: { value, onChange } }) => (
        <Box>
          <FormControlLabel
            sx={{ my: -0.5 }}
            control={
              <Checkbox
                size="small"
                checked={value !== undefined}
                onChange={(e) => onChange(e.target.checked ? { everyHours: 6, keep: 28 } : undefined)}
              />
            }
            label="Safeguard: local snapshots"
          />
          {value && (
            <Row sx={{ mt: 1 }}>
              <TextField
                label="every, hours"
                defaultValue={value.everyHours}
                onChange={(e) => onChange({ ...value, everyHours: Number(e.target.value) })}
                error={!!problems?.everyHours}
                helperText={problems?.everyHours?.message}
                sx={{ width: 110 }}
              />
              <TextField
                label="keep"
                defaultValue={value.keep}
                onChange={(e) => onChange({ ...value, keep: Number(e.target.value) })}
                error={!!problems?.keep}
                helperText={problems?.keep?.message}
                sx={{ width: 90 }}
              />
            </Row>
          )}
        </Box>
      )}
    />
  );
}
