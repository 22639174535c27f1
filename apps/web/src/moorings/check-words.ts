import type { Tunable } from '@moorage/core/classes/tunable';
import { tunableWords } from '../classes/words';
import type { checkSchema } from '@moorage/contract/claims';
import type { RuleName } from '@moorage/core/placement/rule';
import { sizeText } from '@moorage/core/sizes/display';
import type { z } from 'zod';

export type CheckData = z.infer<typeof checkSchema>;

/** Names of the rules as the trace shows them. */
export const ruleTitles: Record<RuleName, string> = {
  mooring: 'Mooring',
  grant: 'Grant',
  allowance: 'Allowance',
  backend: 'Backend',
  writable: 'Takes volumes',
  site: 'Site',
  'access-mode': 'Access mode',
  'volume-mode': 'Volume mode',
  protocol: 'Protocol',
  encryption: 'Encryption',
  reduction: 'Compression, deduplication',
  snapshots: 'Snapshots',
  offsite: 'Sends copies off site',
  expansion: 'Expansion',
  copies: 'Copies',
  'domain-level': 'Copies apart',
  witness: 'Witness',
  'pinned-nodes': 'Pinned nodes',
  topology: 'Topology',
  'size-limit': 'Largest volume',
  fill: 'Fill',
  subscription: 'Room to promise',
  'disk-room': 'Room on one disk',
  allotment: 'Allotment',
  'backend-cap': 'Cap of the backend',
  iops: 'IOPS floor',
  throughput: 'Throughput floor',
  'second-copy': 'Second copy',
  'offsite-copy': 'Off-site copy',
  'namespace-quota': 'Namespace quota',
  'class-quota': 'Class quota',
  'claims-limit': 'Limit of claims',
  'iops-limit': 'Limit of IOPS',
};

const percent = (share: number | string): string =>
  typeof share === 'number' ? `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %` : share;
const size = (value: number | string): string => (typeof value === 'number' ? sizeText(value) : value);
const rate = (value: number | string): string =>
  typeof value === 'number' ? `${Math.round(value).toLocaleString('en-GB')} IOPS` : value;

const claimWords = (value: number, more = ''): string =>
  value === 0 ? `no ${more}claims` : `${value.toLocaleString('en-GB')} ${more}${value === 1 ? 'claim' : 'claims'}`;
const megabytes = (value: number | string): string =>
  typeof value === 'number' ? `${Math.round(value / 1e6).toLocaleString('en-GB')} MB/s` : value;

/** One side of a check, with its unit. */
export function factText({ unit }: Pick<CheckData, 'unit'>, value: number | string): string {
  switch (unit) {
    case 'bytes':
      return size(value);
    case 'iops':
      return rate(value);
    case 'claims':
      return typeof value === 'number' ? claimWords(value) : value;
    case 'bytes-per-second':
      return megabytes(value);
    case 'share':
      return percent(value);
    case 'copies':
    case 'text':
      return String(value);
  }
}

/** What a claim tunes, in our word for the setting instead of its name in a manifest. */
const settingOf = (need: unknown): string =>
  String(need).replace(/^[a-z-]+/, (setting) => (setting in tunableWords ? tunableWords[setting as Tunable] : setting));

