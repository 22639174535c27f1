import { randomUUID } from 'node:crypto';
import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { ApplicationPlan, NewApplication, ScalePlan } from '@moorage/contract/applications';
import type { Person } from '@moorage/contract/people';
import {
  applicationManifests,
  setManifest,
  claimNamesOf,
  constraintsOf,
  spreadRules,
  type SpreadWanted,
} from '@moorage/core/applications/set-manifest';
import { shapeOf, type SetShape } from '@moorage/core/applications/set-shape';
import type { Manifest, PlatformStep } from '@moorage/core/acts/platform-step';
import type { ActRoom, Acts } from '../acts/acts';
import { actKind } from '../acts/kind';
import { deletionOf } from '../claims/deletion';
import type { Database } from '../database/database';
import { isMirrored } from '../mirror/mirrored';
import { platformObjects } from '../mirror/mirror-model';
import { holdPlanned, releaseClaims, releaseHeld } from '../moorings/planned';
import { Sight } from '../people/sight';
import type { PlatformObject } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { planReplicas, type PlannedStart } from './plan';

interface At {
  readonly namespace: string;
  readonly name: string;
}
const subjectOf = ({ namespace, name }: At): string => `${namespace}/${name}`;
const turnOf = (at: At): string => `application ${subjectOf(at)}`;

/** Applications started and scaled: all of it on the platform, or nothing. */
export const carryingApplication: ActRoom<At, At> = {
  kind: actKind('application', 'Starting an application', claiming),
  write: ({ inside }) => Promise.resolve(inside),
  tells: () => [{ topic: 'applications' }, { topic: 'claims' }],
};

const range = (from: number, to: number): number[] =>
  Array.from({ length: Math.max(0, to - from) }, (_, i) => from + i);

function assertSees(person: Person, { namespace }: At): void {
  if (!Sight.of(person).sees(namespace)) throw Refusal.notFound('namespace', namespace);
}

const asShape = (asked: NewApplication): SetShape => shapeOf(setManifest(asked));

/** Where all of it would go, as things stand. */
export const planApplication = (
  database: Database,
  site: string,
  asked: NewApplication,
  person: Person,
): Promise<ApplicationPlan> => planShape(database, site, asShape(asked), person);

/** The same of a set of any shape. */
export async function planShape(
  database: Database,
  site: string,
  shape: SetShape,
  person: Person,
): Promise<ApplicationPlan> {
  assertSees(person, shape);
  return (await planReplicas(database, site, shape, range(0, shape.replicas))).plan;
}

const reasons = {
  cordoned: 'cordoned',
  taint: 'keep others off by a taint',
  'not-ready': 'not ready',
  selector: 'not among those that it asks for',
  'volume-zone': 'in zones from which its volumes cannot be reached',
  'attach-limit': 'at the most volumes that they take',
  pods: 'full of pods',
  cpu: 'short of processor',
  memory: 'short of memory',
  spread: 'beside others of it',
} as const;

/** Why a plan is refused, in words: nothing was done yet. */
function assertFits({ fits, missing, claims, pods }: ApplicationPlan): void {
  if (fits) return;
  const refuse = (detail: string) =>
    new Refusal('conflict', 'does-not-fit', 'It does not fit', `${detail} Nothing was made.`);
  if (missing.length > 0)
    throw refuse(`There is no class ${missing.join(', ')} of ours. Make it, or choose another for the template.`);
  const claim = claims.find((c) => !c.isThere && c.pool === null);
  const more = claims.filter((c) => !c.isThere && c.pool === null).length - 1;
  const beside = more > 0 ? ` ${more} more claims have no place either.` : '';
  if (claim?.failed)
    throw refuse(
      `The claim ${claim.name} finds no place: on ${claim.failed.pool} the rule "${claim.failed.check.rule}" needs ${claim.failed.check.need} and has ${claim.failed.check.have}.${beside}`,
    );
  if (claim) throw refuse(`The claim ${claim.name} finds no place: its class is moored to no pool.${beside}`);
  const pod = pods.find((p) => p.node === null)!;
  const against = pod.against.map(({ rule, nodes }) => `${nodes} are ${reasons[rule]}`).join(', ');
  throw refuse(`No node takes the pod ${pod.pod}: of all nodes ${against || 'there is none'}.`);
}

/** Plans replicas of a shape, and holds the places of their claims against others: what does not fit is refused. */
const holdFitting = (
  database: Database,
  { templates }: SetShape,
  person: Person,
  name: string,
  reckoned: () => Promise<PlannedStart>,
): Promise<void> =>
  holdPlanned(
    database,
    // the default class is looked up by the plan
    templates.every((t) => t.className) ? templates.map((t) => t.className!) : 'any',
    person.name,
    name,
    async () => {
      const { plan, places } = await reckoned();
      assertFits(plan);
      return { places, outcome: undefined };
    },
  );

