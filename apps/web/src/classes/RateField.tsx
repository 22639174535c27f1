import { Box, MenuItem, TextField, Typography } from '@mui/material';
import type { NewClass } from '@moorage/contract/classes';
import type { RateTerm } from '@moorage/core/performance/term';
import { Controller, useFormContext } from 'react-hook-form';
import { Row } from '../parts/layout';

type Kind = 'none' | RateTerm['kind'];
const numeric = (text: string): number | undefined => (text.trim() === '' ? undefined : Number(text));
const blank = (kind: Kind, unit: 'IOPS' | 'MB/s'): RateTerm | undefined =>
  kind === 'none'
    ? undefined
    : kind === 'fixed'
      ? { kind, value: unit === 'IOPS' ? 1000 : 50 }
      : { kind, perGiB: unit === 'IOPS' ? 12 : 1 };

/** A rate: none, fixed, or per GiB within bounds. */
export function RateField({
  name,
  label,
  unit,
}: {
  name: 'iopsFloor' | 'iopsCeiling' | 'throughputFloor' | 'throughputCeiling';
  label: string;
  unit: 'IOPS' | 'MB/s';
}) {
  const { formState } = useFormContext<NewClass>();
  const problems = formState.errors[name] as Record<string, { message?: string } | undefined> | undefined;
  const said =
    problems?.perGiB?.message ?? problems?.value?.message ?? problems?.minimum?.message ?? problems?.maximum?.message;
  return (
    <Controller<NewClass, typeof name>
      name={name}
      render={({ field: { value, onChange } }) => {
        const set = (part: object) => onChange({ ...value, ...part });
        const number = (member: string, words: string, width: number) => (
          <TextField
            label={words}
            defaultValue={(value as unknown as Record<string, number | undefined>)[member] ?? ''}
            onChange={(e) => set({ [member]: numeric(e.target.value) })}
            error={!!problems?.[member]}
            sx={{ width }}
            slotProps={{ htmlInput: { inputMode: 'numeric', 'aria-label': `${label}: ${words}` } }}
          />
        );
        return (
          <Box>
            <Row wraps>
              <TextField
                select
                label={label}
                value={value?.kind ?? 'none'}
                onChange={(e) => onChange(blank(e.target.value as Kind, unit))}
                sx={{ width: 270 }}
              >
                <MenuItem value="none">none</MenuItem>
                <MenuItem value="fixed">fixed</MenuItem>
                <MenuItem value="per-gib">per GiB</MenuItem>
              </TextField>
              {value?.kind === 'fixed' && number('value', unit, 130)}
              {value?.kind === 'per-gib' && (
                <>
                  {number('perGiB', 'per GiB', 78)}
                  {number('minimum', 'at least', 84)}
                  {number('maximum', 'at most', 90)}
                </>
              )}
            </Row>
            {said && (
              <Typography variant="caption" color="error" role="alert">
                {said}
              </Typography>
            )}
          </Box>
        );
      }}
    />
  );
}
