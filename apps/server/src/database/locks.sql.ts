import { statement } from './statement';

// Locks of a transaction, by what they stand for; each number is used once. They end with the transaction.
const one = (number: number) => statement(`SELECT pg_advisory_xact_lock(${number}, 1)`);
const byName = (number: number) =>
  statement<object, [name: string]>(`SELECT pg_advisory_xact_lock(${number}, hashtext($1))`);

/** Servers that start together bring the database up to date one after the other. */
export const lockMigrations = one(4410);
/** Two claims of one namespace must not both see its last free bytes. */
export const lockNamespace = byName(4413);
/** The same of many, in one order whoever asks. */
export const lockNamespaces = statement<object, [names: readonly string[]]>(
  `SELECT pg_advisory_xact_lock(4413, h) FROM (SELECT DISTINCT hashtext(n) AS h FROM unnest($1::text[]) n ORDER BY h LIMIT 5000) s`,
);
/** Moorings of one class change one after the other, so that orders stay whole. */
export const lockMoorings = byName(4414);
/** Grants of one class change one after the other. */
export const lockGrants = byName(4415);
/** Backends that tell of themselves at the same moment must not take one identifier for two pools. */
export const lockPoolNames = one(4416);
/** Of two that register one backend at the same moment, the second finds the first. */
export const lockIdentity = byName(4417);
/** While the sums of a day are made, nothing is noted that might be dated before it. */
export const lockUseDays = one(4418);
