import { Button, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { useGo } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Row, Sheet } from '../parts/layout';
import { waitsIn } from './waits';

/** Lines at first. */
const most = 8;

/** What stands between an application and all of its replicas ready: which waits for what. */
export function Waits({ seen }: { seen: ApplicationSeen }) {
  const go = useGo();
  const waits = waitsIn(seen);
  if (waits.length === 0) return null;
  const { namespace } = seen.application;
  return (
    <Sheet>
      <Column gap={0.5}>
        <Typography variant="h2">What waits for what</Typography>
        {waits.slice(0, most).map(({ mark, text, claim }) => (
          <Row key={text} gap={1} align="center">
            <Mark kind={mark} />
            <Typography variant="body2">{text}.</Typography>
            {claim !== undefined && (
              <Button
                variant="text"
                sx={{ minHeight: 22, py: 0 }}
                onClick={() => go(`/claims/${encodeURIComponent(namespace)}/${encodeURIComponent(claim)}`)}
              >
                Why
              </Button>
            )}
          </Row>
        ))}
        {waits.length > most && (
          <Typography variant="caption" color="text.secondary">
            {(waits.length - most).toLocaleString('en-GB')} more wait.
          </Typography>
        )}
      </Column>
    </Sheet>
  );
}
