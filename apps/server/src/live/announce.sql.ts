import { statement } from '../database/statement';

/** Tells every server that listens; inside a transaction at its commit. */
export const notifyAll = statement<object, [channel: string, payloads: readonly string[]]>(
  'SELECT pg_notify($1, unnest($2::text[]))',
);
