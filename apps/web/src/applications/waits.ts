import type { ApplicationSeen } from '@moorage/contract/applications';
import type { MarkKind } from '../marks/Mark';
import { count, wantedOf } from './words';

/** One thing that a replica waits for. */
interface Wait {
  readonly pod: string;
  readonly mark: MarkKind;
  readonly text: string;
  /** The claim that has the reason, where one has it. */
  readonly claim?: string;
}

type Replica = ApplicationSeen['replicas'][number];

/** What a pod that is not ready waits for: its claims first, then its node, its volumes, its start. */
function waitOf({ pod, node, claims, why, waitsFor, phase }: Replica, seen: ApplicationSeen): Wait[] {
  const unbound = seen.claims.filter((c) => claims.includes(c.name) && c.phase !== 'Bound');
  if (unbound.length > 0)
    return unbound.map((c): Wait => ({
      pod,
      claim: c.name,
      mark: 'waiting',
      text: `${pod} waits for its claim ${c.name}, which is ${c.phase === null ? 'not seen yet' : c.phase.toLowerCase()}`,
    }));
  if (node === null)
    return [{ pod, mark: why ? 'person' : 'waiting', text: `${pod} waits for a node${why ? `: ${why}` : ''}` }];
  // who has its volumes is told beside
  if (waitsFor.length > 0) return [];
  return [{ pod, mark: 'progress', text: `${pod} ${phase === 'Running' ? 'is not ready yet' : 'starts'} on ${node}` }];
}

/** What stands between an application and all of its replicas ready, replica by replica. */
export function waitsIn(seen: ApplicationSeen): Wait[] {
  const { replicas, application, ordered } = seen;
  const waits = replicas.filter((r) => !r.ready && !r.deleting).flatMap((r) => waitOf(r, seen));
  const missing = wantedOf(application) - replicas.length - seen.more;
  if (application.wanted === null || missing <= 0) return waits;
  const before = ordered ? replicas.filter((r) => !r.ready).map((r) => r.pod) : [];
  const held =
    before.length > 0 ? ` until ${before[0]} is ready: they start one after the other` : ' to be made by the platform';
  return [
    ...waits,
    {
      pod: '',
      mark: 'waiting',
      text: `${count(missing, 'more replica')} ${missing === 1 ? 'waits' : 'wait'}${held}`,
    },
  ];
}
