import { Button, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { useGo } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Row, Sheet } from '../parts/layout';
import { localitySentence, localityWays } from './words';

/** Replicas at first. */
const most = 6;

/** Whether replicas read from their own nodes where their class wants it, and what would make it so. */
export function LocalReads({ namespace, locality }: { namespace: string; locality: ApplicationSeen['locality'] }) {
  const go = useGo();
  if (locality.length === 0) return null;
  const away = locality.filter((l) => l.claims.some((c) => !c.isLocal));
  return (
    <Sheet>
      <Column gap={1}>
        <Typography variant="h2">Reading from the own node</Typography>
        <Row gap={1} align="center">
          <Mark kind={away.length === 0 ? 'settled' : 'degraded'} />
          <Typography variant="body2">{localitySentence(locality)}</Typography>
        </Row>
        {away.slice(0, most).map((l) => {
          const [first] = l.claims.filter((c) => !c.isLocal);
          return (
            <Row key={l.pod} gap={1} align="baseline" wraps>
              <Typography variant="body2">
                <strong>{l.pod}</strong> on {l.node}: {localityWays(l).join('; or ')}.
              </Typography>
              <Button
                variant="text"
                onClick={() => go(`/claims/${encodeURIComponent(namespace)}/${encodeURIComponent(first!.claim)}`)}
              >
                Copies of {first!.claim}
              </Button>
            </Row>
          );
        })}
        {away.length > most && (
          <Typography variant="caption" color="text.secondary">
            {(away.length - most).toLocaleString('en-GB')} more read over the network.
          </Typography>
        )}
      </Column>
    </Sheet>
  );
}
