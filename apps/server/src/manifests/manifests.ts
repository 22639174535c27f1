import { isDeepStrictEqual } from 'node:util';
import type { ReadObject } from '@moorage/contract/manifest-text';
import type { ManifestResult } from '@moorage/contract/manifests';
import type { Person } from '@moorage/contract/people';
import { assertClass } from '../classes/settings';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { noteMade } from '../mirror/mirror';
import { findMirrored } from '../mirror/mirrored';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import type { ManifestReader } from './reading';

/** Reads every object, and refuses the whole text when one of them is wrong, with field and line of each fault. */
async function readAll(reader: ManifestReader, text: string): Promise<ReadObject[]> {
  const read = await reader.read(text);
  const several = new Set(read.map((o) => `${o.document}/${o.item}`)).size > 1;
  const faults = read.flatMap((object, i) =>
    object.problems.map(({ path, line, detail }) => ({
      field: path.length === 0 ? 'text' : (several ? [i, ...path] : path).join('.'),
      detail: path.length === 0 ? `line ${line}: ${detail}` : `line ${line}, ${path.join('.')}: ${detail}`,
    })),
  );
  if (faults.length > 0)
    throw new Refusal(
      'invalid',
      'invalid',
      'Not accepted',
      `${faults.map((f) => f.detail).join(' ')} Nothing was made.`,
      faults[0]!.field,
      faults,
    );
  if (read.length === 0) throw Refusal.invalid('text', 'There is no document in the manifest.');
  return read;
}

const namespaceOf = ({ value }: ReadObject): string | undefined =>
  (value as { metadata: { namespace?: string } }).metadata.namespace;

function checkAllowed(read: readonly ReadObject[], person: Person): void {
  if (person.role !== 'namespace-owner') return;
  const foreign = read.find((r) => r.what !== 'claim' || !person.namespaces.includes(namespaceOf(r)!));
  if (foreign)
    throw new Refusal(
      'forbidden',
      'not-allowed',
      'Not allowed',
      `You may make claims in ${person.namespaces.join(', ') || 'no namespace'}, and nothing else.`,
    );
}

/** Whether the platform has the class just as the text says it: all that the text names is there, with that value. */
async function standsAlready(database: Database, object: ReadObject): Promise<boolean> {
  const row = await findMirrored(database, 'storageclasses', object.name);
  if (!row) return false;
  // read in another thread: made plain before it is compared
  const wanted = JSON.parse(JSON.stringify(object.value)) as Record<string, unknown>;
  const { metadata, ...members } = wanted;
  const { annotations = {}, labels = {} } = metadata as { annotations?: object; labels?: object };
  const there = row.body.metadata as { annotations?: Record<string, string>; labels?: Record<string, string> };
  return (
    Object.entries(members).every(([key, value]) => isDeepStrictEqual(row.body[key], value)) &&
    Object.entries(annotations).every(([key, value]) => there.annotations?.[key] === value) &&
    Object.entries(labels).every(([key, value]) => there.labels?.[key] === value)
  );
}

/**
 * Makes what a manifest describes, in its order. Nothing is made when anything in it is wrong. Classes of other provisioners
 * are written as they are; classes that stand already just so, and objects that are not ours to make, are left alone.
 */
export async function makeFromManifest(
  database: Database,
  platform: PlatformConnector,
  reader: ManifestReader,
  text: string,
  person: Person,
): Promise<ManifestResult> {
  const read = await readAll(reader, text);
  checkAllowed(read, person);
  for (const { storageClass } of read) if (storageClass) assertClass(storageClass);
  const made: ManifestResult['made'] = [];
  const kept: ManifestResult['kept'] = [];
  for (const object of read) {
    const { kind, name, what, value } = object;
    const namespace = namespaceOf(object);
    const named = { kind, namespace: namespace ?? null, name };
    if (what === 'other' || (what !== 'claim' && (await standsAlready(database, object)))) {
      kept.push(named);
      continue;
    }
    const isClaim = what === 'claim';
    try {
      const stored = await platform.create(value as PlatformObject);
      await noteMade(database, isClaim ? 'persistentvolumeclaims' : 'storageclasses', stored);
    } catch (error) {
      if (!(error instanceof PlatformProblem) || made.length === 0) throw error;
      const before = made.map((m) => m.name).join(', ');
      throw new PlatformProblem(error.code, `${name}: ${error.message}. Made before it: ${before}.`, error.causes);
    }
    await record(database, {
      person: person.name,
      action: 'create',
      kind: isClaim ? 'claim' : 'class',
      subject: namespace ? `${namespace}/${name}` : name,
      after: value,
    });
    made.push(named);
  }
  await announce(database, [{ topic: 'claims' }, { topic: 'classes', subject: 'made' }]);
  return { made, kept };
}
