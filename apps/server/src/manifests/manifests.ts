import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { ReadObject } from '@moorage/manifests/text';
import type { ManifestResult } from '@moorage/contract/manifests';
import type { Person } from '@moorage/contract/people';
import { covers, type Manifest } from '@moorage/core/acts/platform-step';
import { aboutOf, type ActRoom, type Acts, type PlannedStep } from '../acts/acts';
import { actKind } from '../acts/kind';
import { didNothing } from '../acts/steps';
import { classTurn } from '../classes/acts';
import { assertClass } from '../classes/settings';
import type { Database } from '../database/database';
import { findMirrored } from '../mirror/mirrored';
import { podsOf } from '../claims/claims.sql';
import { PlatformProblem } from '../platform/connector';
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
async function standsAlready(database: Database, { name, value }: ReadObject): Promise<boolean> {
  const row = await findMirrored(database, 'storageclasses', name);
  return row !== undefined && covers(row.body, value);
}

/**
 * Manifests as acts. They need not stand or fall together: what was made may be in use at once, and is not taken away again
 * unless a person says so. What is refused when something was made before it stops there, and can be gone on with.
 */
export const applyingManifests = (database: Database): ActRoom<ManifestResult, ManifestResult> => ({
  kind: actKind('manifests', 'Applying manifests', claiming),
  write: ({ inside }) => Promise.resolve(inside),
  tells: () => [{ topic: 'claims' }, { topic: 'classes', subject: 'made' }],
  afterFailure: (steps, error) => {
    if (!steps.some((s) => s.state === 'done')) return 'undo';
    return didNothing(error) ? 'stop' : 'again';
  },
  assertUnused: async ({ kind, metadata: { namespace, name } }) => {
    if (kind !== 'PersistentVolumeClaim') return;
    const [pod] = await podsOf(database, namespace!, name);
    if (pod)
      throw new Refusal(
        'conflict',
        'in-use',
        'In use by now',
        `The claim ${namespace}/${name} is used by the pod ${pod.pod} by now: what it wrote would be lost. It stays. Delete it under Claims, where that is looked at, and then try again.`,
      );
  },
  unfinished: (error, steps) => {
    const done = steps.filter((s) => s.state === 'done').map((s) => s.step.object.metadata.name);
    if (!(error instanceof PlatformProblem) || done.length === 0) return error;
    return new PlatformProblem(
      error.code,
      `${error.message}. Made before it: ${done.join(', ')}. Go on with it, or take it back, under what is under way.`,
      error.causes,
    );
  },
});

/**
 * Makes what a manifest describes, in its order. Nothing is made when anything in it is wrong. Classes of other provisioners
 * are written as they are; classes that stand already just so, and objects that are not ours to make, are left alone.
 */
export async function makeFromManifest(
  database: Database,
  acts: Acts,
  reader: ManifestReader,
  text: string,
  person: Person,
): Promise<ManifestResult> {
  // read in another thread: made plain before it is compared
  const read = (await readAll(reader, text)).map((r) => ({
    ...r,
    value: JSON.parse(JSON.stringify(r.value)) as unknown,
  }));
  checkAllowed(read, person);
  for (const { storageClass } of read) if (storageClass) assertClass(storageClass);
  const ours = read.filter((r) => r.what !== 'other');
  const things = ours.map((r) => (r.what === 'claim' ? `claim ${namespaceOf(r)}/${r.name}` : classTurn(r.name)));
  let outcome: ManifestResult = { made: [], kept: [] };
  await acts.inTurn(applyingManifests(database), things, person.name, async () => {
    const made: ManifestResult['made'] = [];
    const kept: ManifestResult['kept'] = [];
    const steps: PlannedStep[] = [];
    for (const object of read) {
      const { kind, name, what, value } = object;
      const namespace = namespaceOf(object);
      const isKept = what === 'other' || (what !== 'claim' && (await standsAlready(database, object)));
      (isKept ? kept : made).push({ kind, namespace: namespace ?? null, name });
      if (isKept) continue;
      const subject = namespace ? `${namespace}/${name}` : name;
      const entry = { action: 'create', kind: what === 'claim' ? 'claim' : 'class', subject, after: value } as const;
      steps.push({ step: { do: 'make', object: value as Manifest }, entry });
    }
    outcome = { made, kept };
    if (steps.length === 0) return undefined;
    const about = aboutOf(steps.map((s) => s.step));
    // of several namespaces it is nobody's but who asked for it
    const [namespace, ...others] = new Set(read.map(namespaceOf));
    return {
      about,
      ...(others.length === 0 && namespace !== undefined && { namespace }),
      steps,
      inside: outcome,
      entries: [],
    };
  });
  return outcome;
}
