import type { RoundPlan, RoundRow } from '@moorage/contract/rounds';
import { sizeText } from '@moorage/core/sizes/display';
import { refusalOf } from './growth-words';

export type RoundAct = 'grow' | 'delete';

const many = (count: number, word: string) => `${count.toLocaleString('en-GB')} ${word}${count === 1 ? '' : 's'}`;

const refusals: Record<NonNullable<RoundRow['refusal']>, string> = {
  gone: 'There is no such claim any more.',
  'not-bound': 'It has no volume of ours that could grow.',
  'class-gone': 'Its class is not there any more.',
  fixed: 'Its class does not let its claims grow.',
  'pool-gone': 'The pool that its volume lies on is not known any more.',
  enough: 'It has that size already.',
  'does-not-fit': 'It does not fit beside the others.',
  deleting: 'It is being deleted already.',
};

const podsWords = ([first, ...others]: readonly string[]): string =>
  others.length === 0 ? `${first} is` : `${first} and ${many(others.length, 'other pod')} are`;

/** What becomes of one claim of a round, or why it is left as it is. */
export function rowSentence({ refusal, failed, fate, from, to }: RoundRow): string {
  if (refusal) return failed ? `${failed.pool}: ${refusalOf(failed.check)}` : refusals[refusal];
  if (to !== null) return `${sizeText(to - (from ?? 0))} more`;
  if (!fate) return '';
  const waits = fate.pods.length > 0 ? ` The claim goes when ${podsWords(fate.pods)} gone.` : '';
  switch (fate.kind) {
    case 'no-volume':
      return `It has no volume yet.${waits}`;
    case 'destroyed':
      return `Its volume is destroyed for good, ${sizeText(fate.used)} written.${waits}`;
    case 'kept-for-days':
      return `Its volume is kept for ${many(fate.graceDays, 'day')}, then destroyed.${waits}`;
    case 'kept':
      return `Its volume stays behind, adrift.${waits}`;
  }
}

/** All of a round, in one sentence. */
export function planSentence(act: RoundAct, plan: RoundPlan): string {
  const { goes, refused, added, addedRaw, destroyed, kept } = plan;
  const left =
    refused > 0
      ? ` ${many(refused, 'claim')} ${refused === 1 ? 'is' : 'are'} left as ${refused === 1 ? 'it is' : 'they are'}.`
      : '';
  if (goes === 0) return `None of these claims can be ${act === 'grow' ? 'grown so' : 'deleted'}.`;
  if (act === 'grow') {
    const raw = addedRaw > added ? `, ${sizeText(addedRaw)} raw with copies counted` : '';
    return `${many(goes, 'claim')} would grow by ${sizeText(added)} in all${raw}.${left}`;
  }
  const lost =
    destroyed > 0 ? ` ${sizeText(destroyed)} of written data is destroyed for good` : ' No written data is destroyed';
  const stays = kept > 0 ? `, ${sizeText(kept)} kept` : '';
  return `${many(goes, 'claim')} would be deleted.${lost}${stays}.${left}`;
}

/** What the button says. */
export const actWord = (act: RoundAct, count: number): string =>
  `${act === 'grow' ? 'Grow' : 'Delete'} ${many(count, 'claim')}`;
