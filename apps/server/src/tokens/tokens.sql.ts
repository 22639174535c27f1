import type { Role } from '@moorage/contract/people';
import { statement } from '../database/statement';

/** Whose a token is, as they are now, if it still reads; notes that it was used, once an hour. */
export const tokenOf = statement<
  { name: string; namespaces: string[] | null; role: Role; own: string[] },
  [digest: Buffer]
>(
  `WITH found AS (
     SELECT t.id, t.name, t.namespaces, t.used_at, p.role, p.namespaces AS own FROM read_tokens t JOIN people p ON p.name = t.person
     WHERE t.digest = $1 AND t.revoked_at IS NULL AND t.expires_at > now()
   ), noted AS (
     UPDATE read_tokens t SET used_at = now() FROM found f WHERE t.id = f.id AND (f.used_at IS NULL OR f.used_at < now() - interval '1 hour')
   )
   SELECT name, namespaces, role, own FROM found`,
);

/** Forgets some tokens that ended long ago. */
export const dropOldTokens = statement<object, [days: number]>(
  `DELETE FROM read_tokens WHERE id IN (SELECT id FROM read_tokens WHERE expires_at < now() - $1 * interval '1 day' ORDER BY expires_at LIMIT 1000)`,
);