/** Does it; where it fails, the places that were kept for it go. */
async function orDrop(database: Database, plan: string, act: () => Promise<unknown>): Promise<void> {
  try {
    await act();
  } catch (error) {
    await releaseHeld(database, plan);
    throw error;
  }
}

/** Starts an application; what does not fit, or is there already, is refused before anything is done. */
export const startApplication = (
  database: Database,
  site: string,
  acts: Acts,
  asked: NewApplication,
  person: Person,
): Promise<At> =>
  startObjects(database, site, acts, person, {
    ...{ shape: asShape(asked), after: asked },
    objects: (isNew) => applicationManifests(asked, isNew),
  });

/** What is started: a set with what stands beside it. */
export interface Starting {
  readonly shape: SetShape;
  /** In the order in which they are made, with the namespace where it is not there yet. */
  readonly objects: (makeNamespace: boolean) => readonly Manifest[];
  /** As the logbook tells it. */
  readonly after: unknown;
}

/** Starts what is given, all or nothing. */
export async function startObjects(
  database: Database,
  site: string,
  acts: Acts,
  person: Person,
  { shape, objects, after }: Starting,
): Promise<At> {
  assertSees(person, shape);
  const at = { namespace: shape.namespace, name: shape.name };
  const subject = subjectOf(at);
  const name = randomUUID();
  const plan = async () => {
    if (await findSet(database, at))
      throw new Refusal('conflict', 'platform-exists', 'It is there already', `${subject} runs already.`, 'name');
    const isNew = !(await isMirrored(database, 'namespaces', at.namespace));
    if (isNew && person.role === 'namespace-owner') throw Refusal.notFound('namespace', at.namespace);
    await holdFitting(database, shape, person, name, () =>
      planReplicas(database, site, shape, range(0, shape.replicas)),
    );
    const steps = objects(isNew).map((object): PlatformStep => ({ do: 'make', object }));
    return {
      ...{ about: subject, namespace: at.namespace, inside: at },
      steps: steps.map((step) => ({ step })),
      entries: [{ action: 'create' as const, kind: 'application' as const, subject, after }],
    };
  };
  await orDrop(database, name, () => acts.inTurn(carryingApplication, [turnOf(at)], person.name, plan));
  return at;
}

async function findSet(database: Database, { namespace, name }: At) {
  const row = await platformObjects
    .in(database)
    .findOne({ raw: true, where: { plural: 'statefulsets', namespace, name } });
  return row ?? undefined;
}

async function getSet(database: Database, person: Person, at: At) {
  const row = Sight.of(person).sees(at.namespace) ? await findSet(database, at) : undefined;
  if (!row) throw Refusal.notFound('stateful set', subjectOf(at));
  return { uid: row.uid, body: row.body, shape: shapeOf(row.body) };
}

async function reckonScale(database: Database, site: string, person: Person, at: At, to: number) {
  const { uid, body, shape } = await getSet(database, person, at);
  const from = shape.replicas;
  const started = to > from ? await planReplicas(database, site, shape, range(from, to), uid) : undefined;
  const names = range(to, from).flatMap((i) => claimNamesOf(shape, i));
  const going = await deletionOf(
    database,
    names.map((name) => ({ namespace: at.namespace, name })),
  );
  // claims that stay lose nothing
  const goes = shape.whenScaled === 'Delete';
  const plan: ScalePlan = {
    ...{ from, to, start: started?.plan ?? null, whenScaled: shape.whenScaled },
    claims: going.claims.map(({ name, used }) => ({ name, written: used })),
    ...{ destroyed: goes ? going.destroyed : 0, confirm: goes && going.confirm },
  };
  return { plan, started, body, shape, uid };
}

/** What more or fewer replicas would bring about. */
export const planScale = async (
  database: Database,
  site: string,
  at: At,
  to: number,
  person: Person,
): Promise<ScalePlan> => (await reckonScale(database, site, person, at, to)).plan;

