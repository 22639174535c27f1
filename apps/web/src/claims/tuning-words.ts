import type { Rates, TuningAnswer } from '@moorage/contract/tuning';
import type { Allowance } from '@moorage/core/classes/tunable';
import { failureSentence } from '../moorings/check-words';

const rate = (value: number | null, unit: string): string =>
  value === null ? 'none' : `${value.toLocaleString('en-GB')} ${unit}`;

/** What is wrong with a typed value; nothing typed is as the class has it. */
export function tuningProblemOf(text: string, { minimum, maximum }: Allowance): string | undefined {
  const trimmed = text.trim();
  if (trimmed === '') return undefined;
  if (!/^\d{1,9}$/.test(trimmed)) return 'A whole number is needed.';
  const value = Number(trimmed);
  if (value < minimum || value > maximum)
    return `The class allows ${minimum.toLocaleString('en-GB')} to ${maximum.toLocaleString('en-GB')}.`;
  return undefined;
}

/** Whether it can be, and why not. */
export function tuningSentence({ tuning }: TuningAnswer): { readonly fits: boolean; readonly text: string } {
  switch (tuning.kind) {
    case 'pool-gone':
      return { fits: false, text: `The pool ${tuning.pool} that its volume lies on is not known any more.` };
    case 'floor-above-ceiling': {
      const unit = tuning.of === 'IOPS' ? 'IOPS' : 'MB/s';
      return {
        fits: false,
        text: `A floor of ${rate(tuning.floor, unit)} is above the ceiling of ${rate(tuning.ceiling, unit)}: the pool would have to give more than it lets through.`,
      };
    }
    case 'reckoned': {
      if (tuning.fits)
        return { fits: true, text: 'In force at once; no pod has to start again, and nothing of its data moves.' };
      const failed = tuning.on.flatMap(({ pool, checks }) =>
        checks.filter((c) => !c.passed).map((check) => ({ pool, check })),
      )[0]!;
      return { fits: false, text: `${failed.pool}: ${failureSentence(failed.check)}` };
    }
  }
}

/** Each rate now and then; then is not known where nothing could be reckoned. */
export function rateRowsOf(now: Rates, then: Rates | undefined): { what: string; now: string; then: string }[] {
  const rows = [
    ['IOPS floor', 'iopsFloor', 'IOPS'],
    ['IOPS ceiling', 'iopsCeiling', 'IOPS'],
    ['Throughput floor', 'throughputFloor', 'MB/s'],
    ['Throughput ceiling', 'throughputCeiling', 'MB/s'],
  ] as const;
  return rows.map(([what, member, unit]) => ({
    ...{ what, now: rate(now[member] || null, unit) },
    then: then ? rate(then[member] || null, unit) : '–',
  }));
}

/** Each rate of a claim that is to be tuned. */
export const rateRows = ({ now, tuning }: TuningAnswer) =>
  rateRowsOf(now, tuning.kind === 'reckoned' ? tuning.rates : undefined);
