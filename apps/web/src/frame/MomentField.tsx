import { AdapterDayjs } from '@mui/x-date-pickers/AdapterDayjs';
import { DateTimePicker } from '@mui/x-date-pickers/DateTimePicker';
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider';
import { Typography } from '@mui/material';
import dayjs from 'dayjs';
import { useInAddress } from './address';

/** Chooses the moment that is looked at, in every place that has a past. */
export default function MomentField({ close, isNew }: { close: () => void; isNew: boolean }) {
  const [at, setAt] = useInAddress('at');
  return (
    <LocalizationProvider dateAdapter={AdapterDayjs}>
      <Typography variant="body2" color="text.secondary" sx={{ mr: 1 }} aria-hidden>
        as it was at
      </Typography>
      <DateTimePicker
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
            ...{ size: 'small', label: 'As it was at', onKeyDown: (e) => isNew && e.key === 'Escape' && close() },
            // what stands before it is its name
            sx: {
              width: 264,
              '& label': { display: 'none' },
              '& legend': { display: 'none' },
              '& fieldset': { top: 0 },
            },
          },
          field: { clearable: true, autoFocus: isNew },
        }}
      />
    </LocalizationProvider>
  );
}