/** Why a check failed, in one sentence. */
export function failureSentence(check: CheckData): string {
  const { need, have } = check;
  switch (check.rule as RuleName) {
    case 'mooring':
      return have === 'none' ? 'The class is not moored to this pool.' : 'The mooring is turned off.';
    case 'grant':
      return `The class is kept for namespaces that were granted it; ${need} was not.`;
    case 'allowance':
      return have === 'not tunable'
        ? `Asks for ${settingOf(need)}; the class lets no claim tune that.`
        : `Asks for ${settingOf(need)}; the class allows ${have}.`;
    case 'reduction':
      return `The class wants ${need}; this pool offers ${have}.`;
    case 'snapshots':
      return 'The class takes snapshots; this pool has none.';
    case 'offsite':
      return 'The class keeps a copy at another site; this pool cannot send one.';
    case 'domain-level':
      return `Copies must lie in different ${need}s; this pool keeps them apart by ${have}.`;
    case 'witness':
      return `Two copies and a witness need ${need} failure domains that work; there are ${have}.`;
    case 'pinned-nodes':
      return typeof need === 'string'
        ? `Copies are pinned to ${need}; this pool has ${have}.`
        : `${need} copies on pinned nodes; ${have} of those nodes work in this pool.`;
    case 'backend':
      return have === 'unreachable' ? 'The backend does not answer.' : 'The backend says it is not healthy.';
    case 'writable':
      return have === 'gone' ? 'The backend no longer lists this pool.' : 'The backend has set the pool to read only.';
    case 'site':
      return `Reached from ${have}, and not from ${need}: it can keep off-site copies only.`;
    case 'access-mode':
      return String(have).includes('file')
        ? `${need} is not given in this volume mode.`
        : `Asks for ${need}; block storage gives one writer node.`;
    case 'volume-mode':
      return String(have).startsWith('class:')
        ? `Asks for ${need} mode; the class gives ${String(have).slice('class: '.length)} only.`
        : `Asks for ${need} mode; this pool gives ${have}.`;
    case 'protocol':
      return `The class asks for ${need}; this pool is reached by ${have}.`;
    case 'encryption':
      return 'The class wants encryption; this pool does not encrypt.';
    case 'expansion':
      return 'The class allows growing; volumes of this pool cannot grow.';
    case 'copies':
      if (typeof need === 'string') return `The class wants ${need} shards; this pool: ${have}.`;
      return `${need} copies need ${need} failure domains that work; there are ${have}.`;
    case 'topology':
      return `Must be reached from ${need}; offered: ${have}.`;
    case 'size-limit':
      return `${size(need)} is more than the largest volume here, ${size(have)}.`;
    case 'fill':
      return `Filled to ${percent(have)}; the hard mark is ${percent(need)}.`;
    case 'subscription':
      return Number(have) <= 0
        ? `Needs ${size(need)}; nothing is left to promise.`
        : `Needs ${size(need)}; ${size(have)} is left to promise.`;
    case 'disk-room':
      return `Each copy needs ${size(need)} on one disk; the emptiest disks have ${size(have)}.`;
    case 'allotment':
      return `Needs ${size(need)}; our allotment has ${size(have)} left.`;
    case 'backend-cap':
      return `Needs ${size(need)}; the cap over the backend has ${size(Math.max(0, Number(have)))} left.`;
    case 'iops':
      return `The floor costs ${rate(need)} in the pool; ${rate(Math.max(0, Number(have)))} can still be promised.`;
    case 'throughput':
      return `The floor costs ${megabytes(need)} in the pool; ${megabytes(Math.max(0, Number(have)))} can still be promised.`;
    case 'second-copy':
      return 'The class keeps a second copy on another backend; none that it is moored to would take it.';
    case 'offsite-copy':
      return 'The class keeps a copy at another site; no pool of another site that it is moored to would take it.';
    case 'namespace-quota':
      return `Needs ${size(need)}; the namespace may take ${size(Math.max(0, Number(have)))} more.`;
    case 'class-quota':
      return `Needs ${size(need)}; the namespace may take ${size(Math.max(0, Number(have)))} more of this class.`;
    case 'claims-limit':
      return `The namespace may have ${claimWords(Math.max(0, Number(have)), 'more ')} with a volume.`;
    case 'iops-limit':
      return `Reserves ${rate(need)}; the namespace may reserve ${rate(Math.max(0, Number(have)))} more.`;
  }
}

const shortFailures: Record<RuleName, string> = {
  mooring: 'off',
  grant: 'not granted',
  allowance: 'beyond allowance',
  backend: 'backend down',
  writable: 'read only',
  site: 'another site',
  'access-mode': 'one writer only',
  'volume-mode': 'volume mode',
  protocol: 'other protocol',
  encryption: 'not encrypted',
  reduction: 'no reduction',
  snapshots: 'no snapshots',
  offsite: 'no off-site copy',
  expansion: 'cannot grow',
  copies: 'too few domains',
  'domain-level': 'copies too near',
  witness: 'no witness domain',
  'pinned-nodes': 'pinned elsewhere',
  topology: 'zone',
  'size-limit': 'too large',
  fill: 'too full',
  subscription: 'no room',
  'disk-room': 'no disk has room',
  allotment: 'allotment used up',
  'backend-cap': 'cap reached',
  iops: 'IOPS promised',
  throughput: 'MB/s promised',
  'second-copy': 'no second backend',
  'offsite-copy': 'nowhere off site',
  'namespace-quota': 'over quota',
  'class-quota': 'over class quota',
  'claims-limit': 'too many claims',
  'iops-limit': 'over IOPS limit',
};
/** Two or three words for a grid cell. */
export const failureShort = (check: Pick<CheckData, 'rule' | 'have'>): string =>
  check.rule === 'access-mode' && String(check.have).includes('file')
    ? 'mode not given'
    : shortFailures[check.rule as RuleName];
