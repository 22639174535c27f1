import { quantityWords } from '@moorage/contract/claims';
import type { LimitEffect, LimitMeasure, LimitRequest } from '@moorage/contract/limits';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import dayjs from 'dayjs';

export const measureTitles: Readonly<Record<LimitMeasure, string>> = {
  bytes: 'Provisioned',
  claims: 'Claims',
  iops: 'Reserved IOPS',
  snapshots: 'Snapshots',
};

const number = (value: number): string => Math.round(value).toLocaleString('en-GB');
/** An amount with its unit. */
export const amountText = (of: LimitMeasure, value: number): string =>
  of === 'bytes'
    ? sizeText(value)
    : of === 'iops'
      ? `${number(value)} IOPS`
      : `${number(value)} ${value === 1 ? of.slice(0, -1) : of}`;
/** The same as it is typed. */
export const typedAmount = (of: LimitMeasure, value: number | null): string =>
  value === null ? '' : of === 'bytes' ? formatQuantity(value as Bytes) : String(value);

/** What was typed as an amount; empty is none. */
export function readAmount(of: LimitMeasure, text: string): { amount: number | null } | { problem: string } {
  if (text.trim() === '') return { amount: null };
  if (of !== 'bytes') {
    const plain = text.replace(/[,\s]/g, '');
    if (!/^\d{1,15}$/.test(plain)) return { problem: 'A whole number, as 40.' };
    return plain === '0' || Number(plain) === 0
      ? { problem: 'A limit must be above zero; leave it empty for none.' }
      : { amount: Number(plain) };
  }
  const size = parseQuantity(text);
  if (!size.ok) return { problem: quantityWords[size.problem] };
  return size.bytes === 0
    ? { problem: 'A limit must be above zero; leave it empty for none.' }
    : { amount: size.bytes };
}

const day = (at: number) => dayjs(at).format('D MMM YYYY');
const names = (of: readonly { name: string }[]): string =>
  of
    .slice(0, 3)
    .map((c) => c.name)
    .join(', ') + (of.length > 3 ? ` and ${of.length - 3} more` : '');
const claims = (n: number) => (n === 1 ? '1 waiting claim' : `${n} waiting claims`);

/** What a limit would do, one sentence each; the first is the one that matters most. */
export function effectWords(of: LimitMeasure, effect: LimitEffect): { text: string; warns: boolean }[] {
  const told: { text: string; warns: boolean }[] = [];
  const say = (text: string, warns = false) => told.push({ text, warns });
  if (of === 'snapshots') {
    say('The platform counts snapshots by itself: how many there are is seen there.');
    return told;
  }
  if (effect.over > 0)
    say(`Over at once, by ${amountText(of, effect.over)}: nothing is taken away, and nothing new binds.`, true);
  else if (effect.left !== null) say(`Leaves ${amountText(of, effect.left)}.`);
  const { runway } = effect;
  if (effect.over === 0 && effect.left !== null) {
    if (runway === null) say('When it is reached is not known yet: that takes a week of history.');
    else if (runway.kind === 'none') say('Not reached in two years, as it went in the last 60 days.');
    else if (runway.kind === 'meets') {
      const soon = runway.at - Date.now() < 30 * 24 * 3_600_000;
      const until = runway.to === null ? 'far later' : day(runway.to);
      say(`Reached about ${day(runway.at)}, as it went in the last 60 days (${day(runway.from)} to ${until}).`, soon);
    }
  }
  if (effect.frees.length > 0)
    say(`Lets ${claims(effect.frees.length)} bind, as far as pools do: ${names(effect.frees)}.`);
  if (effect.keeps.length > 0) say(`Does not reach for ${claims(effect.keeps.length)}: ${names(effect.keeps)}.`);
  return told;
}

const stateWords: Readonly<Record<LimitRequest['state'], string>> = {
  open: 'waits for an answer',
  granted: 'given',
  refused: 'not given',
  withdrawn: 'withdrawn',
  ended: 'ended',
};

/** What became of a request. */
export function requestWords(request: LimitRequest): string {
  const { state, granted, measure, endsAt, answeredBy, answer, asked } = request;
  const parts = [stateWords[state]];
  if (state === 'granted' && granted !== null) {
    if (granted < asked) parts[0] = `given in part, ${amountText(measure, granted)}`;
    if (endsAt !== null) parts.push(`until ${dayjs(endsAt).subtract(1, 'second').format('D MMM YYYY')}`);
  }
  if (answeredBy && state !== 'withdrawn') parts.push(`by ${answeredBy}`);
  return parts.join(' ') + (answer ? `: ${answer}` : '');
}
