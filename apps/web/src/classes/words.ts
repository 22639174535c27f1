import type { Tunable } from '@moorage/core/classes/tunable';
import type { Purpose, StorageClass, Strategy } from '@moorage/core/classes/storage-class';
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

/** What becomes of what root on a node writes to a share. */
export const rootWords = { kept: 'stays root', mapped: 'becomes nobody' } as const;

export const tunableWords: Record<Tunable, string> = {
  copies: 'Copies',
  'iops-floor': 'IOPS floor',
  'iops-ceiling': 'IOPS ceiling',
  'throughput-floor': 'MB/s floor',
  'throughput-ceiling': 'MB/s ceiling',
};

export const strategyWords: Record<Strategy, string> = {
  'in-order': 'the first pool in order that fits',
  spread: 'the pool with most room left',
  pack: 'the pool that a claim fills best',
};

/** What a setting is called in a list of what differs. */
export const settingWords: Record<Exclude<keyof StorageClass, 'name'>, string> = {
  purpose: 'what it is meant for',
  copies: 'copies',
  shards: 'shards',
  level: 'how far apart copies lie',
  witness: 'witness',
  secondCopy: 'second copy',
  offsite: 'off-site copy',
  pinnedNodes: 'pinned nodes',
  zones: 'zones',
  locality: 'locality',
  strategy: 'strategy',
  iopsFloor: 'IOPS floor',
  iopsCeiling: 'IOPS ceiling',
  throughputFloor: 'throughput floor',
  throughputCeiling: 'throughput ceiling',
  writeShare: 'share of writes',
  latencyAimMs: 'latency aim',
  protocols: 'protocols',
  encrypted: 'encryption',
  volumeMode: 'volume mode',
  fileSystem: 'file system',
  mountOptions: 'mount options',
  root: 'root on nodes',
  compression: 'compression',
  deduplication: 'deduplication',
  reclaim: 'reclaim policy',
  graceDays: 'grace',
  binding: 'binding mode',
  expansion: 'growing',
  safeguard: 'safeguard',
  allowances: 'allowances',
};

export const purposeWords: Record<Purpose, string> = {
  anything: 'anything',
  databases: 'databases',
  'shared-files': 'files that many nodes write',
  scratch: 'scratch data',
};