/** Gives a set more or fewer replicas; more than fit are refused before anything is done. */
export async function scaleApplication(
  database: Database,
  site: string,
  acts: Acts,
  at: At,
  { replicas: to, confirm }: { replicas: number; confirm?: string },
  person: Person,
): Promise<At> {
  const subject = subjectOf(at);
  const name = randomUUID();
  const planned = async () => {
    const { plan, started, body, shape, uid } = await reckonScale(database, site, person, at, to);
    if (plan.from === to) return undefined;
    if (plan.confirm && confirm !== at.name)
      throw new Refusal(
        'conflict',
        'confirm-destruction',
        'This destroys data',
        `The set deletes the claims of replicas that are taken away, and ${plan.destroyed.toLocaleString('en-GB')} used bytes go with them for good. Give its name to do it.`,
        'confirm',
      );
    if (started) {
      assertFits(started.plan);
      await holdFitting(database, shape, person, name, () =>
        planReplicas(database, site, shape, range(plan.from, to), uid),
      );
    }
    // another change of it meanwhile is told, and not written over
    const about = (replicas: number, version?: string) => ({
      ...{ apiVersion: 'apps/v1', kind: 'StatefulSet', spec: { replicas } },
      metadata: { ...at, ...(version !== undefined && { resourceVersion: version }) },
    });
    const step: PlatformStep = {
      do: 'patch',
      object: about(to, body.metadata.resourceVersion),
      back: about(plan.from),
    };
    return {
      goingClaims: range(to, plan.from).flatMap((i) => claimNamesOf(shape, i)),
      ...{ about: subject, namespace: at.namespace, inside: at, steps: [{ step }] },
      entries: [
        {
          ...{ action: 'change' as const, kind: 'application' as const, subject },
          ...{ before: { replicas: plan.from }, after: { replicas: to } },
        },
      ],
    };
  };
  let going: string[] = [];
  const planAndNote = async () => {
    const act = await planned();
    going = act?.goingClaims ?? [];
    return act;
  };
  await orDrop(database, name, () => acts.inTurn(carryingApplication, [turnOf(at)], person.name, planAndNote));
  // claims of replicas that go were perhaps still to come
  if (going.length > 0)
    await releaseClaims(
      database,
      going.map((claim) => ({ namespace: at.namespace, claim })),
    );
  return at;
}

const constraintsIn = ({ spec }: PlatformObject) => spec?.template?.spec?.topologySpreadConstraints;

async function reckonSpread(database: Database, site: string, person: Person, at: At, by: SpreadWanted) {
  const { uid, body, shape } = await getSet(database, person, at);
  const rules = spreadRules(by, shape.pod.labels);
  const keys = new Set(rules.map((r) => r.key));
  // rules of its own about other labels of nodes stay
  const kept = shape.pod.spread.filter((r) => !keys.has(r.key));
  const apart = { ...shape, pod: { ...shape.pod, spread: [...kept, ...rules] } };
  const planned = await planReplicas(database, site, apart, range(0, shape.replicas), uid, 'anew');
  const others = (constraintsIn(body) ?? []).filter((c) => !keys.has(c.topologyKey));
  return { body, plan: planned.plan, constraints: [...others, ...constraintsOf(rules)] };
}

/** A set that leaves its pods until somebody deletes them does not start them anew. */
function assertRolls({ spec }: PlatformObject, subject: string): void {
  if ((spec as { updateStrategy?: { type?: string } } | undefined)?.updateStrategy?.type !== 'OnDelete') return;
  throw new Refusal(
    'conflict',
    'does-not-roll',
    'Its pods are not started anew',
    `${subject} says that its pods stay until they are deleted (updateStrategy: OnDelete): the rule would hold for new ones alone. Nothing was changed. Change its strategy first.`,
  );
}

/** Where replicas would go if they had to keep apart. */
export const planSpread = async (
  database: Database,
  site: string,
  at: At,
  by: SpreadWanted,
  person: Person,
): Promise<ApplicationPlan> => (await reckonSpread(database, site, person, at, by)).plan;

/** Gives the template of a set the platform's rules that keep replicas apart; the platform starts its pods anew for it. */
export async function spreadApplication(
  database: Database,
  site: string,
  acts: Acts,
  at: At,
  by: SpreadWanted,
  person: Person,
): Promise<At> {
  const subject = subjectOf(at);
  await acts.inTurn(carryingApplication, [turnOf(at)], person.name, async () => {
    const { plan, body, constraints } = await reckonSpread(database, site, person, at, by);
    assertRolls(body, subject);
    assertFits(plan);
    const about = (rules: readonly object[] | null, version?: string) => ({
      ...{ apiVersion: 'apps/v1', kind: 'StatefulSet' },
      metadata: { ...at, ...(version !== undefined && { resourceVersion: version }) },
      spec: { template: { spec: { topologySpreadConstraints: rules } } },
    });
    const before = constraintsIn(body) ?? null;
    const step: PlatformStep = {
      do: 'patch',
      object: about(constraints, body.metadata.resourceVersion),
      back: about(before),
    };
    return {
      ...{ about: subject, namespace: at.namespace, inside: at, steps: [{ step }] },
      entries: [
        { action: 'change', kind: 'application', subject, before: { keepApart: before }, after: { keepApart: by } },
      ],
    };
  });
  return at;
}
