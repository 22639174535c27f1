import type { ClaimRow, ClaimState } from '@moorage/contract/claims';
import type { MarkKind } from '../marks/Mark';
import { failureSentence } from './checks';

export const stateMarks: Record<ClaimState, MarkKind> = {
  bound: 'settled',
  binding: 'progress',
  'waiting-pod': 'waiting',
  'nothing-fits': 'person',
  'no-class': 'person',
  retrying: 'degraded',
  foreign: 'waiting',
  lost: 'lost',
  deleting: 'progress',
};

export const stateWords: Record<ClaimState, string> = {
  bound: 'bound',
  binding: 'binding',
  'waiting-pod': 'waits for a pod',
  'nothing-fits': 'nothing fits',
  'no-class': 'no class',
  retrying: 'trying again',
  foreign: 'not ours',
  lost: 'lost',
  deleting: 'being deleted',
};

/** Why a claim is where it is, in one sentence; for a bound one, where it lives. */
export function claimSentence(claim: ClaimRow): string {
  const { state, reason, className } = claim;
  switch (state) {
    case 'bound':
      return claim.pool ? `on ${claim.pool}` : 'on a volume made beforehand';
    case 'binding':
      return claim.pool ? `reserved on ${claim.pool}; the volume is being made` : 'about to be decided';
    case 'waiting-pod':
      return reason?.pod
        ? `Waits for its first pod: ${reason.pod} is not scheduled yet.`
        : 'Waits for its first pod; no pod uses it yet. Not a fault.';
    case 'no-class':
      return className ? `There is no class "${className}".` : 'It names no class, and there is no default class.';
    case 'retrying':
      return `${claim.pool ?? 'The backend'}: ${(reason?.error?.detail ?? 'the last attempt failed').replace(/\.$/, '')}. Attempt ${(reason?.attempts ?? 0) + 1} follows.`;
    case 'foreign':
      return `Class "${className}" belongs to another provisioner.`;
    case 'lost':
      return 'Its volume is gone.';
    case 'deleting':
      return 'Deleted; the platform waits until no pod uses it.';
    case 'nothing-fits': {
      const [first, ...others] = reason?.failed ?? [];
      if (!first) return `Class ${className} has no mooring to any pool.`;
      const same = others.filter((f) => f.check.rule === first.check.rule).length;
      const rest = others.length - same;
      const pools =
        rest > 0
          ? ` (${first.pool}; ${rest} more for other reasons)`
          : same > 0
            ? ` (${same + 1} pools)`
            : ` (${first.pool})`;
      return failureSentence(first.check).replace(/\.$/, '') + pools;
    }
  }
}
