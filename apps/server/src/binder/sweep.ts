import { provisioner } from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { findStranded, type Helped, findWaiting } from '../operations/operations';
import { beginBinding, beginRelease, noteBound } from './begin';
import { forgottenClaims, orphans, endGraces, unheardBound } from './binder.sql';

/** Everything that should be moving and is not; the watching server asks now and then. Bounded. */
export async function findForgotten(database: Database): Promise<string[]> {
  const claims = await forgottenClaims(database, provisioner);
  const begun =
    claims.length > 0
      ? await beginBinding(
          database,
          claims.map((c) => c.uid),
        )
      : [];
  const left = await orphans(database);
  const released =
    left.length > 0
      ? await beginRelease(
          database,
          left.map((o) => o.claim_uid),
        )
      : [];
  // volumes whose grace has ended: the platform is asked once more before anything is destroyed
  const ended = await endGraces(database);
  released.push(...ended.map((e) => e.id));
  const written = await unheardBound(database);
  if (written.length > 0)
    await noteBound(
      database,
      written.map((w) => w.subject),
    );
  return [...begun, ...released, ...(await findStranded(database, 500))];
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
