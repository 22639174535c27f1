import { AdapterDayjs } from '@mui/x-date-pickers/AdapterDayjs';
import { DatePicker } from '@mui/x-date-pickers/DatePicker';
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider';
import dayjs from 'dayjs';

/** A day, or none. Days are YYYY-MM-DD. */
export function Day({
  label,
  value,
  choose,
  from,
  helperText,
  error,
}: {
  label: string;
  value: string | null;
  choose: (day: string | null) => void;
  /** The first that can be chosen. */
  from?: string;
  helperText?: string;
  error?: boolean;
}) {
  return (
    <LocalizationProvider dateAdapter={AdapterDayjs}>
      <DatePicker
        label={label}
        format="D MMM YYYY"
        value={value ? dayjs(value) : null}
        minDate={from ? dayjs(from) : undefined}
        onChange={(day) => choose(day?.isValid() ? day.format('YYYY-MM-DD') : null)}
        slotProps={{
          field: { clearable: true },
          textField: { size: 'small', helperText, error, slotProps: { inputLabel: { shrink: true } } },
        }}
      />
    </LocalizationProvider>
  );
}
