import { Button, Typography } from '@mui/material';
import { AdapterDayjs } from '@mui/x-date-pickers/AdapterDayjs';
import { DateTimePicker } from '@mui/x-date-pickers/DateTimePicker';
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider';
import dayjs from 'dayjs';
import { useInAddress } from './address';
import { Row } from '../parts/layout';
import { When } from '../parts/When';

/** The moment in the past that is looked at; undefined: now. */
export function useMoment(): string | undefined {
  const [at] = useInAddress('at');
  return at !== '' && dayjs(at).isValid() ? dayjs(at).toISOString() : undefined;
}

/** Chooses the moment that a place is shown at. */
export function MomentField({ since }: { since?: string | null }) {
  const [at, setAt] = useInAddress('at');
  return (
    <LocalizationProvider dateAdapter={AdapterDayjs}>
      <DateTimePicker
        label="As it was at"
        value={at === '' ? null : dayjs(at)}
        // an incomplete or impossible moment is not looked at
        onChange={(value, { validationError }) => {
          if (value === null) setAt('');
          else if (validationError === null && value.isValid()) setAt(value.toISOString());
        }}
        format="D MMM YYYY, HH:mm"
        ampm={false}
        disableFuture
        timeSteps={{ minutes: 1 }}
        {...(since && { minDateTime: dayjs(since) })}
        slotProps={{
          textField: { size: 'small', sx: { width: 250 }, slotProps: { inputLabel: { shrink: true } } },
          field: { clearable: true },
        }}
      />
    </LocalizationProvider>
  );
}

/** Says that what is seen is past, and leads back. */
export function PastMark({ at }: { at: string }) {
  const [, setAt] = useInAddress('at');
  return (
    <Row
      role="status"
      align="center"
      gap={2}
      sx={{ px: 1.5, py: 0.5, border: 2, borderColor: 'warning.main', borderStyle: 'dashed', color: 'warning.main' }}
    >
      <Typography variant="body2" sx={{ flex: 1, color: 'inherit' }}>
        <strong>Past:</strong> this is how it was on <When at={at} />. Nothing can be changed here.
      </Typography>
      <Button onClick={() => setAt('')}>Back to now</Button>
    </Row>
  );
}
