import type { History } from '@moorage/contract/history';
import { sizeText } from '@moorage/core/sizes/display';
import { durationText } from '../clusters/words';

/** What can be drawn over time. */
export const drawings = ['bytes', 'iops', 'throughput', 'latency'] as const;
export type Drawing = (typeof drawings)[number];
export const drawingWords: Record<Drawing, string> = {
  bytes: 'bytes',
  iops: 'IOPS',
  throughput: 'throughput',
  latency: 'latency',
};

const dayMs = 24 * 3_600_000;
/** How far back a chart goes, by its name in the address. */
export const ranges = {
  '4h': ['4 hours', dayMs / 6],
  '1d': ['a day', dayMs],
  '1w': ['a week', 7 * dayMs],
  '1m': ['a month', 30 * dayMs],
  '60d': ['60 days', 60 * dayMs],
  '1y': ['a year', 365 * dayMs],
} as const;
export type Range = keyof typeof ranges;
export const isRange = (text: string): text is Range => text in ranges;

export const stepWords: Record<History['step'], string> = {
  '1m': 'minutes',
  '5m': 'five minutes',
  '1h': 'hours',
  '1d': 'days',
};

type Event = History['events'][number];

/** How long what failed lasted, after what it did. */
const lasted = ({ at, until }: Event, was: string, is: string): string =>
  until === null ? `${is} since then` : `${was} for ${durationText((until - at) / 1000)}`;

const changed = ({ changes }: Event): string =>
  changes.map(({ name, from, to }) => `${name} from ${from ?? 'nothing'} to ${to ?? 'nothing'}`).join(', ');

/** What happened, in a sentence. */
export function eventSentence(event: Event): string {
  const { kind, subject, from, to, fromPool, toPool, backend } = event;
  switch (kind) {
    case 'silent':
      return `backend ${subject} ${lasted(event, 'was silent', 'is silent')}`;
    case 'ill':
      return `backend ${subject} ${lasted(event, 'reported that it was not well', 'reports that it is not well')}`;
    case 'node':
      return `node ${subject} of ${backend} ${lasted(event, 'was down', 'is down')}`;
    case 'disk':
      return `disk ${subject} of ${backend} ${lasted(event, 'did not work', 'does not work')}`;
    case 'class':
      return `class ${subject} was changed: ${changed(event)}`;
    case 'mooring':
      return fromPool === null
        ? `${subject} was moored to ${toPool}`
        : toPool === null
          ? `${subject} was moored to ${fromPool} no longer`
          : `mooring of ${subject} to ${toPool} was changed: ${changed(event)}`;
    case 'made':
      return `${subject} was asked for${to === null ? '' : `, ${sizeText(to)}`}`;
    case 'grown':
      return `${subject} grew from ${sizeText(from ?? 0)} to ${sizeText(to ?? 0)}`;
    case 'moved':
      return `${subject} moved from ${fromPool} to ${toPool}`;
    case 'gone':
      return `${subject} was deleted${from ? `, ${sizeText(from)}` : ''}`;
    case 'limit':
      return `limit${subject === '' ? '' : ` of ${subject}`} set to ${sizeText(to ?? 0)}`;
  }
}

/** How many spans were not told of, since the first that was; those that last still are none. */
export const gapsOf = ({ written, at, to }: History): number => {
  const first = written.mean.findIndex((v) => v !== null);
  const wide = at.length > 1 ? at[1]! - at[0]! : 0;
  // they are rolled up a little after they are over
  const over = Date.parse(to) - wide - 120_000;
  return first < 0 ? 0 : written.mean.filter((v, i) => i > first && v === null && at[i]! <= over).length;
};

/** Moments for the axis: as many as have room, evenly. */
export const ticksOf = (at: readonly number[], most = 9): number[] => {
  const stride = Math.max(1, Math.ceil(at.length / most));
  return at.filter((_, i) => i % stride === 0);
};

type EventKind = Event['kind'];
/** What lasts: drawn from when until when. */
export const isFailure = (kind: EventKind): boolean => ['silent', 'ill', 'node', 'disk'].includes(kind);
/** Which line stands for what happened at a moment. */
export const lineOf = (kind: EventKind): 'claim' | 'limit' | 'class' =>
  kind === 'limit' ? 'limit' : kind === 'class' || kind === 'mooring' ? 'class' : 'claim';
