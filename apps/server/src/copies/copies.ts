import type { ClaimRow } from '@moorage/contract/claims';
import type { CopiesAnswer, CopyChange } from '@moorage/contract/copies';
import { changeCopies, type LyingCopy } from '@moorage/core/placement/copies';
import { getClaim } from '../claims/claims';
import type { Database } from '../database/database';
import { boundClaim, isHeld } from '../growth/bound';
import type { GrowthFacts } from '../growth/facts';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { beginOperations } from '../operations/operations';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { copiesOfClaim, type StoredCopy } from './copies.sql';
import { copyChanges } from './copy-change-model';
import { changingCopies } from './kind';

interface At {
  readonly namespace: string;
  readonly name: string;
}

const lyingOf = ({ disk, node, domain, role, state }: StoredCopy): LyingCopy => ({
  ...{ disk, node, domain, role },
  whole: role === 'data' && state === 'Synchronized',
});

/** What a change of copies comes to as things stand; the copies of a volume that others made are theirs. */
export function reckonCopies({ input, reserved }: GrowthFacts, copies: readonly StoredCopy[], change: CopyChange) {
  return reserved.adopted ? ({ kind: 'not-ours' } as const) : changeCopies(input, copies.map(lyingOf), change);
}

const refused = { code: 'cannot-change-copies', title: 'Its copies cannot be changed' };

async function look(database: Database, site: string, sight: Sight, at: At, change: CopyChange) {
  const { row, facts } = await boundClaim(database, site, sight, at, refused);
  const copies = await copiesOfClaim(database, row.uid);
  return { row, copies, plan: reckonCopies(facts, copies, change) };
}

/** The copies as they are, and what one more or fewer would come to; throws when there is no such claim, or no volume of ours. */
export async function planCopies(
  database: Database,
  site: string,
  sight: Sight,
  at: At,
  change: CopyChange,
): Promise<CopiesAnswer> {
  const { copies, plan } = await look(database, site, sight, at, change);
  const now = copies
    .filter((c) => c.role === 'data')
    .map(({ disk, node, state, percent }) => ({ disk, node, state: state ?? 'unknown', percent: percent ?? 0 }));
  return { now, plan: plan as CopiesAnswer['plan'] };
}

/** Begins to keep one copy more, or one fewer. What its class does not allow or its pool cannot hold is refused before anything is done. */
export async function changeCopiesOf(
  database: Database,
  site: string,
  sight: Sight,
  at: At,
  change: CopyChange,
  person: string,
  carry: (operations: readonly string[]) => void,
): Promise<ClaimRow> {
  const { row, plan } = await look(database, site, sight, at, change);
  const about = `${at.namespace}/${at.name}`;
  const refuse = (detail: string) =>
    new Refusal(
      'conflict',
      'cannot-change-copies',
      'Its copies cannot be changed so',
      `${detail} Nothing was changed.`,
    );
  switch (plan.kind) {
    case 'not-ours':
      throw refuse(`The copies of ${about} are its backend's own affair.`);
    case 'pool-gone':
      throw refuse(`The pool ${plan.pool} is not known any more.`);
    case 'no-place':
      throw refuse(
        plan.node === undefined
          ? 'No disk in another failure domain has room for one more copy.'
          : `No disk in ${plan.node} can take one: it has a copy or the vote already, or no room.`,
      );
    case 'last-whole':
      throw refuse(
        'No other copy is whole: with this one the data would go. Wait until the others are brought up to date.',
      );
    case 'reckoned': {
      const failed = plan.checks.find((c) => !c.passed);
      if (failed) throw refuse(`It is refused by the rule "${failed.rule}": needs ${failed.need}, has ${failed.have}.`);
    }
  }
  const begun = await database.transaction(async () => {
    if (await isHeld(database, row.uid, 'rates'))
      throw refuse(`${about} is being tuned: what its copies have to write depends on it. Wait until that has ended.`);
    const made = await beginOperations(database, changingCopies, [row.uid], { about, namespace: at.namespace, person });
    if (made.length === 0) throw refuse(`${about} is growing, or its copies are being changed already.`);
    await copyChanges.in(database).create({ operationId: made[0]!, claimUid: row.uid, change });
    await record(database, { person, action: 'change', kind: 'claim', subject: about, after: { copies: change } });
    await announce(database, [{ topic: 'claims', subject: about }, { topic: 'operations' }]);
    return made;
  });
  carry(begun);
  return (await getClaim(database, sight, at.namespace, at.name)).claim;
}
