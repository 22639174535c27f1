import type { BucketKey, BucketRow, BucketWait } from '@moorage/contract/buckets';
import { displaySize, sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';

export const waitWords: Readonly<Record<BucketWait, string>> = {
  class: 'its bucket class is not there, or cannot be read',
  limit: 'nobody says how much it may hold',
  capacity: 'no pool of its class takes it',
  existing: 'the kept bucket that it names is not to be had',
  'other-driver': 'made by the driver of its class, not by us',
};

/** How a bucket stands, as a mark and in words. */
export function stateOf(row: BucketRow): { readonly mark: MarkKind; readonly words: string } {
  if (row.missingSince !== null && (row.state === 'ready' || row.state === 'kept'))
    return { mark: 'person', words: 'gone from its backend' };
  switch (row.state) {
    case 'ready':
      return row.isShut
        ? { mark: 'person', words: 'full: nothing can be written' }
        : { mark: 'settled', words: 'ready' };
    case 'making':
      return row.problem === null
        ? { mark: 'progress', words: 'is being made' }
        : { mark: 'degraded', words: `tried again: ${row.problem}` };
    case 'waiting':
      return {
        // nobody here has to do anything about what others make
        mark: row.waitsFor === 'other-driver' ? 'waiting' : 'person',
        words: row.waitsFor ? waitWords[row.waitsFor] : 'waits',
      };
    case 'stopped':
      return { mark: 'person', words: row.problem ?? 'stopped' };
    case 'closing':
      return { mark: 'progress', words: 'its claim is gone: its keys are being taken back' };
    case 'kept':
      return { mark: 'adrift', words: 'kept without a claim' };
    case 'emptying':
      return { mark: 'progress', words: 'is being emptied' };
  }
}

export const keyWords: Readonly<Record<BucketKey['state'], { readonly mark: MarkKind; readonly words: string }>> = {
  granted: { mark: 'settled', words: 'granted' },
  making: { mark: 'progress', words: 'is being made' },
  waiting: { mark: 'waiting', words: 'waits for its bucket' },
  stopped: { mark: 'person', words: 'stopped' },
};

const many = (n: number, one: string, more = `${one}s`): string =>
  `${n.toLocaleString('en-GB')} ${n === 1 ? one : more}`;
const sum = (rows: readonly BucketRow[], of: (row: BucketRow) => number | null): number =>
  rows.reduce((total, row) => total + (of(row) ?? 0), 0);

/** All that is shown, in a sentence. */
export function totalsSentence(rows: readonly BucketRow[]): string {
  if (rows.length === 0) return 'Nobody asked for a bucket yet.';
  const placed = rows.filter((r) => r.pool !== null);
  const of = (state: BucketRow['state']) => rows.filter((r) => r.state === state).length;
  const [waiting, kept, lost, shut] = [
    of('waiting') + of('stopped') - rows.filter((r) => r.waitsFor === 'other-driver').length,
    of('kept'),
    rows.filter((r) => r.missingSince !== null).length,
    rows.filter((r) => r.isShut && r.missingSince === null).length,
  ];
  const rest = [
    waiting > 0 && `${waiting} ${waiting === 1 ? 'waits' : 'wait'}`,
    lost > 0 && `${lost} ${lost === 1 ? 'is' : 'are'} gone from the backend`,
    shut > 0 && `${shut} ${shut === 1 ? 'is' : 'are'} full`,
    kept > 0 && `${kept} ${kept === 1 ? 'is' : 'are'} kept without a claim`,
  ].filter(Boolean);
  return `${many(rows.length, 'bucket')}: ${sizeText(sum(placed, (r) => r.written))} written of ${sizeText(sum(placed, (r) => r.limit))} promised${rest.length > 0 ? `; ${rest.join(', ')}` : ''}.`;
}

/** Share of what a bucket may hold that is written; undefined before it was counted. */
export const fillOf = ({ written, limit }: BucketRow): number | undefined =>
  written === null || !limit ? undefined : written / limit;

/** What deleting a bucket's claim brings about. */
export function deletionSentence(row: BucketRow): { readonly text: string; readonly destroys: boolean } {
  const held =
    row.objects === null
      ? 'whatever lies in it, which was not counted yet'
      : `${many(row.objects, 'object')} of ${sizeText(row.written ?? 0)}`;
  const keys =
    row.keys > 0
      ? ` ${many(row.keys, 'key opens', 'keys open')} nothing any more, and ${row.keys === 1 ? 'its secret goes' : 'their secrets go'}.`
      : '';
  if (row.bucket === null) return { text: 'No bucket was made for it yet: nothing else goes.', destroys: false };
  if (row.deletion !== 'Delete')
    return {
      text: `Its bucket is kept with ${row.objects === 0 ? 'nothing in it' : held}; its ${sizeText(row.limit ?? 0)} stay promised.${keys}`,
      destroys: false,
    };
  if (row.objects === 0) return { text: `Its bucket is empty, and is removed.${keys}`, destroys: false };
  return {
    text: `Its bucket is emptied and removed: ${held} ${row.objects === 1 ? 'is' : 'are'} destroyed for good.${keys}`,
    destroys: true,
  };
}

/** Where a bucket would go, and what that promises and costs. */
export function landingSentence(
  at: { readonly pool: string; readonly runnerUp?: string; readonly provisioned: number; readonly raw: number },
  asked: number,
  price: number | null,
  currency: string,
): string {
  const more =
    at.provisioned > asked
      ? ` (asked ${sizeText(asked)}; the pool gives whole ${displaySize(at.provisioned).unit})`
      : '';
  const cost = price === null ? '' : ` About ${price.toFixed(2)} ${currency} a month.`;
  const next = at.runnerUp ? ` ${at.runnerUp} would be next.` : ' No other pool would take it.';
  return `It would land on ${at.pool}: ${sizeText(at.provisioned)} promised${more}, ${sizeText(at.raw)} of the pool's raw bytes.${next}${cost}`;
}
