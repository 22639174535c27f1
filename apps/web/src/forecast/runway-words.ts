import type { RunwayEnd, RunwayRow } from '@moorage/contract/forecast';
import { sizeText } from '@moorage/core/sizes/display';
import dayjs from 'dayjs';

const dayMs = 24 * 3_600_000;

export const endWords: Readonly<Record<RunwayEnd, string>> = {
  limit: 'its limit',
  claims: 'its limit of claims',
  'iops-limit': 'its limit of IOPS',
  soft: 'its soft mark',
  hard: 'its hard mark',
  ceiling: 'its ceiling of promises',
  iops: 'what it can promise of IOPS',
  cap: 'the cap over it',
  pools: 'the hard mark of its last pool',
};
export const kindWords = { namespace: 'namespace', class: 'class', pool: 'pool', backend: 'backend' } as const;

const isIops = (end: RunwayEnd) => end === 'iops' || end === 'iops-limit';
/** A figure of a runway with its unit. */
export const usedText = (end: RunwayEnd, value: number): string =>
  isIops(end)
    ? `${Math.round(value).toLocaleString('en-GB')} IOPS`
    : end === 'claims'
      ? `${value.toLocaleString('en-GB', { maximumFractionDigits: 1 })} claims`
      : sizeText(Math.abs(value) < 1 ? 0 : value);
/** What comes each day. */
export const perDayText = (end: RunwayEnd, value: number | null): string => {
  if (value === null) return 'not known';
  const shown = usedText(end, Math.abs(value));
  if (/^0 /.test(shown) || value === 0) return 'nothing';
  return `${value < 0 ? '−' : '+'}${shown}`;
};

export const dayText = (at: number): string => dayjs(at).format('D MMM YYYY');

type Runway = RunwayRow['runway'];
/** When it is reached, in few words. */
export function runwayText(runway: Runway, now = Date.now()): string {
  if (runway === null) return 'not known yet';
  if (runway.kind === 'over') return 'reached';
  if (runway.kind === 'none') return 'not in two years';
  const days = Math.round((runway.at - now) / dayMs);
  return days <= 0 ? 'today' : days === 1 ? '1 day' : `${days.toLocaleString('en-GB')} days`;
}
/** The interval that most of what came before stays in. */
export function intervalText(runway: Runway): string {
  if (runway?.kind !== 'meets') return '';
  const [from, to] = [dayText(runway.from), runway.to === null ? 'far later' : dayText(runway.to)];
  return from === to ? '' : `${from} to ${to}`;
}

export const soonMs = 30 * dayMs;
/** Whether something is to be done now. */
export const isSoon = (runway: Runway, now = Date.now()): boolean =>
  runway?.kind === 'over' || (runway?.kind === 'meets' && runway.at - now < soonMs);

/** Where what a runway is of can be seen. */
export const placeOf = ({ kind, name }: Pick<RunwayRow, 'kind' | 'name'>): string =>
  ({
    namespace: `/namespaces?namespace=${encodeURIComponent(name)}`,
    class: `/classes/${encodeURIComponent(name)}`,
    pool: `/backends?pool=${encodeURIComponent(name)}`,
    backend: `/backends/${encodeURIComponent(name)}`,
  })[kind];

/** The key of a runway, as it stands in the address. */
export const keyOf = ({ kind, name, className, against }: RunwayRow): string =>
  [kind, name, className ?? '', against].join('/');
