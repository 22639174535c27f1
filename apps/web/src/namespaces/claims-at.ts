import type { UseColumn } from '@moorage/contract/usage';

/** Where the claims of a cell are listed. */
export const claimsAt = (namespace: string, of: UseColumn, column: string, isPast: boolean): string => {
  const query = new URLSearchParams({ namespace });
  // of the past each is asked for by itself; a tier is none of a claim's own names
  const key =
    of === 'class' ? 'class' : isPast ? (of === 'tier' || of === 'pod' ? null : of) : of === 'pod' ? null : 'q';
  if (column !== '' && key !== null) query.set(key, column);
  return `/claims?${query.toString()}`;
};
