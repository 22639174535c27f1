import type { ClassRow, NewClass, Succession } from '@moorage/contract/classes';
import { succeedsAnnotation } from '@moorage/core/classes/manifest';
import { differences, planMoves, type Mover } from '@moorage/core/classes/succession';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { fitBatch, fitOneByOne } from '@moorage/core/placement/batch';
import type { Bytes } from '@moorage/core/sizes/bytes';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import type { Turns } from '../live/turns';
import { Sight } from '../people/sight';
import { record } from '../logbook/logbook';
import { listMoorings } from '../moorings/moorings';
import type { PlatformConnector } from '../platform/connector';
import { corePools, livePools } from '../pools/pools';
import { createClass, deleteClass, listClasses, makeDefault } from './classes';

const mostMoved = 20_000;

interface StoredMover {
  uid: string;
  namespace: string;
  claim: string;
  from: string | null;
  bytes: number;
  consumed: number;
  in_use: boolean;
  modes: AccessMode[];
  volume_mode: VolumeMode;
}

/** Where each claim of a class would go under another one, and in what order; nothing is moved. */
async function planSuccession(
  database: Database,
  site: string,
  from: string,
  to: ClassRow,
): Promise<Succession['moves']> {
  const [movers, moorings, live] = await Promise.all([
    database.rows<StoredMover>(
      `SELECT o.uid, o.namespace, o.name AS claim, r.pool_id AS "from", coalesce(r.bytes, o.size_bytes)::bigint AS bytes,
         coalesce(v.consumed, 0)::bigint AS consumed,
         EXISTS (SELECT 1 FROM platform_objects p WHERE p.plural = 'pods' AND p.namespace = o.namespace
           AND p.body #> '{spec,volumes}' @> jsonb_build_array(jsonb_build_object('persistentVolumeClaim', jsonb_build_object('claimName', o.name)))) AS in_use,
         coalesce(o.body #> '{spec,accessModes}', '[]'::jsonb) AS modes,
         coalesce(o.body #>> '{spec,volumeMode}', 'Filesystem') AS volume_mode
       FROM platform_objects o
       LEFT JOIN reservations r ON r.claim_uid = o.uid
       LEFT JOIN pools p ON p.id = r.pool_id
       LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
       WHERE o.plural = 'persistentvolumeclaims' AND o.class_name = $1 ORDER BY o.namespace, o.name LIMIT ${mostMoved}`,
      [from],
    ),
    listMoorings(database, to.storageClass.name),
    livePools(database, 'all'),
  ]);
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

interface StoredSuccession {
  from_class: string;
  to_class: string;
  person: string;
  moves: Succession['moves'];
  created_at: Date;
}

const toSuccession = (row: StoredSuccession, sight: Sight): Succession => {
  const moves = row.moves.filter((m) => sight.sees(m.namespace));
  return {
    from: row.from_class,
    to: row.to_class,
    person: row.person,
    createdAt: row.created_at.toISOString(),
    moves,
    bytes: moves.reduce((sum, m) => sum + m.consumed, 0),
    // one after the other: the pools' share for moving data is not divided
    seconds: moves.reduce((sum, m) => sum + m.seconds, 0),
  };
};

export async function listSuccessions(database: Database, sight: Sight, className: string): Promise<Succession[]> {
  const rows = await database.rows<StoredSuccession>(
    'SELECT * FROM successions WHERE $1 IN (from_class, to_class) ORDER BY created_at DESC LIMIT 100',
    [className],
  );
  return rows.map((row) => toSuccession(row, sight));
}

/** Moorings, access and grants of a class for the one that takes over from it. */
function inherit(database: Database, from: string, to: string, person: string): Promise<void> {
  return database.transaction(async () => {
    await database.rows(
      `INSERT INTO moorings (class_name, pool_id, enabled, rank, weight)
       SELECT $2, pool_id, enabled, rank, weight FROM moorings WHERE class_name = $1 ON CONFLICT DO NOTHING`,
      [from, to],
    );
    await database.rows(
      `INSERT INTO class_access (class_name, open) SELECT $2, open FROM class_access WHERE class_name = $1 ON CONFLICT DO NOTHING`,
      [from, to],
    );
    await database.rows(
      `INSERT INTO grants (class_name, namespace, person) SELECT $2, namespace, $3 FROM grants WHERE class_name = $1 ON CONFLICT DO NOTHING`,
      [from, to, person],
    );
  });
}

/** Makes the class that takes over from another one, with its moorings and grants, and the plan for moving its claims. */
export async function makeSuccessor(
  database: Database,
  platform: PlatformConnector,
  turns: Turns,
  site: string,
  from: string,
  asked: NewClass,
  takesDefault: boolean,
  person: string,
): Promise<Succession> {
  const [before] = await listClasses(database, from);
  if (!before) throw HttpProblem.notFound('class', from);
  if (differences(before.storageClass, asked).length === 0)
    throw HttpProblem.invalid('name', `Nothing differs from ${from}: a successor would promise the same.`);
  const made = await createClass(database, platform, turns, { ...asked, isDefault: false }, person, {
    [succeedsAnnotation]: from,
  });
  const to = asked.name;
  await inherit(database, from, to, person).catch(async (error: unknown) => {
    // a successor without its moorings serves nobody: it goes again
    await deleteClass(database, platform, to, person);
    throw error;
  });
  const moves = await planSuccession(database, site, from, made);
  const row = await database.transaction(async () => {
    const kept = await database.one<StoredSuccession>(
      `INSERT INTO successions (from_class, to_class, person, moves) VALUES ($1, $2, $3, $4::jsonb)
       ON CONFLICT (from_class, to_class) DO UPDATE SET moves = excluded.moves, person = excluded.person, created_at = now() RETURNING *`,
      [from, to, person, JSON.stringify(moves)],
    );
    await record(database, {
      person,
      action: 'create',
      kind: 'plan',
      subject: `${from}/${to}`,
      after: { moves: moves.length },
    });
    await announce(database, [
      { topic: 'classes', subject: to },
      { topic: 'moorings', subject: to },
    ]);
    return kept!;
  });
  if (takesDefault && before.isDefault) await makeDefault(database, platform, turns, to, person);
  return toSuccession(row, Sight.everything);
}
