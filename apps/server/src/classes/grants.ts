import type { Grants, GrantsChange } from '@moorage/contract/classes';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { Sight } from '../people/sight';
import { record } from '../logbook/logbook';

/** Which namespaces may use a class, with what they use of it. */
export async function getGrants(database: Database, sight: Sight, className: string): Promise<Grants> {
  const [access, rows] = await Promise.all([
    database.one<{ open: boolean; version: number }>('SELECT open, version FROM class_access WHERE class_name = $1', [
      className,
    ]),
    database.rows<Grants['namespaces'][number]>(
      `SELECT n.name AS namespace, coalesce(n.body #> '{metadata,labels}', '{}'::jsonb) AS labels,
         g.namespace IS NOT NULL AS granted, l.bytes AS quota,
         coalesce(c.claims, 0) AS claims, coalesce(r.bytes, 0)::bigint AS provisioned
       FROM platform_objects n
       LEFT JOIN grants g ON g.class_name = $1 AND g.namespace = n.name
       LEFT JOIN limits l ON l.class_name = $1 AND l.namespace = n.name
       LEFT JOIN (SELECT namespace, count(*) AS claims FROM platform_objects
                  WHERE plural = 'persistentvolumeclaims' AND class_name = $1 GROUP BY 1) c ON c.namespace = n.name
       LEFT JOIN (SELECT namespace, sum(bytes) AS bytes FROM reservations WHERE class_name = $1 GROUP BY 1) r ON r.namespace = n.name
       WHERE n.plural = 'namespaces' AND ($2::text[] IS NULL OR n.name = ANY($2)) ORDER BY n.name LIMIT 10000`,
      [className, sight.namespaces],
    ),
  ]);
  return { className, open: access?.open ?? true, version: access?.version ?? 0, namespaces: rows };
}

/** Opens or keeps a class, and grants it to namespaces with a quota each, all or none. */
export async function changeGrants(
  database: Database,
  className: string,
  version: number | undefined,
  change: GrantsChange,
  person: string,
): Promise<Grants> {
  const named = new Set(change.set.map((s) => s.namespace));
  if (named.size < change.set.length)
    throw HttpProblem.invalid('set', 'A namespace is named twice. Name each one once.');
  const before = await getGrants(database, Sight.everything, className);
  const known = new Set(before.namespaces.map((n) => n.namespace));
  const strange = change.set.find((s) => !known.has(s.namespace));
  if (strange) throw HttpProblem.notFound('namespace', strange.namespace);
  await database.transaction(async () => {
    const cls = await database.one(`SELECT 1 FROM platform_objects WHERE plural = 'storageclasses' AND name = $1`, [
      className,
    ]);
    if (!cls) throw HttpProblem.notFound('class', className);
    await database.rows('SELECT pg_advisory_xact_lock(4415, hashtext($1))', [className]);
    const kept = await database.one<{ open: boolean; version: number }>(
      `INSERT INTO class_access (class_name, open) VALUES ($1, coalesce($2::boolean, true))
       ON CONFLICT (class_name) DO UPDATE SET open = coalesce($2::boolean, class_access.open), version = class_access.version + 1
       RETURNING open, version`,
      [className, change.open ?? null],
    );
    if (version !== undefined && kept!.version !== version + 1)
      throw HttpProblem.changedMeanwhile('grants of', className);
    const those = (wanted: boolean) => change.set.filter((s) => s.granted === wanted).map((s) => s.namespace);
    await database.rows(
      'INSERT INTO grants (class_name, namespace, person) SELECT $1, n, $3 FROM unnest($2::text[]) n ON CONFLICT DO NOTHING',
      [className, those(true), person],
    );
    await database.rows('DELETE FROM grants WHERE class_name = $1 AND namespace = ANY($2)', [className, those(false)]);
    const quotas = change.set.filter((s) => s.quota !== undefined);
    await database.rows('DELETE FROM limits WHERE class_name = $1 AND namespace = ANY($2)', [
      className,
      quotas.map((q) => q.namespace),
    ]);
    const set = quotas.filter((q) => q.quota !== null);
    await database.rows(
      'INSERT INTO limits (namespace, class_name, bytes) SELECT n, $1, b FROM unnest($2::text[], $3::bigint[]) AS q(n, b)',
      [className, set.map((q) => q.namespace), set.map((q) => q.quota)],
    );
    await record(database, {
      person,
      action: 'change',
      kind: 'grant',
      subject: className,
      before: {
        open: before.open,
        set: before.namespaces
          .filter((n) => change.set.some((s) => s.namespace === n.namespace))
          .map(({ namespace, granted, quota }) => ({ namespace, granted, quota })),
      },
      after: change,
    });
    await announce(database, [
      { topic: 'classes', subject: className },
      ...change.set.map((s) => ({ topic: 'namespaces' as const, subject: s.namespace })),
      { topic: 'moorings', subject: className },
    ]);
  });
  return getGrants(database, Sight.everything, className);
}
