import type { checkSchema, ClaimRow } from '@moorage/contract/claims';
import type { GrowthAnswer } from '@moorage/contract/growth';
import type { Change } from '@moorage/core/placement/change';
import { sizeText } from '@moorage/core/sizes/display';
import type { z } from 'zod';
import { factText, failureSentence } from '../moorings/check-words';
import { changeCost } from './change-words';

type Growth = NonNullable<ClaimRow['growth']>;

const bare = (sentence: string) => sentence.replace(/\.$/, '');

/** How far a growth is, and what it waits for; in one sentence. */
export function growthSentence({ requested }: Pick<ClaimRow, 'requested'>, growth: Growth): string {
  const to = `to ${sizeText(requested)}`;
  if (growth.stopped === 'refused')
    return `Growing ${to} was refused: ${bare(growth.error?.detail ?? 'no reason was given')}. Its room stays reserved until somebody tries again or calls it off.`;
  if (growth.stopped === 'paused') return `Growing ${to} is paused.`;
  if (growth.error) return `Growing ${to} failed: ${bare(growth.error.detail)}. It is tried again.`;
  switch (growth.waitingFor) {
    case 'capacity':
      return growth.failed
        ? `Cannot grow ${to} yet. ${growth.failed.pool}: ${refusalOf(growth.failed.check)}`
        : `Cannot grow ${to} yet.`;
    case 'class':
      return `Cannot grow ${to}: its class does not let its claims grow, or is not there any more.`;
    case 'pool':
      return `Cannot grow ${to}: the pool that its volume lies on is not known any more.`;
    case 'node':
      return `The volume has grown ${to}; its file system grows on the node once a pod runs with it.`;
    case null:
      return `Grows ${to}.`;
  }
}

/** When pods see the new size. */
/** What has to be bought of the instance that a share lies in, for it to grow; nothing of one that has room. */
export const boughtFor = (instance: { readonly id: string; readonly added: number } | undefined): string =>
  instance === undefined || instance.added === 0
    ? ''
    : `; ${sizeText(instance.added)} more of its instance ${instance.id} are bought for that`;

export const reachesWords: Record<GrowthAnswer['reaches'], string> = {
  'at-once': 'Pods see it at once; none has to start again.',
  'while-running': 'The file system is grown on the node while its pods run; none has to start again.',
  'at-next-start': 'No pod runs with it now: the file system is grown when one next starts.',
};

type Check = z.infer<typeof checkSchema>;

/** The limits that have a figure, with what is left of them, and whatever else refuses. */
export const limitsOf = (checks: readonly Check[]): { check: Check; left?: number }[] =>
  checks.flatMap((check) => {
    const { need, have, unit, passed } = check;
    if (typeof need === 'number' && typeof have === 'number' && unit !== 'share' && need > 0)
      return [{ check, left: have - need }];
    return passed ? [] : [{ check }];
  });

/** Why a growth is refused, in one sentence. */
export const refusalOf = (check: Check): string =>
  check.rule === 'disk-room'
    ? `Each copy grows on the disk it lies on; the fullest of these has ${factText(check, check.have)}.`
    : failureSentence(check);

/** What a change costs people, where a volume is there already. */
export const growthCost = (change: Change): string =>
  change.kind === 'ask-less' ? 'The team makes do with less.' : changeCost(change);

/** The steps of a growth, in their order. */
export const growthSteps = [
  'room reserved',
  'larger on the backend',
  'told to the platform',
  'grown on its node',
] as const;

/** How many of the steps are done. */
export function stepsDone(state: string): number {
  const done: Record<string, number> = { asking: 1, writing: 2, seeing: 3 };
  return done[state] ?? 0;
}
