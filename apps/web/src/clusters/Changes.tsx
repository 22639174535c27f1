import { Box, Button, LinearProgress, Typography } from '@mui/material';
import type { Reshape, ReshapeState } from '@moorage/contract/reshapes';
import { sizeText } from '@moorage/core/sizes/display';
import { ask } from '../api/client';
import { useReshapes } from '../api/cluster-queries';
import { refresh } from '../api/queries';
import { MarkedWord, type MarkKind } from '../marks/Mark';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { durationText } from './words';
import { Plain, Row } from '../parts/layout';

const kinds: Record<Reshape['kind'], string> = {
  commission: 'Commissioning',
  grow: 'Adding disks',
  shrink: 'Taking disks out',
  replace: 'Replacing disks',
};
const states: Record<ReshapeState, readonly [MarkKind, string]> = {
  preparing: ['progress', 'makes the pool ready'],
  taking: ['progress', 'takes disks, node by node'],
  giving: ['progress', 'takes disks out'],
  settling: ['progress', 'data is moving'],
  settled: ['settled', 'done'],
  undoing: ['degraded', 'gives everything back'],
  undone: ['lost', 'called off, everything given back'],
};

/** How much it changes: "14 disks in 5 nodes". */
function sizeWords({ nodes }: Reshape): string {
  const disks = nodes.reduce((sum, n) => sum + n.disks, 0);
  const count = new Set(nodes.map((n) => n.node)).size;
  return `${disks} ${disks === 1 ? 'disk' : 'disks'} in ${count} ${count === 1 ? 'node' : 'nodes'}`;
}

function Progress({ change }: { change: Reshape }) {
  const moved = change.total ? 100 * (1 - (change.left ?? 0) / change.total) : 0;
  const done = change.nodes.filter((n) => n.state !== 'waiting').length;
  const share = change.state === 'settling' && change.total ? moved : (100 * done) / Math.max(1, change.nodes.length);
  return (
    <Box sx={{ minWidth: 220 }}>
      <LinearProgress
        variant="determinate"
        value={Math.min(100, share)}
        aria-label={`${kinds[change.kind]}: ${Math.round(share)} %`}
      />
      <Typography variant="caption" color="text.secondary">
        {change.state === 'settling' && change.total
          ? `${sizeText(change.left ?? 0)} of ${sizeText(change.total)} to move${change.etaSeconds !== null ? `, about ${durationText(change.etaSeconds)} left` : ''}`
          : `${done} of ${change.nodes.length} nodes`}
      </Typography>
    </Box>
  );
}

function ChangeRow({ change }: { change: Reshape }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const [mark, words] = states[change.state];
  const undo = useAct(async () => {
    await ask('undoReshape', { params: { id: change.id } });
    await refresh('reshapes');
    return { text: `${change.pool}: what was taken is being given back.` };
  });
  const running = change.endedAt === null;
  return (
    <Row
      component="li"
      data-change={change.state}
      gap={2}
      align="center"
      wraps
      sx={{ py: 1, borderTop: 1, borderColor: 'divider' }}
    >
      <Box sx={{ minWidth: 220 }}>
        <strong>
          {kinds[change.kind]} · {change.pool}
        </strong>
        <Typography variant="caption" component="div" color="text.secondary">
          by {change.person}, <When at={change.createdAt} /> · {sizeWords(change)}
        </Typography>
      </Box>
      <Box sx={{ minWidth: 200 }}>
        <MarkedWord kind={mark} word={words} />
      </Box>
      {running && <Progress change={change} />}
      <Box sx={{ flex: 1, minWidth: 160 }}>
        {change.error && running && (
          <Typography variant="body2" color="warning.main">
            {change.error.detail}. Tried {change.attempts} {change.attempts === 1 ? 'time' : 'times'}
            {change.nextAttemptAt && (
              <>
                ; again at <When at={change.nextAttemptAt} />
              </>
            )}
            .
          </Typography>
        )}
        {change.cause && <Typography variant="body2">Because: {change.cause}</Typography>}
      </Box>
      {running && change.state !== 'undoing' && may && (
        <Button onClick={() => undo.mutate(undefined)}>Call it off</Button>
      )}
    </Row>
  );
}

/** What is being done to the disks of a backend, and what was. */
export function Changes({ backend }: { backend: string }) {
  const query = useReshapes(backend);
  return (
    <Fetched query={query}>
      {(changes) =>
        changes.length === 0 ? (
          <Empty title="Nothing was changed yet">Choose disks in the drawing to add them, or to take them out.</Empty>
        ) : (
          <Plain aria-label="Changes to the disks">
            {changes.map((c) => (
              <ChangeRow key={c.id} change={c} />
            ))}
          </Plain>
        )
      }
    </Fetched>
  );
}
