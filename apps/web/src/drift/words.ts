import type { DriftRow } from '@moorage/contract/drift';
import { sizeText } from '@moorage/core/sizes/display';

type Told = Pick<DriftRow, 'kind' | 'declared' | 'actual' | 'backend' | 'pool'>;

const size = (value: DriftRow['actual']): string => sizeText(Number(value ?? 0));
const rate = (value: DriftRow['actual'], unit: string): string =>
  value === null ? 'none' : `${Number(value).toLocaleString('en-GB')} ${unit}`;

const sentences: Readonly<Record<DriftRow['kind'], (of: Told) => string>> = {
  'not-on-backend': ({ backend }) => `${backend} does not list the volume any more.`,
  'not-on-platform': () => 'The platform has no persistent volume for it any more.',
  handle: ({ declared, actual }) => `The platform says it is ${actual}; its claim was given ${declared}.`,
  pool: ({ declared, actual }) => `It is on ${actual}; it was put on ${declared}.`,
  'pool-not-allowed': ({ declared }) => `Its class is not moored to ${declared} any more.`,
  smaller: ({ declared, actual }) => `It has ${size(actual)} of the ${size(declared)} that its claim was given.`,
  larger: ({ declared, actual }) => `It has ${size(actual)}; ${size(declared)} are counted.`,
  'copies-fewer': ({ declared, actual }) => `${actual} of the ${declared} copies that its class asks are there.`,
  'copies-more': ({ declared, actual }) => `${actual} copies are kept; its class asks for ${declared}.`,
  encryption: () => 'It is not encrypted; its class says so.',
  'iops-ceiling': ({ declared, actual }) =>
    `Its IOPS ceiling is ${rate(actual, 'IOPS')}; ${rate(declared, 'IOPS')} is declared.`,
  'throughput-ceiling': ({ declared, actual }) =>
    `Its throughput ceiling is ${rate(actual, 'MB/s')}; ${rate(declared, 'MB/s')} is declared.`,
  'size-told': ({ declared, actual }) => `The platform says ${size(actual)}; it has ${size(declared)}.`,
  reclaim: ({ declared, actual }) =>
    `At its claim's end the platform would ${actual === 'Delete' ? 'let it be destroyed' : 'keep it'}; its class says ${declared}.`,
};

/** What differs, from both sides, in one sentence. */
export const driftSentence = (drift: Told): string => sentences[drift.kind](drift);

export const kindTitles: Readonly<Record<DriftRow['kind'], string>> = {
  'not-on-backend': 'not on its backend',
  'not-on-platform': 'not on the platform',
  handle: 'another volume named',
  pool: 'on another pool',
  'pool-not-allowed': 'pool not moored',
  smaller: 'smaller',
  larger: 'larger',
  'copies-fewer': 'copies missing',
  'copies-more': 'copies too many',
  encryption: 'not encrypted',
  'iops-ceiling': 'IOPS ceiling',
  'throughput-ceiling': 'throughput ceiling',
  'size-told': 'size told wrong',
  reclaim: 'reclaim policy',
};

export const byWords: Readonly<Record<DriftRow['by'], string>> = {
  backend: "the backend's doing",
  platform: 'somebody on the platform',
  ours: 'a change made here',
};

const remedyWords: Readonly<
  Record<Exclude<DriftRow['remedy'], null>, (of: Pick<DriftRow, 'kind' | 'declared'>) => string>
> = {
  'write-volume': () => 'Write it again',
  'count-as-it-is': () => 'Count it as it is',
  'grow-again': () => 'Grow it again',
  'set-ceilings': () => 'Set the ceiling again',
  'tell-platform': ({ kind, declared }) =>
    kind === 'reclaim' ? `Set it to ${declared}` : 'Tell the platform its size',
};
/** Where the product cannot put it right itself: what to do. */
const otherwise: Partial<Record<DriftRow['kind'], string>> = {
  'not-on-backend': 'Look on the backend, or restore it from a copy.',
  handle: 'Look which of the two has the data before anything is changed.',
  'pool-not-allowed': 'Moor the pool again, or move the claim by a successor class.',
  'copies-fewer': 'Look at the disks and nodes of its pool.',
  'copies-more': 'Take the copy away on the backend, once it is known why it is there.',
  encryption: 'Only a new volume on a pool that encrypts puts this right.',
};

/** The act that puts it right, or what a person has to do. */
export const remedyOf = (
  drift: Pick<DriftRow, 'remedy' | 'kind' | 'declared'>,
): { readonly act: string } | { readonly todo: string } =>
  drift.remedy === null ? { todo: otherwise[drift.kind] ?? '' } : { act: remedyWords[drift.remedy](drift) };

/** Somebody may have kept it so on purpose, to save the data: that is not undone among many others. */
export const isMeant = ({ kind, actual }: Pick<DriftRow, 'kind' | 'actual'>): boolean =>
  kind === 'reclaim' && actual === 'Retain';
