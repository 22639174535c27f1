import { createHash } from 'node:crypto';
import { claiming } from '@moorage/contract/endpoints/endpoint';
import { objectionWords } from '@moorage/contract/manifest-words';
import type { ManifestApply, ManifestPlan, ManifestResult } from '@moorage/contract/manifests';
import type { Person } from '@moorage/contract/people';
import {
  planManifests,
  type Fate,
  type Fault,
  type PlannedObject,
  type WantedObject,
} from '@moorage/core/acts/manifest-plan';
import type { Manifest } from '@moorage/core/acts/platform-step';
import type { ReadObject } from '@moorage/manifests/text';
import { aboutOf, type ActRoom, type Acts, type PlannedStep } from '../acts/acts';
import { actKind } from '../acts/kind';
import { didNothing } from '../acts/steps';
import { podsOf } from '../claims/claims.sql';
import { classTurn } from '../classes/acts';
import { assertClass } from '../classes/settings';
import type { Database } from '../database/database';
import { PlatformProblem } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { askedBy } from './asked';
import { growthsIn } from './growths';
import type { ManifestReader } from './reading';
import { standingFor } from './standing';

const what: Readonly<Record<ReadObject['what'], WantedObject['what']>> = {
  ours: 'class',
  foreign: 'foreign',
  claim: 'claim',
  volume: 'volume',
  other: 'other',
  broken: 'broken',
};

/** What cannot be read has no name either; it is never made. */
function asManifest({ kind, name, value }: ReadObject): Manifest {
  // read in another thread: made plain before it is compared
  const plain = JSON.parse(JSON.stringify(value ?? null)) as Manifest | null;
  return plain !== null && typeof plain === 'object' && typeof plain.metadata === 'object' && plain.metadata !== null
    ? plain
    : { apiVersion: '', kind, metadata: { name } };
}

/** A class that says two things which cannot both be. */
function contradictionsOf({ storageClass, line }: ReadObject): Fault[] {
  if (!storageClass) return [];
  try {
    assertClass(storageClass);
    return [];
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    return [{ line, path: error.field ?? '', detail: error.detail }];
  }
}

/** Every object of a text, with its faults by line. */
async function readAll(reader: ManifestReader, text: string): Promise<WantedObject[]> {
  const read = await reader.read(text);
  if (read.length === 0) throw Refusal.invalid('text', 'There is no document in the manifest.');
  return read.map((object) => ({
    line: object.line,
    what: what[object.what],
    manifest: asManifest(object),
    faults: [
      ...object.problems.map(({ path, line, detail }) => ({ path: path.join('.'), line, detail })),
      ...contradictionsOf(object),
    ],
  }));
}

const namespaceOf = ({ manifest }: PlannedObject): string | undefined => manifest.metadata.namespace;
const subjectOf = ({ manifest: { metadata } }: PlannedObject): string =>
  metadata.namespace ? `${metadata.namespace}/${metadata.name}` : metadata.name;

const planText = async (database: Database, wanted: readonly WantedObject[], person: Person) =>
  planManifests(wanted, await standingFor(database, wanted, person));

function toPlan(planned: readonly PlannedObject[]): ManifestPlan {
  const objects = planned.map((object) => {
    const { line, manifest, fate, changes, objections } = object;
    return {
      ...{ line, kind: manifest.kind, namespace: manifest.metadata.namespace ?? null, name: manifest.metadata.name },
      ...{ fate, changes: [...changes], objections: [...objections], growth: null, asked: askedBy(object) },
    };
  });
  return { objects, planned: createHash('sha256').update(JSON.stringify(objects)).digest('hex').slice(0, 24) };
}

/** Shows what a text would do, and does nothing. */
export async function planManifestText(
  database: Database,
  site: string,
  reader: ManifestReader,
  text: string,
  person: Person,
): Promise<ManifestPlan> {
  const planned = await planText(database, await readAll(reader, text), person);
  const { objects, planned: name } = toPlan(planned);
  // how much room there is at this moment is no part of what is planned
  const growths = await growthsIn(database, site, planned);
  return { objects: objects.map((o, i) => ({ ...o, growth: growths.get(i) ?? null })), planned: name };
}

