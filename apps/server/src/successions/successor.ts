import type { ClassRow, NewClass, Succession } from '@moorage/contract/classes';
import { filled, planDefault, planNewClass } from '@moorage/core/classes/class-steps';
import { succeedsAnnotation } from '@moorage/core/classes/manifest';
import { differences, planMoves, type Mover } from '@moorage/core/classes/succession';
import { fitBatch, fitOneByOne } from '@moorage/core/placement/batch';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { Op } from 'sequelize';
import type { ActRoom, Acts } from '../acts/acts';
import { actKind } from '../acts/kind';
import { classTurn, defaultTurn } from '../classes/acts';
import { findDefaults, listClasses } from '../classes/listing';
import { assertClass } from '../classes/settings';
import { successions, type Succeeding } from '../classes/succession-model';
import type { Database } from '../database/database';
import { record } from '../logbook/logbook';
import { listMoorings } from '../moorings/moorings';
import { Sight } from '../people/sight';
import { corePools, livePools } from '../pools/pools';
import { Refusal } from '../refusals/refusal';
import { inheritAccess, inheritGrants, inheritMoorings, moversOf } from './successor.sql';

/** Where each claim of a class would go under another one, and in what order; nothing is moved. */
async function planSuccession(
  database: Database,
  site: string,
  from: string,
  to: ClassRow,
): Promise<Succession['moves']> {
  // one after the other: inside a transaction there is one connection
  const movers = await moversOf(database, from);
  // the successor will have the same
  const moorings = await listMoorings(database, from);
  const live = await livePools(database, 'all');
  const pools = corePools(live);
  // both copies exist while data moves, so nothing is taken off the old pools here
  const claims = movers.map((m) => ({
    id: m.uid,
    input: {
      site,
      claim: { namespace: m.namespace, size: m.bytes as Bytes, modes: m.modes, volumeMode: m.volume_mode },
      storageClass: to.storageClass,
      moorings,
      quotas: [],
    },
  }));
  // as the class would choose by itself, unless that leaves some without a place
  const alone = fitOneByOne(pools, claims);
  const { placed } = alone.refused.length === 0 ? alone : fitBatch(pools, claims);
  const byClaim = new Map(movers.map((m) => [`${m.namespace}/${m.claim}`, m.uid]));
  return planMoves(
    movers.map((m): Mover => ({ ...m, inUse: m.in_use })),
    ({ namespace, claim }) => placed.get(byClaim.get(`${namespace}/${claim}`)!) ?? null,
    (pool) => pools.get(pool)?.throughput ?? 0,
  ).map(({ namespace, claim, from: pool, to: goal, bytes, consumed, seconds }) => ({
    namespace,
    claim,
    from: pool,
    to: goal,
    bytes,
    consumed,
    seconds,
  }));
}

const toSuccession = (row: Succeeding, sight: Sight): Succession => {
  const moves = row.moves.filter((m) => sight.sees(m.namespace));
  return {
    from: row.fromClass,
    to: row.toClass,
    person: row.person,
    createdAt: row.createdAt.toISOString(),
    moves,
    bytes: moves.reduce((sum, m) => sum + m.consumed, 0),
    // one after the other: the pools' share for moving data is not divided
    seconds: moves.reduce((sum, m) => sum + m.seconds, 0),
  };
};

export async function listSuccessions(database: Database, sight: Sight, className: string): Promise<Succession[]> {
  const rows = await successions.in(database).findAll({
    where: { [Op.or]: [{ fromClass: className }, { toClass: className }] },
    order: [['createdAt', 'DESC']],
    limit: 100,
  });
  return rows.map((row) => toSuccession(row, sight));
}

interface Inside {
  readonly from: string;
  readonly to: string;
}

/** Successors as acts: the class on the platform, and its marks; then its moorings, grants and the plan for moving claims. */
export const succeeding = (database: Database, site: string): ActRoom<Inside, Record<string, never>> => ({
  kind: actKind('successor', 'Making a successor'),
  write: async ({ person, inside: { from, to } }) => {
    const [made] = await listClasses(database, to);
    if (!made) throw Refusal.notFound('class', to);
    const moves = await planSuccession(database, site, from, made);
    await inheritMoorings(database, from, to);
    await inheritAccess(database, from, to);
    await inheritGrants(database, from, to, person);
    await successions.in(database).upsert({ fromClass: from, toClass: to, person, moves, createdAt: new Date() });
    const after = { moves: moves.length };
    await record(database, { person, action: 'create', kind: 'plan', subject: `${from}/${to}`, after });
    return {};
  },
  tells: ({ to }) => [
    { topic: 'classes', subject: to },
    { topic: 'moorings', subject: to },
  ],
});

/** Makes the class that takes over from another one, with its moorings and grants, and the plan for moving its claims. */
export async function makeSuccessor(
  database: Database,
  acts: Acts,
  site: string,
  from: string,
  asked: NewClass,
  takesDefault: boolean,
  person: string,
): Promise<Succession> {
  const to = asked.name;
  const things = [classTurn(from), classTurn(to), ...(takesDefault ? [defaultTurn] : [])];
  await acts.inTurn(succeeding(database, site), things, person, async () => {
    const [before] = await listClasses(database, from);
    if (!before) throw Refusal.notFound('class', from);
    if (differences(before.storageClass, asked).length === 0)
      throw Refusal.invalid('name', `Nothing differs from ${from}: a successor would promise the same.`);
    assertClass(filled(asked));
    const made = planNewClass({ ...asked, isDefault: false }, { [succeedsAnnotation]: from });
    const marked =
      takesDefault && before.isDefault ? planDefault(to, await findDefaults(database)) : { steps: [], entries: [] };
    return {
      about: `${from} → ${to}`,
      steps: [...made.steps, ...marked.steps].map((step) => ({ step })),
      inside: { from, to },
      entries: [...made.entries, ...marked.entries],
    };
  });
  const row = await successions.in(database).findOne({ where: { fromClass: from, toClass: to }, rejectOnEmpty: true });
  return toSuccession(row, Sight.everything);
}
