import { MenuItem, TextField, type TextFieldProps } from '@mui/material';

/** A value and its words; a value alone is its own word. */
export type Option<V extends string> = V | readonly [value: V, words: string];

/** One of a few values. An option without a value is shown as any other: nothing chosen is a choice. */
export function OneOf<V extends string>({
  options,
  choose,
  width,
  ...field
}: Pick<TextFieldProps, 'label' | 'error' | 'helperText' | 'disabled'> & {
  value: string;
  options: readonly Option<V>[];
  choose: (value: V) => void;
  width?: number;
}) {
  return (
    <TextField
      select
      {...field}
      onChange={(e) => choose(e.target.value as V)}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
      sx={{ width }}
    >
      {options
        .map((o): readonly [V, string] => (typeof o === 'string' ? [o, o] : o))
        .map(([value, words]) => (
          <MenuItem key={value} value={value}>
            {words}
          </MenuItem>
        ))}
    </TextField>
  );
}
