import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { applications, applicationsDue } from './application-model';
import { takeOwners, toOwners } from './due.sql';
import { factsOf, groundOfNodes, nodesUnder } from './facts';
import { summaryOf } from './summary';
import { noteApplications } from '../usage/use';

/** Changes looked at, and applications reckoned, in one transaction. */
const mostChanges = 2000;
const mostOwners = 200;
const mostRounds = 100;
/**
 * Notes the owners that hang on what changed: of a burst all at first, so that each is reckoned once; but not for ever, should
 * changes come faster than they are looked at.
 */
async function noteOwners(database: Database, isOver: () => boolean): Promise<boolean> {
  for (let i = 0; i < mostRounds && !isOver(); i++) {
    const [noted] = await toOwners(database, mostChanges);
    if ((noted?.taken ?? 0) < mostChanges) return false;
  }
  return true;
}

/** Reckons some of the applications that are due; gives whether there may be more. */
async function reckonSome(database: Database): Promise<boolean> {
  return database.transaction(async () => {
    const uids = (await takeOwners(database, mostOwners)).map((o) => o.name);
    if (uids.length === 0) return false;
    const facts = await factsOf(database, uids);
    const ground = groundOfNodes(await nodesUnder(database, facts));
    const table = applications.in(database);
    await table.bulkCreate(
      facts.map((f) => summaryOf(f, ground)),
      {
        updateOnDuplicate: [
          ...(['wanted', 'pods', 'ready', 'claims', 'bytes', 'classes', 'pools', 'nodes', 'zones', 'worst'] as const),
          ...(['points', 'kind', 'name', 'namespace', 'createdAt'] as const),
        ],
      },
    );
    await noteApplications(
      database,
      facts.flatMap((f) =>
        f.claims.map((c) => {
          const pods = f.application.replicas.filter((r) => r.claims.some((m) => m.name === c.name)).map((r) => r.pod);
          return { claim_uid: c.uid, application: f.name, pod: pods.length > 1 ? '*' : (pods[0] ?? null) };
        }),
      ),
    );
    const there = new Set(facts.map((f) => f.uid));
    const gone = uids.filter((u) => !there.has(u));
    if (gone.length > 0) await table.destroy({ where: { uid: { [Op.in]: gone } } });
    await announce(database, [{ topic: 'applications' }]);
    return uids.length === mostOwners;
  });
}

/** Reckons every application that something changed for. One server does it at a time; what it dies of is due still. */
export async function reckonApplications(database: Database, isOver: () => boolean = () => false): Promise<void> {
  // as a rule nothing is due, and then nothing is written either
  if (!(await applicationsDue.in(database).findOne({ attributes: ['id'], order: ['id'] }))) return;
  for (let more = true; more && !isOver();) {
    more = await noteOwners(database, isOver);
    while (!isOver() && (await reckonSome(database)));
  }
}
