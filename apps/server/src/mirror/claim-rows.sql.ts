/**
 * Claims as the view `c` tells of them, for the rows `k` of a query that names them by `claim_uid`. Each is read by its keys: the view
 * is never joined with all that it is made of, however many rows are expected.
 */
export const claimsOf = (rows: string): string =>
  `(${rows}) k CROSS JOIN LATERAL (SELECT * FROM claims v WHERE v.uid = k.claim_uid OFFSET 0) c`;
