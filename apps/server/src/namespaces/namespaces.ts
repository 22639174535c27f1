import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { Database } from '../database/database';
import { namesOf } from '../mirror/mirrored';
import type { Sight } from '../people/sight';
import { limits } from './limit-model';
import { usageByClass, type UsageRow } from './namespaces.sql';

/** Use per namespace and class. A volume whose claim is gone but which is kept still counts for its namespace. */
export async function listNamespaces(database: Database, sight: Sight): Promise<NamespaceUsage[]> {
  const [names, usage, set] = await Promise.all([
    namesOf(database, 'namespaces', sight.namespaces),
    usageByClass(database, sight.namespaces),
    limits.in(database).findAll({ raw: true, where: sight.where('namespace'), limit: 100_000 }),
  ]);
  const limitOf = new Map(set.map((l) => [`${l.namespace}/${l.className}`, l.bytes]));
  const byNamespace = new Map<string, UsageRow[]>();
  for (const row of usage) byNamespace.set(row.namespace, [...(byNamespace.get(row.namespace) ?? []), row]);
  return names.map((name) => {
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
