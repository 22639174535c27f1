import { createHash } from 'node:crypto';
import type { Person } from '@moorage/contract/people';
import type { GiveBack, GivenBack } from '@moorage/contract/salvage';
import { sizeText } from '@moorage/core/sizes/display';
import { usedInNamespaces } from '../binder/choose.sql';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { operations } from '../operations/operation-model';
import { beginOperations } from '../operations/operations';
import { Sight } from '../people/sight';
import { limits } from '../namespaces/limit-model';
import { Refusal } from '../refusals/refusal';
import { releasing } from '../binder/kinds';
import { advance } from '../operations/operations';
import { reservations } from '../reservations/reservation-model';
import { salvaging } from './kind';
import { salvages } from './salvage-model';
import { adopt, adriftByIds, beingReleased, lengthen, lockReserved, type StoredAdrift } from './salvage.sql';

type Wish = GiveBack['volumes'][number];

/** Why a volume cannot go to a claim now; undefined when it can. */
function obstacle(volume: StoredAdrift | undefined, wish: Wish, sight: Sight): string | undefined {
  if (!volume) return 'There is no such volume that no claim holds; somebody may have given it back already.';
  if (!sight.sees(wish.namespace))
    return `You may give volumes to claims of your own namespaces, and ${wish.namespace} is not one.`;
  if (volume.operation_id !== null) return 'It is on its way to a claim already.';
  if (volume.missing_since) return `${volume.backend_id} does not list it any more: there is nothing to give.`;
  if (volume.origin === 'foreign' && !wish.className) return 'Nobody here made it: say which class its claim names.';
  if (volume.volume_id === '') return 'Its backend never told what it is called there.';
  return undefined;
}

/**
 * Begins to give volumes to claims, each by itself, all in one transaction: a volume that two people give at once goes to the
 * first, and the second is told.
 */
export async function giveBack(
  database: Database,
  person: Person,
  { volumes }: GiveBack,
): Promise<{ given: GivenBack; operations: string[] }> {
  const sight = Sight.of(person);
  const wishes = [...new Map(volumes.map((v) => [v.id, v])).values()];
  const ids = wishes.map((v) => v.id);
  return database.transaction(async () => {
    await lockReserved(database, ids);
    const known = new Map((await adriftByIds(database, sight.namespaces, ids)).map((v) => [v.id, v]));
    const leaving = new Set((await beingReleased(database, ids)).map((r) => r.subject));
    const given: GivenBack = { begun: [], refused: [] };
    const rooms = await roomsFor(database, wishes);
    for (const wish of wishes) {
      const volume = known.get(wish.id);
      const detail =
        obstacle(volume, wish, sight) ??
        (leaving.has(wish.id) ? 'It is being let go of at this moment: look again.' : undefined) ??
        rooms.refusal(volume!, wish) ??
        (await take(database, volume!, wish));
      if (detail !== undefined) given.refused.push({ id: wish.id, detail });
      else given.begun.push({ id: wish.id, operation: await begin(database, person, volume!, wish) });
    }
    if (given.begun.length > 0)
      await announce(database, [{ topic: 'operations' }, { topic: 'claims' }, { topic: 'findings' }]);
    return { given, operations: given.begun.map((b) => b.operation) };
  });
}

/** What the namespaces that volumes are to go to may still take; a volume that stays in its own is counted there already. */
async function roomsFor(database: Database, wishes: readonly Wish[]) {
  const namespaces = [...new Set(wishes.map((w) => w.namespace))].sort();
  for (const namespace of namespaces) await lockNamespace(database, namespace);
  const kept = await limits.in(database).findAll({ where: { namespace: namespaces }, limit: 10_000, raw: true });
  const used = await usedInNamespaces(database, namespaces);
  const left = kept.map(({ namespace, className, bytes }) => {
    const own = used.filter((u) => u.namespace === namespace && (className === '' || u.class_name === className));
    return { namespace, className, bytes: bytes - own.reduce((sum, u) => sum + u.bytes, 0) };
  });
  return {
    refusal: (volume: StoredAdrift, wish: Wish): string | undefined => {
      if (volume.namespace === wish.namespace) return undefined;
      const cls = volume.class_name ?? wish.className ?? '';
      const counted = left.filter((l) => l.namespace === wish.namespace && ['', cls].includes(l.className));
      const full = counted.find((l) => l.bytes < volume.bytes);
      if (full)
        return `${wish.namespace} may take ${sizeText(Math.max(0, full.bytes))} more${full.className && ` of ${full.className}`}, and the volume has ${sizeText(volume.bytes)}: raise its limit first.`;
      for (const l of counted) l.bytes -= volume.bytes;
      return undefined;
    },
  };
}

