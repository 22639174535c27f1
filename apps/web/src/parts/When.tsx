import { Tooltip } from '@mui/material';
import dayjs from 'dayjs';
import relativeTime from 'dayjs/plugin/relativeTime';

dayjs.extend(relativeTime);

/** A time as local time, the relative time on hover. */
export function When({ at }: { at: string }) {
  const time = dayjs(at);
  const today = time.isSame(dayjs(), 'day');
  return (
    <Tooltip title={`${time.fromNow()} · ${time.format('D MMM YYYY, HH:mm:ss')}`}>
      <time dateTime={at} style={{ whiteSpace: 'nowrap' }}>
        {time.format(today ? 'HH:mm:ss' : 'D MMM YYYY, HH:mm')}
      </time>
    </Tooltip>
  );
}
