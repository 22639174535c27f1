import { AdapterDayjs } from '@mui/x-date-pickers/AdapterDayjs';
import { DateTimePicker } from '@mui/x-date-pickers/DateTimePicker';
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider';
import dayjs from 'dayjs';
import { useInAddress } from './address';

/** Chooses the moment that is looked at, in every place that has a past. */
export default function MomentField({ close, isNew }: { close: () => void; isNew: boolean }) {
  const [at, setAt] = useInAddress('at');
  return (
    <LocalizationProvider dateAdapter={AdapterDayjs}>
      <DateTimePicker
        label="As it was at"
        value={at === '' ? null : dayjs(at)}
        // an incomplete or impossible moment is not looked at
        onChange={(value, { validationError }) => {
          if (value === null) {
            setAt('');
            close();
          } else if (validationError === null && value.isValid()) setAt(value.toISOString());
        }}
        format="D MMM YYYY, HH:mm"
        ampm={false}
        disableFuture
        timeSteps={{ minutes: 1 }}
        slotProps={{
          textField: {
            ...{ size: 'small', onKeyDown: (e: React.KeyboardEvent) => isNew && e.key === 'Escape' && close() },
            sx: { width: 236 },
            slotProps: { inputLabel: { shrink: true } },
          },
          field: { clearable: true, autoFocus: isNew },
        }}
      />
    </LocalizationProvider>
  );
}
