import type { LiveEvent } from '@moorage/contract/live';
import type { Database } from '../database/database';
import { notifyAll } from './announce.sql';

export const liveChannel = 'moorage_live';
export const workChannel = 'moorage_work';
/** Carries the keys of the event streams of sessions that were ended. */
export const endedChannel = 'moorage_ended';

/** Events as they are sent, each once. */
export const payloadsOf = (events: readonly LiveEvent[]): string[] => [
  ...new Set(events.map((event) => JSON.stringify(event))),
];

/** Tells every server, and through them every open page, what changed. Inside a transaction it is sent with its commit, each event once. */
export async function announce(database: Database, events: readonly LiveEvent[]): Promise<void> {
  if (events.length > 0) await database.gather(payloadsOf(events), send);
}

const send = async (database: Database, payloads: readonly string[]): Promise<void> => {
  await notifyAll(database, liveChannel, payloads);
};
