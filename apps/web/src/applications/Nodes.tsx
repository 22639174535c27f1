import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { DrainSeen, NodeSeen } from '@moorage/contract/applications';
import { useState } from 'react';
import { useDrainPlan, useNodes } from '../api/application-queries';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { useGo, useInAddress } from '../frame/address';
import { Mark, MarkedWord } from '../marks/Mark';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { LostNode } from './LostNode';
import { drainSentence, fateWords, nodeStanding } from './node-words';

/** Nodes drawn at once; the rest is a click away. */
const atOnce = 100;

function PodsOf({ plan }: { plan: DrainSeen }) {
  const go = useGo();
  return (
    <Table size="small" aria-label={`Pods on ${plan.node}, in the order in which they leave`}>
      <TableHead>
        <TableRow>
          <TableCell>Pod</TableCell>
          <TableCell>Of</TableCell>
          <TableCell>Its claims</TableCell>
          <TableCell>What becomes of it</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {plan.pods.map((p) => (
          <TableRow key={`${p.namespace}/${p.pod}`}>
            <TableCell sx={{ whiteSpace: 'nowrap' }}>
              {p.namespace}/<strong>{p.pod}</strong>
            </TableCell>
            <TableCell>
              {p.owner ? (
                <Button
                  variant="text"
                  onClick={() => go(`/apps/${p.namespace}/${p.owner}`)}
                  sx={{ minHeight: 22, minWidth: 0, p: 0, textAlign: 'left' }}
                >
                  {p.owner}
                </Button>
              ) : (
                'nothing'
              )}
            </TableCell>
            <TableCell>{p.claims.join(', ') || '–'}</TableCell>
            <TableCell>
              <Row gap={1} align="center">
                <Mark kind={p.fate.kind === 'cannot' ? 'person' : p.fate.kind === 'stays' ? 'waiting' : 'settled'} />
                {fateWords(p.fate)}
              </Row>
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** One node: whether it takes pods, and what draining it would bring about. */
function OneNode({ node }: { node: NodeSeen }) {
  const { name, cordoned, draining } = node;
  const may = useMay('administrator', 'operator');
  const plan = useDrainPlan(may ? name : '');
  const cordon = useAct(async (to: boolean) => {
    const set = (value: boolean) => ask('cordonNode', { params: { node: name }, body: { cordoned: value } });
    await set(to);
    await refresh('applications');
    return {
      text: to ? `${name} takes no more pods; those that are there stay.` : `${name} takes pods again.`,
      undo: async () => {
        await set(!to);
        await refresh('applications');
      },
    };
  });
  const drain = useAct(async () => {
    await ask('drainNode', { params: { node: name } });
    await refresh('applications', 'operations');
    return { text: `${name} is being drained. It can be paused and given up under what is under way.` };
  });
  const giveUp = useAct(async (id: string) => {
    await ask('steerOperation', { params: { id, act: 'cancel' } });
    await refresh('applications', 'operations');
    return { text: `The drain of ${name} is given up; pods that have left stay where they are.` };
  });
  if (!may)
    return (
      <Sheet>
        <Typography variant="body2">Operators cordon and drain nodes; you see how they stand.</Typography>
      </Sheet>
    );
  if (!node.ready || node.off) return <LostNode node={node} />;
  const leaving = plan.data?.pods.some((p) => p.fate.kind === 'moves') ?? false;
  const refused = plan.data !== undefined && (!plan.data.isPossible || plan.data.lastCopies.length > 0);
  return (
    <Sheet>
      <Column gap={1.25}>
        <Row gap={1} align="baseline" wraps>
          <Typography variant="h2">{name}</Typography>
          <Typography variant="body2" color="text.secondary" sx={{ flex: 1 }} aria-live="polite">
            {draining !== null
              ? 'It takes no more pods, and its own leave as their budgets allow.'
              : plan.data && drainSentence(plan.data)}
          </Typography>
          <Fill />
          {draining === null ? (
            <>
              <Button disabled={cordon.isPending} onClick={() => cordon.mutate(!cordoned)}>
                {cordoned ? 'Let it take pods' : 'Cordon'}
              </Button>
              <Button
                variant="contained"
                disabled={drain.isPending || plan.data === undefined || refused || !leaving}
                onClick={() => drain.mutate(undefined)}
              >
                Drain
              </Button>
            </>
          ) : (
            <Button disabled={giveUp.isPending} onClick={() => giveUp.mutate(draining)}>
              Give the drain up
            </Button>
          )}
        </Row>
        <Fetched query={plan}>
          {(found) =>
            found.pods.length === 0 ? (
              <Empty title={draining === null ? 'No pod is on it' : 'Its last pods are ending'} />
            ) : (
              <PodsOf plan={found} />
            )
          }
        </Fetched>
      </Column>
    </Sheet>
  );
}

function Body({ nodes }: { nodes: readonly NodeSeen[] }) {
  const [chosen, choose] = useInAddress('node');
  const [shown, setShown] = useState(atOnce);
  const node = nodes.find((n) => n.name === chosen) ?? nodes[0];
  if (!node) return <Empty title="No node is known yet">They appear as soon as the platform answers.</Empty>;
  return (
    <Row gap={2} align="flex-start">
      <Sheet sx={{ width: 420, flex: 'none' }}>
        <Table size="small" aria-label="Nodes">
          <TableHead>
            <TableRow>
              <TableCell>Node</TableCell>
              <TableCell>Zone</TableCell>
              <TableCell>Rack</TableCell>
              <TableCell>State</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {nodes.slice(0, shown).map((n) => (
              <TableRow key={n.name} selected={n.name === node.name}>
                <TableCell>
                  <Button
                    variant="text"
                    onClick={() => choose(n.name)}
                    aria-pressed={n.name === node.name}
                    sx={{ minHeight: 22, minWidth: 0, p: 0, textAlign: 'left' }}
                  >
                    {n.name}
                  </Button>
                </TableCell>
                <TableCell>{n.zone ?? '–'}</TableCell>
                <TableCell>{n.rack ?? '–'}</TableCell>
                <TableCell>
                  <MarkedWord {...nodeStanding(n)} />
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {nodes.length > shown && (
          <Button onClick={() => setShown(shown + atOnce)}>
            {Math.min(atOnce, nodes.length - shown).toLocaleString('en-GB')} more
          </Button>
        )}
      </Sheet>
      <Column gap={1.5} sx={{ flex: 1, minWidth: 0 }}>
        <OneNode key={node.name} node={node} />
      </Column>
    </Row>
  );
}

export default function Nodes() {
  const query = useNodes();
  const go = useGo();
  return (
    <Place
      title="Nodes"
      question="Which nodes take pods, and where would those on one go if it had to be empty?"
      actions={
        <>
          <Button onClick={() => go('/apps')}>All applications</Button>
          <Button onClick={() => go('/backends/readiness')}>Node readiness</Button>
        </>
      }
    >
      <Fetched query={query}>{(nodes) => <Body nodes={nodes} />}</Fetched>
    </Place>
  );
}