/** Holds the volume for its claim; what stands in the way, if anything. */
async function take(database: Database, volume: StoredAdrift, wish: Wish): Promise<string | undefined> {
  if (volume.origin !== 'foreign') {
    const where = { claimUid: volume.id, state: 'adrift' as const };
    const [taken] = await reservations.in(database).update({ state: 'returning' }, { where });
    return taken === 1 ? undefined : 'Somebody gave it back already.';
  }
  const named = await reservations.in(database).count({ where: { volumeName: volume.volume_name } });
  if (named > 0)
    return `A volume of ours is called ${volume.volume_name} as well: rename one of them on its backend first.`;
  // a persistent volume's name is a label, and a backend may call its volumes anything
  const label = createHash('sha256').update(volume.id).digest('hex').slice(0, 16);
  const [taken] = await adopt(
    database,
    volume.id,
    volume.backend_id,
    volume.volume_id,
    wish.namespace,
    wish.name,
    wish.className!,
    volume.pv_name ?? `adopted-${label}`,
    JSON.stringify(wish.modes ?? ['ReadWriteOnce']),
    wish.volumeMode ?? 'Filesystem',
  );
  return taken ? undefined : 'Its backend does not list it any more.';
}

async function begin(database: Database, person: Person, volume: StoredAdrift, wish: Wish): Promise<string> {
  const { namespace, name } = wish;
  const [id] = await beginOperations(database, salvaging, [volume.id], {
    ...{ about: `${namespace}/${name}`, namespace, person: person.name },
  });
  if (id === undefined) throw new Error(`volume ${volume.id} is adrift and on its way at once`);
  await salvages.in(database).create({
    ...{ operationId: id, source: volume.id, namespace, name, person: person.name },
    className: volume.class_name ?? wish.className!,
    modes: volume.modes ?? wish.modes ?? ['ReadWriteOnce'],
    volumeMode: volume.volume_mode ?? wish.volumeMode ?? 'Filesystem',
  });
  return id;
}

const ours = async (database: Database, person: Person, id: string): Promise<StoredAdrift> => {
  const [volume] = await adriftByIds(database, Sight.of(person).namespaces, [id]);
  if (!volume) throw Refusal.notFound('volume that no claim holds', id);
  return volume;
};
const refuse = (code: string, title: string, detail: string, field?: string): never => {
  throw new Refusal('conflict', code, title, `${detail} Nothing was changed.`, field);
};

/** Keeps a volume so many days longer before it is destroyed. */
export async function lengthenGrace(database: Database, person: Person, id: string, days: number): Promise<void> {
  const volume = await ours(database, person, id);
  await database.transaction(async () => {
    const [longer] = await lengthen(database, id, days);
    if (!longer)
      return refuse(
        'no-grace',
        'It has no grace to lengthen',
        'It is kept until somebody says otherwise, or is on its way already.',
      );
    await record(database, {
      ...{ person: person.name, action: 'change', kind: 'volume', subject: subjectOf(volume) },
      before: { destroyedAt: volume.keep_until?.toISOString() },
      after: { destroyedAt: longer.keep_until.toISOString() },
    });
    await announce(database, [{ topic: 'claims' }]);
  });
}

const subjectOf = ({ namespace, name, volume_name }: StoredAdrift) =>
  name === null ? volume_name : `${namespace}/${name}`;

/** Destroys a volume of ours before its time, once its name was typed; what nobody here made is never destroyed. Gives what carries it. */
export async function destroyVolume(
  database: Database,
  person: Person,
  id: string,
  confirm: string,
): Promise<string[]> {
  const volume = await ours(database, person, id);
  if (volume.origin === 'foreign')
    return refuse('not-ours', 'It is not ours to destroy', 'Nobody here made this volume; whoever did may need it.');
  if (confirm !== volume.name)
    return refuse(
      'confirm-destruction',
      'This destroys data',
      `It destroys ${volume.consumed.toLocaleString('en-GB')} used bytes for good. Repeat the call with the name of its last claim, "${volume.name}".`,
      'confirm',
    );
  return database.transaction(async () => {
    await lockReserved(database, [id]);
    const where = { claimUid: id, state: 'adrift' as const, adopted: false };
    const [marked] = await reservations.in(database).update({ destroyedBy: person.name }, { where });
    const release = await operations.in(database).findOne({ where: { kind: 'release', subject: id }, raw: true });
    if (marked !== 1 || !release || release.endedAt === null)
      return refuse(
        'not-now',
        'Not in this state',
        'It was adopted, is on its way to a claim, or is being let go of already.',
      );
    const moved = await advance(database, releasing, { id: release.id, state: release.state }, 'releasing');
    await record(database, {
      ...{ person: person.name, action: 'delete', kind: 'volume', subject: subjectOf(volume) },
      before: { bytes: volume.bytes, consumed: volume.consumed, volume: volume.volume_id },
    });
    await announce(database, [{ topic: 'claims' }]);
    return moved ? [moved.id] : [];
  });
}
