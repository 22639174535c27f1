import type { Grants, GrantsChange } from '@moorage/contract/classes';
import type { Database } from '../database/database';
import { lockGrants } from '../database/locks.sql';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { isMirrored } from '../mirror/mirrored';
import { limits } from '../namespaces/limit-model';
import { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { classAccess, grants } from './access-model';
import { grantsOf, grantTo, limitTo } from './grants.sql';

/** Which namespaces may use a class, with what they use of it. */
export async function getGrants(database: Database, sight: Sight, className: string): Promise<Grants> {
  const [access, rows] = await Promise.all([
    classAccess.in(database).findByPk(className),
    grantsOf(database, className, sight.namespaces),
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
  if (named.size < change.set.length) throw Refusal.invalid('set', 'A namespace is named twice. Name each one once.');
  const before = await getGrants(database, Sight.everything, className);
  const known = new Set(before.namespaces.map((n) => n.namespace));
  const strange = change.set.find((s) => !known.has(s.namespace));
  if (strange) throw Refusal.notFound('namespace', strange.namespace);
  await database.transaction(async () => {
    if (!(await isMirrored(database, 'storageclasses', className))) throw Refusal.notFound('class', className);
    await lockGrants(database, className);
    const access = classAccess.in(database);
    const now = await access.findByPk(className);
    if (version !== undefined && version !== (now?.version ?? 0))
      throw Refusal.changedMeanwhile('grants of', className);
    if (now) await now.update({ open: change.open ?? now.open, version: now.version + 1 });
    else await access.create({ className, open: change.open ?? true });
    const those = (wanted: boolean) => change.set.filter((s) => s.granted === wanted).map((s) => s.namespace);
    await grantTo(database, className, those(true), person);
    await grants.in(database).destroy({ where: { className, namespace: those(false) } });
    const quotas = change.set.flatMap(({ namespace, quota }) => (quota === undefined ? [] : [{ namespace, quota }]));
    await limits.in(database).destroy({ where: { className, namespace: quotas.map((q) => q.namespace) } });
    const set = quotas.filter((q) => q.quota !== null);
    await limitTo(
      database,
      className,
      set.map((q) => q.namespace),
      set.map((q) => q.quota!),
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
