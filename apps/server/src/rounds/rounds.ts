import { randomUUID } from 'node:crypto';
import type { Person } from '@moorage/contract/people';
import type { Round, RoundPlan, RoundRequest } from '@moorage/contract/rounds';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { operations } from '../operations/operation-model';
import { beginOperations } from '../operations/operations';
import { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { goingRound } from './kind';
import { planRound } from './plan';
import { roundClaims, rounds } from './round-model';

/** Begins a round of the claims that can be changed; the others are left as they are. Gives the round and what carries it. */
export async function beginRound(
  database: Database,
  site: string,
  person: Person,
  asked: RoundRequest,
): Promise<{ round: Round; operations: string[] }> {
  const sight = Sight.of(person);
  const { plan, goes } = await planRound(database, site, sight, asked);
  if (goes.length === 0)
    throw new Refusal(
      'conflict',
      'nothing-to-do',
      'None of them can be changed so',
      'Not one of these claims can be changed so; the plan says why of each. Nothing was changed.',
    );
  assertConfirmed(plan, asked.confirm);
  const id = randomUUID();
  const begun = await database.transaction(async () => {
    await rounds.in(database).create({ id, change: asked.change, person: person.name });
    await roundClaims.in(database).bulkCreate(goes.map((claim, number) => ({ roundId: id, number, ...claim })));
    const namespaces = new Set(goes.map((g) => g.namespace));
    const ids = await beginOperations(database, goingRound, [id], {
      about: `${goes.length} ${goes.length === 1 ? 'claim' : 'claims'}`,
      person: person.name,
      ...(namespaces.size === 1 && { namespace: goes[0]!.namespace }),
    });
    await announce(database, [{ topic: 'operations' }]);
    return ids;
  });
  return { round: await getRound(database, person, id), operations: begun };
}

function assertConfirmed({ confirm, destroyed }: RoundPlan, typed: string | undefined): void {
  if (confirm === null || confirm === typed) return;
  throw new Refusal(
    'conflict',
    'confirm-destruction',
    'This destroys data',
    `It destroys ${destroyed.toLocaleString('en-GB')} used bytes. Repeat the call with confirm "${confirm}". Nothing was changed.`,
    'confirm',
  );
}

const mostTold = 1000;

/** A round as it stands; of one that touches other namespaces than one sees, whoever began it knows. */
export async function getRound(database: Database, person: Person, id: string): Promise<Round> {
  const round = /^[0-9a-f-]{36}$/.test(id) ? await rounds.in(database).findByPk(id) : null;
  const sight = Sight.of(person);
  if (!round || (!sight.isWhole && round.person !== person.name)) throw Refusal.notFound('round', id);
  const claims = roundClaims.in(database);
  const [operation, done, waiting, refused] = await Promise.all([
    operations.in(database).findOne({ attributes: ['id'], where: { kind: goingRound.kind, subject: id } }),
    claims.count({ where: { roundId: id, state: 'done' } }),
    claims.count({ where: { roundId: id, state: 'waiting' } }),
    claims.findAll({ where: { roundId: id, state: 'refused' }, order: [['number', 'ASC']], limit: mostTold }),
  ]);
  return {
    ...{ id, operation: operation?.id ?? '', change: round.change, done, waiting },
    refused: refused.map(({ namespace, name, problem }) => ({ namespace, name, detail: problem ?? '' })),
  };
}
