import type { Found } from '@moorage/contract/lookup';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';
import { lookFor } from './lookup.sql';

/** What has a text in its name or in an identifier of either world, as far as one may see it. */
export async function lookUp(database: Database, sight: Sight, q: string): Promise<Found[]> {
  const escaped = q.replace(/[\\%_]/g, '\\$&');
  return lookFor(database, `%${escaped}%`, `${escaped}%`, q, sight.namespaces);
}
