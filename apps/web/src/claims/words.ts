import { claimMarks, type ClaimRow, type ClaimState } from '@moorage/contract/claims';
import type { Carved } from '@moorage/core/shares/instances';
import type { Decision } from '@moorage/core/placement/decide';
import { GiB } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';
import { failureSentence } from '../moorings/check-words';
import { growthSentence } from './growth-words';

export const stateWords: Record<ClaimState, string> = {
  bound: 'bound',
  binding: 'binding',
  'waiting-pod': 'waits for a pod',
  'nothing-fits': 'nothing fits',
  'no-class': 'no class',
  retrying: 'trying again',
  stopped: 'stopped',
  'held-back': 'held back',
  foreign: 'not ours',
  lost: 'lost',
  unreachable: 'out of reach',
  deleting: 'being deleted',
};

/** The mark and the word of a claim: of a bound one that grows, those of its growth as well. */
export function standing({ state, growth }: ClaimRow): { kind: MarkKind; word: string } {
  if (state !== 'bound' || !growth) return { kind: claimMarks[state], word: stateWords[state] };
  if (growth.stopped !== null || (growth.waitingFor !== null && growth.waitingFor !== 'node'))
    return { kind: 'person', word: 'bound, cannot grow' };
  return growth.error ? { kind: 'degraded', word: 'bound, grows' } : { kind: 'progress', word: 'bound, grows' };
}

const asksWords = {
  source:
    'Asks to begin with the data of a snapshot or of another claim. That is not carried out yet, and nothing empty is bound in its place.',
  'named-volume':
    'Asks for a volume by its name, and the platform has not bound it to that one: see which rule refuses it.',
  selector: 'Asks for a volume made beforehand, by labels, and none that is free matches.',
  beforehand: 'A volume made beforehand matches it; the platform binds the two.',
} as const;

/** Why a claim is where it is, in one sentence; for a bound one, where it lives. */
export function claimSentence(claim: ClaimRow): string {
  const { state, reason, className } = claim;
  switch (state) {
    case 'bound':
      if (!claim.pool) return 'on a volume made beforehand';
      return claim.growth ? `on ${claim.pool}. ${growthSentence(claim, claim.growth)}` : `on ${claim.pool}`;
    case 'binding':
      return claim.pool ? `reserved on ${claim.pool}; the volume is being made` : 'about to be decided';
    case 'waiting-pod':
      return reason?.pod
        ? `Waits for its first pod: ${reason.pod} is not scheduled yet.${reason.podWhy ? ` The platform says: ${reason.podWhy}` : ''}`
        : 'Waits for its first pod; no pod uses it yet. Not a fault.';
    case 'no-class':
      if (className)
        return `There is no class "${className}".${reason?.nearest ? ` Was "${reason.nearest}" meant?` : ''}`;
      return className === ''
        ? 'It asks for no class (""): only a volume made beforehand can be bound to it, and none fits.'
        : 'It named no class when it was made, and there was no default class then.';
    case 'retrying':
      return `${claim.pool ?? 'The backend'}: ${(reason?.error?.detail ?? 'the last attempt failed').replace(/\.$/, '')}. Attempt ${(reason?.attempts ?? 0) + 1} follows.`;
    case 'stopped':
      return reason?.stopped === 'refused'
        ? `${claim.pool ?? 'The backend'}: ${(reason.error?.detail ?? 'it refused').replace(/\.$/, '')}. It is not tried again by itself.`
        : 'Somebody paused its binding; it goes on when it is told to.';
    case 'foreign':
      return `Class "${className}" belongs to another provisioner.`;
    case 'held-back':
      return asksWords[reason?.asks ?? 'source'];
    case 'lost':
      return reason?.missingSince
        ? `${claim.backend ?? 'Its backend'} does not list its volume any more.`
        : 'The platform says that its volume is gone.';
    case 'unreachable':
      return `No copy of its volume answers${claim.pool ? ` on ${claim.pool}` : ''}.`;
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

export const priceWords = (price: number, currency: string): string => `About ${price.toFixed(2)} ${currency} a month.`;

/** Where on a pool that is sold in instances a share lies, and what is bought for it. */
export function carvedText({ instance, size, left, added }: Carved): string {
  if (instance === undefined) return `a new instance of ${sizeText(size)} is bought for it`;
  const more = added > 0 ? `, which is made ${sizeText(added)} larger for it` : '';
  return `carved out of ${instance}${more}; ${left > 0 ? `${sizeText(left)} are left there` : 'that is full then'}`;
}

/** Where a claim would land, what it would get, what would be next, and what it would cost; a price for 100 GiB with every copy, a month. */
export function landingSentence(
  { winner, runnerUp, carved, ...decision }: Pick<Decision, 'winner' | 'runnerUp' | 'provisioned' | 'carved'>,
  asked: number,
  waits: boolean,
  per100GiB: number | null,
  currency: string,
): string {
  const provisioned: number = decision.provisioned ?? 0;
  const more = provisioned > asked ? ` (asked ${sizeText(asked)}; the pool gives whole GiB)` : '';
  const next = runnerUp ? ` ${runnerUp} would be next.` : ' No other pool would take it.';
  const cost = per100GiB === null ? '' : ` ${priceWords((per100GiB * provisioned) / (100 * GiB), currency)}`;
  return `${waits ? 'Once its first pod is scheduled, it' : 'It'} would land on ${winner}, provisioned as ${sizeText(provisioned)}${more}${carved ? `: ${carvedText(carved)}` : ''}.${next}${cost}`;
}
