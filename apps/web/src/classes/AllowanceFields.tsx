import { Autocomplete, Box, Button, MenuItem, TextField } from '@mui/material';
import type { NewClass } from '@moorage/contract/classes';
import { tunables, type Allowance, type Tunable } from '@moorage/core/classes/tunable';
import { Controller, useFormContext } from 'react-hook-form';
import { tunableWords } from './words';
import { Column, Row } from '../parts/layout';

const usual: Record<Tunable, readonly [number, number]> = {
  copies: [2, 3],
  'iops-floor': [100, 5000],
  'iops-ceiling': [500, 20_000],
  'throughput-floor': [10, 200],
  'throughput-ceiling': [50, 1000],
};

const begun = (setting: Tunable): Allowance => ({
  setting,
  minimum: usual[setting][0],
  maximum: usual[setting][1],
  namespaces: [],
});

/** What a claim may tune, within which bounds, and who may. */
export function AllowanceFields({ namespaces }: { namespaces: readonly string[] }) {
  const { formState } = useFormContext<NewClass>();
  return (
    <Controller<NewClass, 'allowances'>
      name="allowances"
      render={({ field: { value, onChange } }) => {
        const set = (at: number, part: Partial<Allowance>) =>
          onChange(value.map((a, i) => (i === at ? { ...a, ...part } : a)));
        const free = tunables.filter((t) => !value.some((a) => a.setting === t));
        return (
          <Column>
            {value.map((allowance, i) => {
              const problem =
                formState.errors.allowances?.[i]?.minimum?.message ??
                formState.errors.allowances?.[i]?.maximum?.message;
              return (
                <Box
                  key={allowance.setting}
                  role="group"
                  aria-label={`Allowance for ${tunableWords[allowance.setting]}`}
                >
                  <Row gap={0.75}>
                    <TextField
                      select
                      label="May tune"
                      value={allowance.setting}
                      onChange={(e) => {
                        const setting = e.target.value as Tunable;
                        set(i, { setting, minimum: usual[setting][0], maximum: usual[setting][1] });
                      }}
                      sx={{ width: 118 }}
                    >
                      {[allowance.setting, ...free].map((t) => (
                        <MenuItem key={t} value={t}>
                          {tunableWords[t]}
                        </MenuItem>
                      ))}
                    </TextField>
                    {(['minimum', 'maximum'] as const).map((bound) => (
                      <TextField
                        key={`${allowance.setting} ${bound}`}
                        label={bound === 'minimum' ? 'from' : 'to'}
                        defaultValue={allowance[bound]}
                        onChange={(e) => set(i, { [bound]: Number(e.target.value) })}
                        error={!!problem}
                        sx={{ width: 76 }}
                        slotProps={{ htmlInput: { inputMode: 'numeric' } }}
                      />
                    ))}
                  </Row>
                  <Row gap={0.75} align="center" sx={{ mt: 0.75 }}>
                    <Autocomplete
                      multiple
                      size="small"
                      options={[...namespaces]}
                      value={[...allowance.namespaces]}
                      onChange={(_e, chosen) => set(i, { namespaces: chosen })}
                      renderInput={(params) => (
                        <TextField
                          {...params}
                          label="Who"
                          placeholder={allowance.namespaces.length ? '' : 'every namespace'}
                          helperText={problem}
                          error={!!problem}
                        />
                      )}
                      sx={{ flex: 1 }}
                    />
                    <Button onClick={() => onChange(value.filter((_a, at) => at !== i))}>Drop</Button>
                  </Row>
                </Box>
              );
            })}
            {free.length > 0 && (
              <Button
                sx={{ alignSelf: 'flex-start' }}
                onClick={() => onChange([...value, begun(free.includes('iops-floor') ? 'iops-floor' : free[0]!)])}
              >
                Let claims tune something
              </Button>
            )}
          </Column>
        );
      }}
    />
  );
}