/** Refuses the whole text when something in it is: faults with field and line, else what stands in the way. */
function assertNothingRefused(planned: readonly PlannedObject[]): void {
  const refused = planned.flatMap((object, i) => object.objections.map((objection) => ({ i, object, objection })));
  const faults = refused.flatMap(({ i, objection }) => {
    if (objection.reason !== 'fault') return [];
    const { path, line, detail } = objection;
    const field = path === '' ? 'text' : planned.length > 1 ? `${i}.${path}` : path;
    return [{ field, detail: path === '' ? `line ${line}: ${detail}` : `line ${line}, ${path}: ${detail}` }];
  });
  if (faults.length > 0)
    throw new Refusal(
      'invalid',
      'invalid',
      'Not accepted',
      `${faults.map((f) => f.detail).join(' ')} Nothing was made.`,
      faults[0]!.field,
      faults,
    );
  const [first] = refused;
  if (!first) return;
  if (first.objection.reason === 'not-allowed')
    throw new Refusal(
      'forbidden',
      'not-allowed',
      'Not allowed',
      `You may make claims in your own namespaces, and nothing else; line ${first.object.line} is none. Nothing was made.`,
    );
  throw new Refusal(
    'conflict',
    'manifest-refused',
    'Part of it is refused',
    `${refused.map(({ object, objection }) => `Line ${object.line}, ${subjectOf(object)}: ${objectionWords(objection)}`).join(' ')} Nothing was made.`,
  );
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

const turnOf = (object: PlannedObject): string => {
  if (object.what === 'claim') return `claim ${subjectOf(object)}`;
  return object.what === 'volume' ? `volume ${subjectOf(object)}` : classTurn(subjectOf(object));
};

function stepOf(object: PlannedObject): PlannedStep {
  const step = object.step!;
  const kind = object.what === 'claim' || object.what === 'volume' ? object.what : 'class';
  const subject = subjectOf(object);
  if (step.do === 'make') return { step, entry: { action: 'create', kind, subject, after: step.object } };
  const members = (of: 'from' | 'to') => Object.fromEntries(object.changes.map((c) => [c.path, c[of]]));
  return { step, entry: { action: 'change', kind, subject, before: members('from'), after: members('to') } };
}

const isOurs = ({ what: of }: PlannedObject): boolean => of !== 'other' && of !== 'broken';

/**
 * Makes and changes what a text describes, in its order, as one operation. Nothing is done when anything in it is refused, unless
 * that is to be left out. Classes of other provisioners are written as they are; what stands already just so is left alone.
 */
export async function applyManifests(
  database: Database,
  acts: Acts,
  reader: ManifestReader,
  { text, leaveOut = false, planned: seen }: ManifestApply,
  person: Person,
): Promise<ManifestResult> {
  const wanted = await readAll(reader, text);
  const things = (await planText(database, wanted, person)).filter(isOurs).map(turnOf);
  let outcome: ManifestResult = { made: [], changed: [], kept: [], refused: [] };
  await acts.inTurn(applyingManifests(database), things, person.name, async () => {
    const planned = await planText(database, wanted, person);
    if (seen !== undefined && toPlan(planned).planned !== seen)
      throw new Refusal(
        'conflict',
        'plan-changed',
        'Things have changed',
        'What the text would do is not what was shown any more: somebody changed one of these objects. Nothing was made. Look at the plan again.',
      );
    if (!leaveOut) assertNothingRefused(planned);
    const named = (...fates: Fate[]) =>
      planned
        .filter((o) => fates.includes(o.fate))
        .map(({ manifest: { kind, metadata } }) => ({
          ...{ kind, namespace: metadata.namespace ?? null, name: metadata.name },
        }));
    outcome = {
      made: named('new'),
      changed: named('changed'),
      kept: named('untouched', 'left'),
      refused: named('refused'),
    };
    const going = planned.filter((o) => o.step !== undefined);
    if (going.length === 0) return undefined;
    // of several namespaces it is nobody's but who asked for it
    const [namespace, ...others] = new Set(going.map(namespaceOf));
    return {
      about: aboutOf(going.map((o) => o.step!)),
      ...(others.length === 0 && namespace !== undefined && { namespace }),
      steps: going.map(stepOf),
      inside: outcome,
      entries: [],
    };
  });
  return outcome;
}
