import type { Database } from '../database/database';
import { purgeFailures } from '../people/brake';
import { dropOldTokens } from './tokens.sql';

/** Days that an ended token is still told of. */
const toldDays = 30;

/** Forgets what has had its time. */
export async function tidyPeople(database: Database): Promise<void> {
  await purgeFailures(database);
  await dropOldTokens(database, toldDays);
}
