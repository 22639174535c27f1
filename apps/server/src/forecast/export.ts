import type { Runways } from '@moorage/contract/forecast';
import { csvOf } from '../database/csv';

const momentOf = (at: number | null): string | null => (at === null ? null : new Date(at).toISOString());

/** Runways as CSV, what is reached first first. */
export const runwaysText = ({ rows }: Runways): string =>
  csvOf([
    ['kind', 'name', 'class', 'reaches', 'used', 'end', 'per_day', 'state', 'at', 'from', 'to'],
    ...rows.map(({ kind, name, className, against, used, end, perDay, runway }) => [
      ...[kind, name, className, against, used, end, perDay, runway?.kind ?? null],
      ...(runway?.kind === 'meets' ? [runway.at, runway.from, runway.to].map(momentOf) : [null, null, null]),
    ]),
  ]);
