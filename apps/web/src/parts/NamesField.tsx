import { Autocomplete, TextField } from '@mui/material';

/** Names, chosen from those that exist; others can be typed, since what they name may still come. */
export function NamesField({
  label,
  value,
  known,
  onChange,
  help,
  placeholder,
  error,
}: {
  label: string;
  value: readonly string[];
  /** What there is to choose from. */
  known: readonly string[];
  onChange: (names: string[]) => void;
  help?: string;
  placeholder?: string;
  error?: boolean;
}) {
  return (
    <Autocomplete
      multiple
      freeSolo
      autoSelect
      size="small"
      options={known.filter((k) => !value.includes(k))}
      value={[...value]}
      onChange={(_e, names) => onChange(names.map((v) => v.trim()).filter(Boolean))}
      renderInput={(input) => (
        <TextField
          {...input}
          label={label}
          placeholder={value.length === 0 ? placeholder : ''}
          helperText={help}
          error={error}
        />
      )}
    />
  );
}
