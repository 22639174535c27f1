import { covers, type Manifest, type PlatformStep } from '@moorage/core/acts/platform-step';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { knownVersion, noteChanged, noteMade } from '../mirror/mirror';
import { platformObjects } from '../mirror/mirror-model';
import { PlatformProblem, type PlatformConnector, type PlatformObject, type Plural } from '../platform/connector';
import type { ActStep } from './act-model';

export interface TwoWorlds {
  readonly database: Database;
  readonly platform: PlatformConnector;
}

/** What the platform answered; noted in the transaction that says the step is done. */
interface Answered {
  readonly uid: string | null;
  readonly note: () => Promise<void>;
}

/** Kinds of objects that the mirror follows; of others nothing is noted. */
const plurals: Readonly<Record<string, Plural>> = {
  Namespace: 'namespaces',
  StatefulSet: 'statefulsets',
  StorageClass: 'storageclasses',
  PersistentVolumeClaim: 'persistentvolumeclaims',
  PersistentVolume: 'persistentvolumes',
};
const pluralOf = ({ kind }: Manifest): Plural | undefined => plurals[kind];

/** Answers that say for certain that nothing was done. */
const certain = new Set(['exists', 'invalid', 'forbidden', 'conflict', 'not-found']);
export const didNothing = (error: unknown): boolean => error instanceof PlatformProblem && certain.has(error.code);

const find = ({ platform }: TwoWorlds, { apiVersion, kind, metadata }: Manifest) =>
  platform.find(apiVersion, kind, metadata.name, metadata.namespace);
const remove = ({ platform }: TwoWorlds, { apiVersion, kind, metadata }: Manifest) =>
  platform.ensureDeleted(apiVersion, kind, metadata.name, metadata.namespace);
const asObject = (manifest: Manifest): PlatformObject => manifest as unknown as PlatformObject;

async function forget({ database }: TwoWorlds, manifest: Manifest, but?: string): Promise<void> {
  const plural = pluralOf(manifest);
  if (!plural) return;
  const { name, namespace = '' } = manifest.metadata;
  await platformObjects
    .in(database)
    .destroy({ where: { plural, name, namespace, ...(but !== undefined && { uid: { [Op.ne]: but } }) } });
}

const made = (at: TwoWorlds, manifest: Manifest, object: PlatformObject): Answered => ({
  uid: object.metadata.uid!,
  note: async () => {
    await forget(at, manifest, object.metadata.uid!);
    const plural = pluralOf(manifest);
    if (plural) await noteMade(at.database, plural, object);
  },
});

/** Makes an object; one that an earlier try made, whose answer was lost, is taken as made. */
async function make(at: TwoWorlds, object: Manifest, isRepeated: boolean): Promise<Answered> {
  const there = isRepeated ? await find(at, object) : undefined;
  if (there && covers(there, object)) return made(at, object, there);
  return made(at, object, await at.platform.create(asObject(object)));
}

async function patch(at: TwoWorlds, object: Manifest): Promise<Answered> {
  const plural = pluralOf(object);
  const { name, namespace } = object.metadata;
  const before = plural && (await knownVersion(at.database, plural, name, namespace));
  const patched = await at.platform.mergePatch(asObject(object));
  return { uid: null, note: async () => void (plural && (await noteChanged(at.database, plural, patched, before))) };
}

/** Takes an object away and makes it anew, unless it is already as it is wanted. */
async function swap(at: TwoWorlds, wanted: Manifest): Promise<Answered> {
  const there = await find(at, wanted);
  if (there && covers(there, wanted)) return made(at, wanted, there);
  if (there) await remove(at, wanted);
  return made(at, wanted, await at.platform.create(asObject(wanted)));
}

async function takeAway(at: TwoWorlds, object: Manifest): Promise<Answered> {
  await remove(at, object);
  return { uid: null, note: () => forget(at, object) };
}

/** Asks the platform for a step. What was asked before, and not answered, may be asked again. */
export function carry(at: TwoWorlds, { step, state }: ActStep): Promise<Answered> {
  switch (step.do) {
    case 'make':
      return make(at, step.object, state === 'asked');
    case 'patch':
      return patch(at, step.object);
    case 'replace':
      return swap(at, step.object);
    case 'remove':
      return takeAway(at, step.object);
  }
}

/** Whether a step that the platform refused at its word may have changed something all the same. */
export const mayHaveChanged = ({ do: what }: PlatformStep): boolean => what === 'replace';

async function unmake(at: TwoWorlds, object: Manifest, uid: string | null): Promise<Answered> {
  const there = await find(at, object);
  // made by somebody else since, or before: not ours to take away
  const isOurs = there !== undefined && (uid === null ? covers(there, object) : there.metadata.uid === uid);
  if (isOurs) await remove(at, object);
  return { uid: null, note: async () => void (isOurs && (await forget(at, object))) };
}

const nothingLeft: Answered = { uid: null, note: () => Promise.resolve() };

/** What somebody took away, or made again, since: there is nothing left to take back, and theirs stays. */
const unless =
  (code: PlatformProblem['code']) =>
  (error: unknown): Answered => {
    if (error instanceof PlatformProblem && error.code === code) return nothingLeft;
    throw error;
  };

/** Takes a step back, also one of which it is not known whether it was done. */
export function carryBack(at: TwoWorlds, { step, uid }: ActStep): Promise<Answered> {
  switch (step.do) {
    case 'make':
      return unmake(at, step.object, uid);
    case 'patch':
      return patch(at, step.back).catch(unless('not-found'));
    case 'replace':
      return swap(at, step.was);
    case 'remove':
      return make(at, step.object, true).catch(unless('exists'));
  }
}
