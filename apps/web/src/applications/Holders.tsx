import { Button, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { useGo } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Row, Sheet } from '../parts/layout';
import { holderSentence } from './words';

/** Lines at first. */
const most = 8;

/** Pods that wait for volumes which are attached elsewhere: who has them, and the safe way out. */
export function Holders({ replicas }: { replicas: ApplicationSeen['replicas'] }) {
  const go = useGo();
  const waiting = replicas.flatMap(({ pod, waitsFor }) => waitsFor.map((held) => ({ pod, held })));
  if (waiting.length === 0) return null;
  return (
    <Sheet>
      <Column gap={1}>
        <Typography variant="h2">Attached elsewhere</Typography>
        {waiting.slice(0, most).map(({ pod, held }) => (
          <Row key={`${pod} ${held.claim} ${held.node}`} gap={1} align="center">
            <Mark kind={held.ready && (held.pod === null || held.ending) ? 'progress' : 'person'} />
            <Typography variant="body2">{holderSentence(pod, held)}</Typography>
            {!held.ready && (
              <Button variant="text" onClick={() => go(`/apps/nodes?node=${encodeURIComponent(held.node)}`)}>
                Look at {held.node}
              </Button>
            )}
          </Row>
        ))}
        {waiting.length > most && (
          <Typography variant="caption" color="text.secondary">
            {(waiting.length - most).toLocaleString('en-GB')} more wait so.
          </Typography>
        )}
      </Column>
    </Sheet>
  );
}
