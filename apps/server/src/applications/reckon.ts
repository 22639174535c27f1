import { copyStates, worstCopy, type Ground } from '@moorage/core/applications/application';
import { commonPoints } from '@moorage/core/applications/common-points';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { applications } from './application-model';
import { takeOwners, toOwners } from './due.sql';
import { factsOf, groundOfNodes, nodesUnder, type ApplicationFacts } from './facts';

/** Changes looked at, and applications reckoned, in one transaction. */
const mostChanges = 2000;
const mostOwners = 200;
/** Points kept with an application in the list; all of them are reckoned where one looks at it. */
const mostPoints = 20;

const distinct = (names: Iterable<string | null | undefined>): string[] =>
  [...new Set([...names].filter((n): n is string => typeof n === 'string' && n !== ''))].sort();

function toRow({ uid, kind, namespace, name, set, pods, claims, application }: ApplicationFacts, ground: Ground) {
  const nodes = distinct(pods.map((p) => p.node));
  const worst = worstCopy(application);
  return {
    ...{ uid, kind, namespace, name },
    wanted: set?.wanted ?? null,
    pods: pods.length,
    ready: pods.filter((p) => p.ready && !p.deleting).length,
    claims: claims.length,
    bytes: claims.reduce((sum, c) => sum + c.size_bytes, 0),
    classes: distinct(claims.map((c) => c.class_name)),
    pools: distinct(claims.flatMap((c) => (c.parts ?? []).map((p) => p.pool))),
    nodes,
    zones: distinct(nodes.map((n) => ground.get(n)?.zone)),
    worst: worst === undefined ? null : copyStates.indexOf(worst),
    points: commonPoints(application, ground)
      .slice(0, mostPoints)
      .map(({ level, name: at, of, leaves }) => ({ level, name: at, of, leaves })),
    createdAt: set?.created_at ?? pods[0]!.created_at,
  };
}

/** Reckons some of the applications that are due; gives whether there may be more. */
async function reckonSome(database: Database): Promise<boolean> {
  return database.transaction(async () => {
    const [noted] = await toOwners(database, mostChanges);
    const uids = (await takeOwners(database, mostOwners)).map((o) => o.name);
    if (uids.length === 0) return (noted?.taken ?? 0) > 0;
    const facts = await factsOf(database, uids);
    const ground = groundOfNodes(await nodesUnder(database, facts));
    const table = applications.in(database);
    await table.bulkCreate(
      facts.map((f) => toRow(f, ground)),
      {
        updateOnDuplicate: [
          ...(['wanted', 'pods', 'ready', 'claims', 'bytes', 'classes', 'pools', 'nodes', 'zones', 'worst'] as const),
          ...(['points', 'kind', 'name', 'namespace', 'createdAt'] as const),
        ],
      },
    );
    const there = new Set(facts.map((f) => f.uid));
    const gone = uids.filter((u) => !there.has(u));
    if (gone.length > 0) await table.destroy({ where: { uid: { [Op.in]: gone } } });
    await announce(database, [{ topic: 'applications' }]);
    return uids.length === mostOwners || noted!.taken === mostChanges;
  });
}

/** Reckons every application that something changed for. One server does it at a time; what it dies of is due still. */
export async function reckonApplications(database: Database, isOver: () => boolean = () => false): Promise<void> {
  while (!isOver() && (await reckonSome(database)));
}
