import { Box } from '@mui/material';
import dayjs from 'dayjs';
import { useBackendEvents } from '../api/cluster-queries';
import { Mark } from '../marks/Mark';
import { Empty, Fetched } from '../parts/States';
import { Row } from '../parts/layout';

const marks = { OK: 'settled', Warning: 'degraded', Critical: 'person' } as const;

/** What the backend says happened to it, newest first. */
export function Events({ backend }: { backend: string }) {
  const query = useBackendEvents(backend);
  return (
    <Fetched query={query}>
      {(events) =>
        events.length === 0 ? (
          <Empty title="The backend tells of no events">They appear here when something happens to it.</Empty>
        ) : (
          <Box component="ol" aria-label="Events" sx={{ listStyle: 'none', m: 0, p: 0, fontSize: 13 }}>
            {events.map((e, i) => (
              <Row component="li" key={`${e.at}-${i}`} gap={1.5} sx={{ py: 0.5, borderTop: 1, borderColor: 'divider' }}>
                <time dateTime={e.at} style={{ color: 'var(--second-ink)', width: 150 }}>
                  {dayjs(e.at).format('D MMM YYYY, HH:mm:ss')}
                </time>
                <span style={{ paddingTop: 2 }}>
                  <Mark kind={marks[e.severity]} />
                </span>
                {e.message}
              </Row>
            ))}
          </Box>
        )
      }
    </Fetched>
  );
}
