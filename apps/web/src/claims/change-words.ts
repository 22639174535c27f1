import type { Change, Demand } from '@moorage/core/placement/change';
import { sizeText } from '@moorage/core/sizes/display';

export interface ChangeContext {
  readonly className: string;
  readonly namespace: string;
}

const demandWords: Record<Demand, string> = {
  protocol: 'its protocol',
  reduction: 'compression and deduplication',
  snapshots: 'the safeguard',
  offsite: 'the copy at another site',
  'domain-level': 'keeping copies that far apart',
  witness: 'the witness',
  'pinned-nodes': 'the pinned nodes',
  'volume-mode': 'the one volume mode',
  'second-copy': 'the second copy',
};

/** Changes that are made together, in one sentence. */
export const changesSentence = (changes: readonly Change[], context: ChangeContext): string =>
  changes
    .map((change) => changeSentence(change, context))
    .map((text, i) => (i === 0 ? text : text[0]!.toLowerCase() + text.slice(1)))
    .join(', and ');

/** A change that would bind a claim, as something one can do. */
export function changeSentence(change: Change, { className, namespace }: ChangeContext): string {
  switch (change.kind) {
    case 'moor':
      return `Moor ${className} to ${change.pool}`;
    case 'enable-mooring':
      return `Turn on the mooring of ${className} to ${change.pool}`;
    case 'ask-mode':
      return `Ask for ${change.mode} instead`;
    case 'ask-volume-mode':
      return `Ask for ${change.volumeMode} mode instead`;
    case 'ask-less':
      return `Ask for ${sizeText(change.size)}, which is ${sizeText(change.by)} less`;
    case 'raise-quota':
      return change.scope === 'namespace'
        ? `Raise the limit of ${namespace} to ${sizeText(change.limit)}, ${sizeText(change.by)} more`
        : `Raise the limit of ${namespace} in ${className} to ${sizeText(change.limit)}, ${sizeText(change.by)} more`;
    case 'raise-count':
      return `Raise the limit of ${change.of === 'claims' ? 'claims' : 'IOPS'} of ${namespace}${change.scope === 'class' ? ` in ${className}` : ''} to ${Math.ceil(change.limit).toLocaleString('en-GB')}, ${Math.ceil(change.by).toLocaleString('en-GB')} more`;
    case 'raise-allotment':
      return `Raise our allotment of ${change.pool} to ${sizeText(change.limit)}`;
    case 'raise-cap':
      return `Raise the cap of ${change.backend} to ${sizeText(change.limit)}, ${sizeText(change.by)} more`;
    case 'free-pool':
      return `Let ${change.pool} take volumes again`;
    case 'raise-overcommit':
      return `Let ${change.pool} promise ${change.overcommit.toFixed(2)} times its space`;
    case 'add-capacity':
      return `Add ${sizeText(change.by)} of usable space to ${change.pool}`;
    case 'lower-copies':
      return `Keep ${change.copies} ${change.copies === 1 ? 'copy' : 'copies'} in ${className} (takes a new class)`;
    case 'drop-encryption':
      return `Give up encryption in ${className} (takes a new class)`;
    case 'drop-expansion':
      return `Give up growing in ${className}`;
    case 'widen-zones':
      return `Allow other zones in ${className} (takes a new class)`;
    case 'lower-floor':
      return `Lower the IOPS floor to ${change.iops.toLocaleString('en-GB')} (takes a new class)`;
    case 'lower-throughput-floor':
      return `Lower the throughput floor to ${change.megabytes.toLocaleString('en-GB')} MB/s (takes a new class)`;
    case 'grant':
      return `Grant ${className} to ${change.namespace}`;
    case 'tune-within':
      return `Ask for ${change.setting} ${change.value.toLocaleString('en-GB')}, within the allowance`;
    case 'tune-not':
      return `Leave ${change.setting} as the class has it`;
    case 'drop-demand':
      return `Give up ${demandWords[change.demand]} in ${className} (takes a new class)`;
    case 'mend-backend':
      return `Bring ${change.backend} back`;
  }
}

/** What a change costs, and whom. */
export function changeCost(change: Change): string {
  switch (change.kind) {
    case 'moor':
    case 'enable-mooring':
      return 'No cost; the class may use one pool more.';
    case 'grant':
      return 'No cost; the namespace may use the class.';
    case 'tune-within':
    case 'tune-not':
      return 'The team asks for what the class allows.';
    case 'raise-quota':
    case 'raise-count':
    case 'raise-allotment':
      return 'No hardware; a limit gives way.';
    case 'raise-cap':
      return 'A licence or contract to extend.';
    case 'ask-less':
    case 'ask-mode':
    case 'ask-volume-mode':
      return 'The team makes the claim again.';
    case 'raise-overcommit':
      return 'More is promised than there is.';
    case 'add-capacity':
      return 'Disks to buy and fit.';
    case 'free-pool':
    case 'mend-backend':
      return 'Work on the backend.';
    default:
      return 'Weaker promise to every claim of the class.';
  }
}
