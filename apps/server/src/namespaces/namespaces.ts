import type { NamespaceUsage, NewLimits } from '@moorage/contract/namespaces';
import type { Database } from '../database/database';
import { lockNamespace, lockNamespaces } from '../database/locks.sql';
import { announce } from '../live/announce';
import { record, recordAll } from '../logbook/logbook';
import { isMirrored, namesOf } from '../mirror/mirrored';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
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

/** Sets or takes away a limit of provisioned bytes; without a class it holds for the namespace as a whole. */
export async function setLimit(
  database: Database,
  at: { namespace: string; className?: string },
  bytes: number | null,
  person: string,
): Promise<void> {
  const { namespace, className = '' } = at;
  if (!(await isMirrored(database, 'namespaces', namespace))) throw Refusal.notFound('namespace', namespace);
  await database.transaction(async () => {
    await lockNamespace(database, namespace);
    const table = limits.in(database);
    const where = { namespace, className };
    const before = await table.findOne({ attributes: ['bytes'], where, lock: true });
    if (bytes === null) await table.destroy({ where });
    else await table.upsert({ ...where, bytes });
    const subject = className ? `${namespace}/${className}` : namespace;
    await record(database, {
      person,
      action: 'change',
      kind: 'limit',
      subject,
      before: before && { bytes: before.bytes },
      after: bytes === null ? null : { bytes },
    });
    await announce(database, [{ topic: 'namespaces', subject: namespace }]);
  });
}

/** Namespaces that are named in a refusal. */
const mostNamed = 5;

/** Limits many namespaces as a whole, all or none: refused where one is gone, or has another limit than was seen. */
export async function setLimits(database: Database, asked: NewLimits, person: string): Promise<void> {
  const names = [...new Set(asked.map((l) => l.namespace))];
  if (names.length < asked.length)
    throw Refusal.invalid('namespace', 'A namespace is named twice: what it is to have cannot be told.');
  await database.transaction(async () => {
    // a limit that is not there yet cannot be locked by its row
    await lockNamespaces(database, names);
    const known = new Set(await namesOf(database, 'namespaces', names));
    const table = limits.in(database);
    const set = await table.findAll({
      where: { namespace: names, className: '' },
      order: [['namespace', 'ASC']],
      limit: names.length,
    });
    const before = new Map(set.map((l) => [l.namespace, l.bytes]));
    const changed = asked.filter((l) => !known.has(l.namespace) || (before.get(l.namespace) ?? null) !== l.was);
    if (changed.length > 0) {
      const some = changed.slice(0, mostNamed).map((l) => l.namespace);
      const more = changed.length > some.length ? ` and ${changed.length - some.length} more` : '';
      throw new Refusal(
        'conflict',
        'changed-meanwhile',
        'Changed meanwhile',
        `Other limits than were shown, or no such namespace any more: ${some.join(', ')}${more}. Nothing was changed.`,
      );
    }
    const given = asked.flatMap(({ namespace, bytes }) =>
      bytes === null ? [] : [{ namespace, className: '', bytes }],
    );
    const freed = asked.flatMap(({ namespace, bytes }) => (bytes === null ? [namespace] : []));
    await table.bulkCreate(given, { updateOnDuplicate: ['bytes'] });
    await table.destroy({ where: { namespace: freed, className: '' } });
    await recordAll(
      database,
      asked.map(({ namespace, was, bytes }) => ({
        ...{ person, action: 'change', kind: 'limit', subject: namespace },
        before: was === null ? null : { bytes: was },
        after: bytes === null ? null : { bytes },
      })),
    );
    // one change of all, where each would be told of by itself
    await announce(
      database,
      names.length > 20 ? [{ topic: 'namespaces' }] : names.map((subject) => ({ topic: 'namespaces', subject })),
    );
  });
}
