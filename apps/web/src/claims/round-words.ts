import type { RoundChange, RoundPlan, RoundRow } from '@moorage/contract/rounds';
import { sizeText } from '@moorage/core/sizes/display';
import { refusalOf } from './growth-words';
import { rateRowsOf } from './tuning-words';

export type RoundAct = 'grow' | 'tune' | 'delete';

export const actVerb: Record<RoundAct, string> = { grow: 'Grow', tune: 'Tune', delete: 'Delete' };

/** The change that each act begins with; what is missing of it is typed. */
export const beginsWith: Record<RoundAct, RoundChange | undefined> = {
  grow: { kind: 'grow-by', by: '' },
  tune: undefined,
  delete: { kind: 'delete' },
};

const many = (count: number, word: string) => `${count.toLocaleString('en-GB')} ${word}${count === 1 ? '' : 's'}`;

const refusals: Record<NonNullable<RoundRow['refusal']>, string> = {
  gone: 'There is no such claim any more.',
  'not-bound': 'It has no volume of ours that could be changed.',
  'class-gone': 'Its class is not there any more.',
  fixed: 'Its class does not let its claims grow.',
  'pool-gone': 'The pool that its volume lies on is not known any more.',
  enough: 'It has that size already.',
  'does-not-fit': 'It does not fit beside the others.',
  deleting: 'It is being deleted already.',
  'as-asked': 'It has these rates already.',
  'floor-above-ceiling': 'Its floor would be above its ceiling.',
  changing: 'It is being changed already: try again when that has ended.',
};

const podsWords = ([first, ...others]: readonly string[]): string =>
  others.length === 0 ? `${first} is` : `${first} and ${many(others.length, 'other pod')} are`;

/** Which of its rates change. */
function ratesSentence({ now, then }: NonNullable<RoundRow['rates']>): string {
  const changed = rateRowsOf(now, then).filter((r) => r.now !== r.then);
  // what it says of itself changes, what it comes to does not
  if (changed.length === 0) return 'The same as its class has it';
  return changed.map((r) => `${r.what} ${r.now} → ${r.then}`).join(', ');
}

/** What becomes of one claim of a round, or why it is left as it is. */
export function rowSentence({ refusal, failed, fate, from, to, rates }: RoundRow): string {
  if (rates) return ratesSentence(rates);
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
  if (goes === 0)
    return `None of these claims can be ${{ grow: 'grown so', tune: 'tuned so', delete: 'deleted' }[act]}.`;
  if (act === 'tune')
    return `${many(goes, 'claim')} would be tuned, in force at once; no pod has to start again.${left}`;
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
export const actWord = (act: RoundAct, count: number): string => `${actVerb[act]} ${many(count, 'claim')}`;
