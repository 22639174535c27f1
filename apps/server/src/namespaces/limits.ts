import type { LimitMeasure, NewLimit } from '@moorage/contract/limits';
import { limitMeasures } from '@moorage/contract/limits';
import type { NewLimits } from '@moorage/contract/namespaces';
import type { SetLimit } from '@moorage/core/limits/quota-object';
import { sizeText } from '@moorage/core/sizes/display';
import type { Database } from '../database/database';
import { lockNamespace, lockNamespaces } from '../database/locks.sql';
import { announce } from '../live/announce';
import { record, recordAll } from '../logbook/logbook';
import { isMirrored, namesOf } from '../mirror/mirrored';
import { Refusal } from '../refusals/refusal';
import { countedLimits, limits } from './limit-model';
import { sumOf, usedOf } from './used';

/** Classes that a namespace is limited in, at most. */
const mostLimits = 10_000;

/** All limits of a namespace. */
export async function limitsOf(database: Database, namespace: string): Promise<SetLimit[]> {
  const where = { namespace };
  const bytes = await limits.in(database).findAll({ raw: true, where, limit: mostLimits });
  const counted = await countedLimits.in(database).findAll({ raw: true, where, limit: mostLimits });
  return [
    ...bytes.map((l) => ({ className: l.className, of: 'bytes' as const, amount: l.bytes })),
    ...counted.map((l) => ({ className: l.className, of: l.measure, amount: l.amount })),
  ];
}

export interface LimitAt {
  readonly namespace: string;
  /** Empty for the namespace as a whole. */
  readonly className: string;
}

/** Sets or takes away one limit, and nothing else. */
async function write(database: Database, at: LimitAt, of: LimitMeasure, amount: number | null): Promise<void> {
  if (of === 'bytes') {
    if (amount === null) await limits.in(database).destroy({ where: { ...at } });
    else await limits.in(database).upsert({ ...at, bytes: amount });
  } else {
    const where = { ...at, measure: of };
    if (amount === null) await countedLimits.in(database).destroy({ where });
    else await countedLimits.in(database).upsert({ ...where, amount });
  }
}

/**
 * Sets or takes away limits of a namespace, all as one change, inside a transaction that holds its lock. Gives what they were
 * before.
 */
export async function putLimits(
  database: Database,
  at: LimitAt,
  change: NewLimit,
  person: string,
): Promise<Partial<Record<LimitMeasure, number | null>>> {
  const before = (await limitsOf(database, at.namespace)).filter((l) => l.className === at.className);
  const named = limitMeasures.filter((of) => change[of] !== undefined);
  const was = Object.fromEntries(named.map((of) => [of, before.find((l) => l.of === of)?.amount ?? null]));
  for (const measure of named)
    if (was[measure] !== change[measure]) await write(database, at, measure, change[measure]!);
  const after = Object.fromEntries(named.map((of) => [of, change[of]!]));
  await record(database, {
    ...{ person, action: 'change', kind: 'limit', before: was, after },
    subject: at.className ? `${at.namespace}/${at.className}` : at.namespace,
  });
  await announce(database, [
    { topic: 'namespaces', subject: at.namespace },
    { topic: 'limits', subject: at.namespace },
  ]);
  return was;
}

/** Limits a namespace, in all or in one class. */
export async function setLimit(
  database: Database,
  { namespace, className = '' }: { namespace: string; className?: string },
  change: NewLimit,
  person: string,
): Promise<void> {
  if (!(await isMirrored(database, 'namespaces', namespace))) throw Refusal.notFound('namespace', namespace);
  await database.transaction(async () => {
    await lockNamespace(database, namespace);
    if (!change.evenIfOver) await refuseBelowUse(database, { namespace, className }, change);
    await putLimits(database, { namespace, className }, change, person);
  });
}

/** A limit below what is used is set by those alone who know that. */
async function refuseBelowUse(database: Database, { namespace, className }: LimitAt, change: NewLimit): Promise<void> {
  const used = (await usedOf(database, namespace)).filter((u) => className === '' || u.className === className);
  for (const measure of ['bytes', 'claims', 'iops'] as const) {
    const [limit, now] = [change[measure] ?? null, sumOf(used, measure)];
    if (limit === null || now <= limit) continue;
    const told = measure === 'bytes' ? sizeText : (n: number) => `${n} ${measure === 'iops' ? 'IOPS' : measure}`;
    throw new Refusal(
      'conflict',
      'over-at-once',
      'Over at once',
      `${namespace}${className && ` in ${className}`} has ${told(now)} already, ${told(now - limit)} more than that. Nothing would be taken away, and nothing new would bind. Say evenIfOver to set it all the same.`,
      measure,
    );
  }
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
      names.length > 20
        ? [{ topic: 'namespaces' }, { topic: 'limits' }]
        : names.flatMap((subject) => [
            { topic: 'namespaces' as const, subject },
            { topic: 'limits' as const, subject },
          ]),
    );
  });
}
