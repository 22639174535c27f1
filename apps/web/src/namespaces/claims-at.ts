import type { UseColumn } from '@moorage/contract/usage';

/** Where the claims of a cell are listed. */
export const claimsAt = (namespace: string, of: UseColumn, column: string): string => {
  const query = new URLSearchParams({ namespace });
  if (column !== '') query.set(of === 'class' ? 'class' : 'q', column);
  return `/claims?${query.toString()}`;
};
