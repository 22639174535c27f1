import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import type { Sight } from '../people/sight';
import { record } from '../logbook/logbook';

interface UsageRow {
  namespace: string;
  class_name: string;
  claims: number;
  unbound: number;
  requested: number;
  provisioned: number;
  consumed: number;
  footprint: number;
}

/** Use per namespace and class. A volume whose claim is gone but which is kept still counts for its namespace. */
export async function listNamespaces(database: Database, sight: Sight): Promise<NamespaceUsage[]> {
  const [names, usage, limits] = await Promise.all([
    database.rows<{ name: string }>(
      `SELECT name FROM platform_objects WHERE plural = 'namespaces' AND ($1::text[] IS NULL OR name = ANY($1)) ORDER BY name LIMIT 10000`,
      [sight.namespaces],
    ),
    database.rows<UsageRow>(
      `SELECT coalesce(c.namespace, r.namespace) AS namespace, coalesce(c.class_name, r.class_name, '') AS class_name,
         count(c.uid) AS claims, count(c.uid) FILTER (WHERE c.phase <> 'Bound') AS unbound,
         coalesce(sum(c.size_bytes), 0)::bigint AS requested, coalesce(sum(r.bytes), 0)::bigint AS provisioned,
         coalesce(sum(v.consumed), 0)::bigint AS consumed, coalesce(sum(r.raw_bytes + coalesce(f.raw_bytes, 0)), 0)::bigint AS footprint
       FROM (SELECT uid, namespace, class_name, phase, size_bytes FROM platform_objects WHERE plural = 'persistentvolumeclaims') c
       FULL JOIN reservations r ON r.claim_uid = c.uid
       LEFT JOIN (SELECT claim_uid, sum(raw_bytes) AS raw_bytes FROM further_copies GROUP BY 1) f ON f.claim_uid = r.claim_uid
       LEFT JOIN pools p ON p.id = r.pool_id
       LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
       WHERE $1::text[] IS NULL OR coalesce(c.namespace, r.namespace) = ANY($1)
       GROUP BY 1, 2 ORDER BY 1, 2 LIMIT 100000`,
      [sight.namespaces],
    ),
    database.rows<{ namespace: string; class_name: string; bytes: number }>(
      'SELECT namespace, class_name, bytes FROM limits LIMIT 100000',
    ),
  ]);
  const limitOf = new Map(limits.map((l) => [`${l.namespace}/${l.class_name}`, l.bytes]));
  const byNamespace = new Map<string, UsageRow[]>();
  for (const row of usage) byNamespace.set(row.namespace, [...(byNamespace.get(row.namespace) ?? []), row]);
  return names.map(({ name }) => {
    const rows = byNamespace.get(name) ?? [];
    const sum = (field: 'claims' | 'requested' | 'provisioned' | 'consumed' | 'footprint') =>
      rows.reduce((total, r) => total + r[field], 0);
    return {
      namespace: name,
      classes: rows.map(({ class_name, namespace: _namespace, ...numbers }) => ({
        className: class_name,
        ...numbers,
        limit: limitOf.get(`${name}/${class_name}`) ?? null,
      })),
      limit: limitOf.get(`${name}/`) ?? null,
      claims: sum('claims'),
      requested: sum('requested'),
      provisioned: sum('provisioned'),
      consumed: sum('consumed'),
      footprint: sum('footprint'),
    };
  });
}

/** Sets or takes away a limit of provisioned bytes; without a class it holds for the namespace as a whole. */
export async function setLimit(
  database: Database,
  at: { namespace: string; className?: string },
  bytes: number | null,
  person: string,
): Promise<void> {
  const { namespace, className = '' } = at;
  const known = await database.one(`SELECT 1 FROM platform_objects WHERE plural = 'namespaces' AND name = $1`, [
    namespace,
  ]);
  if (!known) throw HttpProblem.notFound('namespace', namespace);
  await database.transaction(async () => {
    const before = await database.one<{ bytes: number }>(
      'SELECT bytes FROM limits WHERE namespace = $1 AND class_name = $2 FOR UPDATE',
      [namespace, className],
    );
    if (bytes === null)
      await database.rows('DELETE FROM limits WHERE namespace = $1 AND class_name = $2', [namespace, className]);
    else
      await database.rows(
        'INSERT INTO limits (namespace, class_name, bytes) VALUES ($1, $2, $3) ON CONFLICT (namespace, class_name) DO UPDATE SET bytes = excluded.bytes',
        [namespace, className, bytes],
      );
    const subject = className ? `${namespace}/${className}` : namespace;
    await record(database, {
      person,
      action: 'change',
      kind: 'limit',
      subject,
      before: before ?? null,
      after: bytes === null ? null : { bytes },
    });
    await announce(database, [{ topic: 'namespaces', subject: namespace }]);
  });
}
