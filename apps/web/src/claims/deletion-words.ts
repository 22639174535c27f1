import type { ClaimDetail } from '@moorage/contract/claims';
import type { StorageClass } from '@moorage/core/classes/storage-class';

/** What becomes of a volume once its claim is gone, by its class; undefined where the class is not known any more. */
export function fateWords(cls: Pick<StorageClass, 'reclaim' | 'graceDays'> | undefined): string {
  if (!cls) return 'goes or stays as its class said when it was made.';
  if (cls.reclaim === 'Retain') return 'stays behind, adrift: nothing is destroyed, and it still counts.';
  if (cls.graceDays > 0)
    return `is kept for ${cls.graceDays} ${cls.graceDays === 1 ? 'day' : 'days'}, offline, and destroyed for good then.`;
  return 'is destroyed for good.';
}

/** Who still uses a claim, and what of its application stays. */
export function usersWords({ pods, application, otherReplicas }: ClaimDetail['usedBy']): string {
  if (pods.length === 0) return 'No pod uses it: the platform lets it go at once.';
  const names = pods.slice(0, 3).map(({ pod, node }) => (node ? `${pod} on ${node}` : pod));
  const more = pods.length > 3 ? ` and ${pods.length - 3} more` : '';
  const use = pods.length === 1 ? 'uses' : 'use';
  const stays =
    application === null
      ? ''
      : otherReplicas === 0
        ? ` No other replica of ${application} is left with data of its own.`
        : ` ${otherReplicas} other ${otherReplicas === 1 ? 'replica' : 'replicas'} of ${application} ${otherReplicas === 1 ? 'keeps its' : 'keep their'} own data.`;
  return `${names.join(', ')}${more} ${use} it: the platform keeps claim and volume until ${pods.length === 1 ? 'that pod is' : 'those pods are'} gone.${stays}`;
}

/** What was asked for, once the platform took it: never that it is done. */
export const deletionAsked = (claim: string, { pods }: ClaimDetail['usedBy']): string =>
  pods.length === 0
    ? `The platform was asked to delete ${claim}.`
    : `The platform was asked to delete ${claim}; it does so when ${pods.length === 1 ? `${pods[0]!.pod} is` : `its ${pods.length} pods are`} gone.`;
