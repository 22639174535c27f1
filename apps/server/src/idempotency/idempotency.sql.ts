import { statement } from '../database/statement';
import { runnerIsDead } from '../live/living.sql';

/** Takes a key, unless a call of this day has it whose server lives or that was answered. */
export const takeKey = statement<
  { key: string },
  [key: string, person: string, digest: string, lease: number | undefined]
>(
  `INSERT INTO idempotency AS i (key, person, digest, runner) VALUES ($1, $2, $3, $4)
   ON CONFLICT (key, person) DO UPDATE SET digest = excluded.digest, runner = excluded.runner, status = NULL, body = NULL, created_at = now()
   WHERE i.created_at < now() - interval '24 hours' OR (i.status IS NULL AND (i.runner IS NULL OR i.${runnerIsDead}))
   RETURNING key`,
);

/** Frees keys of a server that none of its calls works under: those given are `person key`. */
export const freeKeys = statement<object, [lease: number, mine: readonly string[]]>(
  `DELETE FROM idempotency WHERE runner = $1 AND status IS NULL AND NOT person || ' ' || key = ANY($2)`,
);

/** Forgets some keys that are older than a day. */
export const forgetKeys = statement<{ key: string }>(
  `DELETE FROM idempotency WHERE (key, person) IN (
     SELECT key, person FROM idempotency WHERE created_at < now() - interval '24 hours' ORDER BY created_at LIMIT 1000)
   RETURNING key`,
);
