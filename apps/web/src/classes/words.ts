import type { Tunable } from '@moorage/core/classes/allowance';
import type { Purpose } from '@moorage/core/classes/storage-class';
import type { RateTerm } from '@moorage/core/performance/term';

const n = (value: number): string => value.toLocaleString('en-GB');

/** A rate term as words: "12 per GiB, 600 to 15,000". */
export function rateText(term: RateTerm | undefined, unit = 'IOPS'): string {
  if (!term) return 'none';
  if (term.kind === 'fixed') return `${n(term.value)} ${unit}`;
  const { perGiB, minimum, maximum } = term;
  const bounds =
    minimum !== undefined && maximum !== undefined
      ? `, ${n(minimum)} to ${n(maximum)}`
      : minimum !== undefined
        ? `, at least ${n(minimum)}`
        : maximum !== undefined
          ? `, at most ${n(maximum)}`
          : '';
  return `${n(perGiB)} per GiB${bounds}`;
}

export const tunableWords: Record<Tunable, string> = {
  copies: 'Copies',
  'iops-floor': 'IOPS floor',
  'iops-ceiling': 'IOPS ceiling',
  'throughput-floor': 'MB/s floor',
  'throughput-ceiling': 'MB/s ceiling',
};

export const purposeWords: Record<Purpose, string> = {
  anything: 'anything',
  databases: 'databases',
  'shared-files': 'files that many nodes write',
  scratch: 'scratch data',
};
