import type { CopiesAnswer } from '@moorage/contract/copies';
import { sizeText } from '@moorage/core/sizes/display';
import { failureSentence } from '../moorings/check-words';

type Plan = CopiesAnswer['plan'];
type Reckoned = Extract<Plan, { kind: 'reckoned' }>;

const failures = (n: number): string => `${n} ${n === 1 ? 'failure' : 'failures'}`;
const copiesText = (n: number): string => `${n} ${n === 1 ? 'copy' : 'copies'}`;

const survivalText = ({ withoutLoss, withoutInterruption }: Reckoned['after']): string =>
  withoutLoss === 0
    ? 'no failure: its node or disk lost is its data lost'
    : `${failures(withoutLoss)} of a node without loss, ${withoutInterruption === 0 ? 'none' : withoutInterruption} without interruption`;

/** What is there now, in one sentence. */
export function copiesSentence(now: CopiesAnswer['now']): string {
  const whole = now.filter((c) => c.state === 'Synchronized').length;
  return `${copiesText(now.length)}, ${whole === now.length ? 'all in step' : `${whole} in step`}.`;
}

/** What one copy more or fewer comes to, or why it cannot be. */
export function planSentence(plan: Plan, kind: 'raise' | 'lower'): string {
  switch (plan.kind) {
    case 'not-ours':
      return 'Its copies are its backend\u2019s own affair: they are not made or taken away one by one.';
    case 'pool-gone':
      return `The pool ${plan.pool} is not known any more.`;
    case 'no-place':
      return `No disk in ${plan.node ?? 'another failure domain'} has room for ${sizeText(plan.need)} more.`;
    case 'last-whole':
      return 'No other copy is whole: with this one the data would go. Wait until the others are brought up to date.';
    case 'reckoned': {
      const { after, before, copy, addedRaw, copies } = plan;
      const raw = sizeText(Math.abs(addedRaw));
      const does =
        kind === 'raise'
          ? `A copy is made on ${copy.disk} in ${copy.node}, and takes ${raw} of raw space; what is written is copied there while pods go on.`
          : `The copy on ${copy.disk} in ${copy.node} goes, and gives ${raw} of raw space back.`;
      return `${does} With ${copiesText(copies)} it survives ${survivalText(after)} (now: ${survivalText(before)}).`;
    }
  }
}

/** The rules that refuse it, with their figures. */
export const refusedWords = (plan: Plan): string[] =>
  plan.kind === 'reckoned' ? plan.checks.filter((c) => !c.passed).map((c) => failureSentence(c)) : [];

/** What one copy is doing; per cent of what there is to copy. */
export const copyWord = ({ state, percent }: CopiesAnswer['now'][number]): string =>
  state === 'Synchronized'
    ? 'in step'
    : state === 'Synchronizing'
      ? `brought up to date: ${Math.floor(percent)} %`
      : state === 'unknown'
        ? 'not told of yet'
        : 'failed';

/** A place that may be chosen; where a copy is made, with what the disk has left then. */
export const choiceText = ({ node, disk, left }: Reckoned['copy'], kind: 'raise' | 'lower'): string =>
  `${node}, ${disk}${kind === 'raise' ? `, ${sizeText(left)} left then` : ''}`;
