import { Typography } from '@mui/material';
import type { Readiness } from '@moorage/contract/readiness';
import { protocolOf, type Protocol } from '@moorage/core/classes/protocol';
import { useReadiness } from '../api/cluster-queries';

/** Nodes that have a working way by one of these protocols to some backend, of all. */
export function nodesReadyFor({ nodes, cells }: Pick<Readiness, 'nodes' | 'cells'>, asked: readonly Protocol[]) {
  const isWay = ({ check, state, of }: Readiness['cells'][number]['checks'][number]): boolean => {
    if (state === 'failed') return false;
    if (check === 'export') return asked.includes('NFS');
    return (check === 'initiator' || check === 'paths') && asked.includes(protocolOf(of ?? '') as Protocol);
  };
  const isBroken = ({ check, state, of }: Readiness['cells'][number]['checks'][number]): boolean =>
    check === 'paths' && state === 'failed' && asked.includes(protocolOf(of ?? '') as Protocol);
  const ready = new Set(cells.filter((c) => c.checks.some(isWay) && !c.checks.some(isBroken)).map((c) => c.node));
  return { ready: ready.size, of: nodes.length, missing: nodes.filter((n) => !ready.has(n.name)).map((n) => n.name) };
}

/** How many nodes can reach volumes of a class that asks for a protocol. */
export function ReadyNodes({ asked }: { asked: readonly Protocol[] }) {
  const { data } = useReadiness();
  if (!data || asked.length === 0 || data.nodes.length === 0) return null;
  const { ready, of, missing } = nodesReadyFor(data, asked);
  const some = missing.slice(0, 3).join(', ');
  return (
    <Typography variant="body2" color={ready === 0 ? 'error' : 'text.secondary'}>
      {ready} of {of} nodes are ready for {asked.join(' or ')}
      {missing.length > 0 ? `; not ${some}${missing.length > 3 ? ` and ${missing.length - 3} more` : ''}` : ''}.
    </Typography>
  );
}
