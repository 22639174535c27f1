import type { DesignProblem } from '@moorage/core/clusters/design';
import type { DomainLevel, InventoryDisk, Unfit } from '@moorage/core/clusters/disk';
import type { LeavingProblem } from '@moorage/core/clusters/reshape';
import type { Scheme } from '@moorage/core/capacity/usable';
import { sizeText } from '@moorage/core/sizes/display';

export const unfitWords: Record<Unfit, string> = {
  system: 'holds the system of its node',
  mounted: 'holds a file system that is mounted',
  partitioned: 'has partitions; its data is not ours to destroy',
  owned: 'belongs to a pool already',
  nameless: 'has no lasting identifier: its name may change at the next start',
  broken: 'does not work',
  failing: 'expects to fail soon',
  worn: 'is nearly worn out',
  'too-small': 'is smaller than 100 GiB',
};

/** What the disk is used for, or why it must not be. */
export function diskWords(disk: InventoryDisk, why: Unfit | undefined): string {
  if (why === 'owned') return `in ${disk.owner ?? 'a pool'}${disk.works ? '' : ', does not work'}`;
  return why === undefined ? 'free' : unfitWords[why];
}

export const levelWords: Record<DomainLevel, readonly [one: string, many: string]> = {
  node: ['node', 'nodes'],
  rack: ['rack', 'racks'],
  zone: ['zone', 'zones'],
};

export const schemeText = (scheme: Scheme): string =>
  scheme.kind === 'copies'
    ? `${scheme.copies} ${scheme.copies === 1 ? 'copy' : 'copies'}`
    : `${scheme.data}+${scheme.parity}`;

const cores = (n: number): string => `${n.toLocaleString('en-GB')} ${n === 1 ? 'core' : 'cores'}`;

export function problemSentence(problem: DesignProblem): string {
  switch (problem.code) {
    case 'unfit-disk':
      return `${problem.disk} in ${problem.node} ${unfitWords[problem.why]}.`;
    case 'unknown-disk':
      return `${problem.disk} is no longer there.`;
    case 'two-roles':
      return `${problem.disk} is chosen for data and for metadata.`;
    case 'too-few-domains':
      return `Needs ${problem.need} ${levelWords[problem.level][1]}; disks are chosen in ${problem.have}.`;
    case 'mixed-media':
      return `Mixes ${problem.media.join(' and ')}: the slower ones set the pace.`;
    case 'slow-metadata':
      return `${problem.disk} in ${problem.node} is too slow for metadata.`;
    case 'metadata-domains':
      return `Metadata needs disks in ${problem.need} failure domains; they are in ${problem.have}.`;
    case 'metadata-small':
      return `Metadata will need about ${sizeText(problem.need)}; its disks have ${sizeText(problem.have)}.`;
    case 'short-of-memory':
      return `${problem.node} has ${sizeText(Math.max(0, problem.have))} of memory free; ${sizeText(problem.need)} are needed.`;
    case 'short-of-cores':
      return `${problem.node} has ${cores(Math.max(0, problem.have))} free; ${cores(problem.need)} are needed.`;
  }
}

export function leavingSentence(problem: LeavingProblem, level: DomainLevel): string {
  switch (problem.code) {
    case 'too-few-domains':
      return `Its protection needs ${problem.need} ${levelWords[level][1]}; ${problem.have} would be left.`;
    case 'too-small':
      return `${sizeText(problem.need)} is written; ${sizeText(problem.have)} could be kept then: ${sizeText(problem.need - problem.have)} short.`;
    case 'copy-homeless':
      return `A copy of ${problem.volume} needs ${sizeText(problem.need)} in another ${levelWords[level][0]}; the best disk has ${sizeText(problem.have)} left.`;
  }
}

/** Seconds as people say them. */
export function durationText(seconds: number): string {
  if (seconds < 1) return 'at once';
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  if (seconds < 172_800) return `${(seconds / 3600).toFixed(seconds < 36_000 ? 1 : 0)} h`;
  return `${Math.round(seconds / 86_400)} days`;
}
