import { provisioner } from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { findStranded } from '../operations/operations';
import { beginBinding, beginRelease, noteBound } from './begin';
import { endGraces, forgottenClaims, reservedAfter, unheardBound, waitingFits } from './binder.sql';
import type { Helped } from './waking';

/** How many reservations a turn looks at: what holds them notes that they go, and this finds what was missed. */
const reservedAtOnce = 1000;

/** Everything that should be moving and is not; the watching server asks now and then. Bounded, whatever there is. */
export class Forgotten {
  /** How far the round of reservations has come. */
  private reached = '';

  constructor(private readonly database: Database) {}

  find = async (): Promise<string[]> => {
    const { database } = this;
    const claims = (await forgottenClaims(database, provisioner)).map((c) => c.uid);
    const begun = claims.length > 0 ? await beginBinding(database, claims) : [];
    const reserved = await reservedAfter(database, this.reached, reservedAtOnce);
    const left = reserved.filter((r) => r.orphan).map((r) => r.claim_uid);
    const released = left.length > 0 ? await beginRelease(database, left) : [];
    this.reached = reserved.length === reservedAtOnce ? reserved.at(-1)!.claim_uid : '';
    // volumes whose grace has ended: the platform is asked once more before anything is destroyed
    const ended = await endGraces(database);
    released.push(...ended.map((e) => e.id));
    const written = (await unheardBound(database)).map((w) => w.subject);
    if (written.length > 0) await noteBound(database, written);
    return [...begun, ...released, ...(await findStranded(database, 500))];
  };
}

/**
 * Claims that wait because nothing fits, in pages by id. With `helped`, only those that such a change can help: whose class is
 * moored there, whose namespace or class it is.
 */
export async function findWaiting(
  database: Database,
  limit: number,
  after: string | undefined,
  { pool, backend, namespace, className }: Helped = {},
): Promise<string[]> {
  return (await waitingFits(database, limit, after, pool, backend, namespace, className)).map((r) => r.id);
}

/** Claims that wait because nothing fits and that a change can help, in pages, for another decision. */
export async function* waitingClaims(database: Database, helped: Helped): AsyncGenerator<string[]> {
  let after: string | undefined;
  for (;;) {
    const page = await findWaiting(database, 200, after, helped);
    if (page.length === 0) return;
    yield page;
    after = page[page.length - 1];
  }
}
