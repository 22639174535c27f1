import { Refusal } from '../refusals/refusal';
import { isKeepable } from './keepable';

/** Where a page ended, in a list that goes on after a value and a uid. */
export interface Cursor<Sort extends string> {
  /** Which list it goes on in: a value of one order means nothing in another. */
  readonly sort: Sort;
  readonly value: string;
  readonly uid: string;
}

export const cursorText = <Sort extends string>(cursor: Cursor<Sort>): string =>
  Buffer.from(JSON.stringify(cursor)).toString('base64url');

/** The cursor of a text that this server gave for that order; refused when it is none. */
export function readCursor<Sort extends string>(
  text: string | undefined,
  of: Sort,
  isValue: (value: string) => boolean,
): Cursor<Sort> | undefined {
  if (!text) return undefined;
  try {
    const { sort, value, uid } = JSON.parse(Buffer.from(text, 'base64url').toString('utf8')) as Cursor<Sort>;
    if (sort === of && typeof uid === 'string' && isKeepable(uid) && typeof value === 'string' && isValue(value))
      return { sort, value, uid };
  } catch {
    // told below
  }
  throw Refusal.invalid('cursor', 'The cursor is not one that this server gave. Begin again without it.');
}

export const isTimeText = (value: string): boolean =>
  /^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d{1,6})?\+00$/.test(value) &&
  !Number.isNaN(Date.parse(value.replace(' ', 'T').replace('+00', 'Z')));
export const isCountText = (value: string): boolean => /^-?\d{1,15}$/.test(value);

/** A text as the part of a pattern that is looked for anywhere. */
export const anywhere = (text: string): string => `%${text.replace(/[\\%_]/g, '\\$&')}%`;
