import type { ApplicationRow, ApplicationSeen } from '@moorage/contract/applications';
import type { CopyState } from '@moorage/core/applications/application';
import type { Spread, SpreadAct } from '@moorage/core/applications/spread';
import { sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';

type Brief = ApplicationRow['points'][number];
type Point = ApplicationSeen['points'][number];

export const copyWords: Record<CopyState, string> = {
  'in-sync': 'in step',
  resyncing: 'brought up to date',
  stale: 'out of date',
  lost: 'lost',
};
export const copyMarks: Record<CopyState, MarkKind> = {
  'in-sync': 'settled',
  resyncing: 'progress',
  stale: 'degraded',
  lost: 'lost',
};

/** How many of the replicas that are wanted are ready; of pods whose owner says nothing, those that there are. */
export const wantedOf = ({ wanted, pods }: Pick<ApplicationRow, 'wanted' | 'pods'>): number => wanted ?? pods;

/** How an application stands, by its replicas alone. */
export function readyMark(row: Pick<ApplicationRow, 'wanted' | 'pods' | 'ready'>): MarkKind {
  const wanted = wantedOf(row);
  if (wanted === 0) return 'waiting';
  if (row.ready >= wanted) return 'settled';
  return row.ready === 0 ? 'person' : 'degraded';
}

type Pod = ApplicationSeen['replicas'][number];

export function podMark({ ready, deleting, node, why }: Pod): MarkKind {
  if (deleting) return 'progress';
  if (ready) return 'settled';
  return node === null && why !== null ? 'person' : 'waiting';
}

/** What a pod does, in a word or two. */
export function podWord({ ready, deleting, node, why, phase }: Pod): string {
  if (deleting) return 'ending';
  if (ready) return `runs on ${node ?? '?'}`;
  if (node === null) return why ?? 'waits for a node';
  return phase === 'Running' ? `not ready on ${node}` : `starting on ${node}`;
}

const thing = ({ level, name }: Pick<Brief, 'level' | 'name'>): string => `${level} ${name}`;

const stops: Record<Brief['leaves'], string> = {
  none: 'all',
  'no-more-than-half': 'half or more',
  'more-than-half': 'several',
};

/** A common point in a few words, for a cell. */
export function briefWords(point: Brief): string {
  if (point.of === 'copies') return `${thing(point)} holds all copies`;
  if (point.of === 'witness') return `${thing(point)} holds copy and witness`;
  return `${thing(point)} stops ${stops[point.leaves]}`;
}

/** The first two common points, and how many more there are. */
export function briefAll(points: readonly Brief[]): string {
  const shown = points.slice(0, 2).map(briefWords);
  const more = points.length - shown.length;
  return [...shown, ...(more > 0 ? [`${more} more`] : [])].join(', ');
}

const count = (n: number, one: string, many = `${one}s`): string =>
  n === 1 ? `1 ${one}` : `${n.toLocaleString('en-GB')} ${many}`;

/** What stops when it fails, and why. */
export function stopsWords(point: Point, replicas: number): string {
  if (point.of === 'copies')
    return `${count(point.claims.length, 'volume')}: every copy of ${point.claims.length === 1 ? 'it' : 'each'} is there`;
  if (point.of === 'witness')
    return `${count(point.claims.length, 'volume')}: the witness goes with the copy that it should outvote`;
  const data = point.pods.length - point.standing.length;
  const why = [
    ...(point.standing.length > 0 ? [`${point.standing.length} run there`] : []),
    ...(data > 0 ? [`${data} lose their data`] : []),
  ];
  return `${point.pods.length} of ${count(replicas, 'replica')}: ${why.join(', ')}`;
}

export const leavesWords: Record<Brief['leaves'], string> = {
  none: 'nothing runs',
  'no-more-than-half': 'no more than half runs',
  'more-than-half': 'more than half runs',
};

export function actWords(act: SpreadAct): string {
  switch (act.kind) {
    case 'pod':
      return `${act.pod} starts again on ${act.to}`;
    case 'copy':
      return `a copy of ${act.claim} goes from ${act.fromNode} to ${act.toNode}`;
    case 'witness':
      return `the witness of ${act.claim} goes to ${act.toNode}`;
    case 'volume':
      return `${act.claim} goes to ${act.to}`;
  }
}

/** Why a point stays. */
function noneWords(why: 'no-other' | 'no-room', { level }: Pick<Brief, 'level'>, classes: readonly string[]): string {
  if (level === 'pool' || level === 'backend')
    return `Its class (${classes.join(', ')}) is moored to no other ${level} that would take it`;
  return why === 'no-other'
    ? `There is no other ${level} that it could be on`
    : `No other ${level} has room for it now`;
}

/** What would take a point away, one thing a line, at most three; or why nothing does. */
export function spreadLines(
  spread: Spread,
  point: Pick<Brief, 'level'>,
  classes: readonly string[],
): readonly string[] {
  if (spread.kind === 'none') return [noneWords(spread.why, point, classes)];
  const shown = spread.acts.slice(0, 3).map(actWords);
  const more = spread.acts.length - shown.length;
  return [...shown, ...(more > 0 ? [`${more} more`] : [])];
}

/** What a change copies. */
export const copiedWords = (spread: Spread): string =>
  spread.kind === 'none' ? '–' : spread.bytes > 0 ? sizeText(spread.bytes) : 'nothing';
