import type { DrainSeen, NodeSeen } from '@moorage/contract/applications';
import { operating } from '@moorage/contract/endpoints/endpoint';
import { planDrain, type DrainedPod, type DisruptionBudget } from '@moorage/core/applications/drain';
import { podShape } from '@moorage/core/applications/set-shape';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { noteChanged } from '../mirror/mirror';
import { findMirrored } from '../mirror/mirrored';
import type { Kind, LookAgain, Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { operations } from '../operations/operation-model';
import { advance, beginOperations, noteProgress } from '../operations/operations';
import { PlatformProblem, type PlatformConnector } from '../platform/connector';
import { OutsideProblem } from '../refusals/outside';
import { Refusal } from '../refusals/refusal';
import { drains } from './drain-model';
import { allMeasured, budgetsOf, lastCopiesOn, nodesListed, podsOnNode, type PodOnNode } from './drain.sql';
import { zonesOfVolumes } from './pages.sql';
import { nodesAndPods } from './plan';

/** Seconds beyond which a grace is as good as none. */
const longest = 10 * 365 * 86_400;

type DrainState = 'cordoning' | 'evicting' | 'drained' | 'opening' | 'given-up';

/** A node that its pods leave. */
export const draining: Kind<DrainState> = {
  kind: 'drain',
  title: 'Draining a node',
  begins: 'cordoning',
  holds: 'node',
  undo: 'opening',
  callsOff: 'Pods that have left stay where they are; the node takes pods again, if it did before.',
  steered: operating,
  states: {
    cordoning: { words: 'the node takes no more pods', to: ['evicting', 'opening'] },
    evicting: { words: 'its pods leave, as far as their budgets allow', to: ['drained', 'opening'] },
    drained: { words: 'drained; it takes no pods until it is opened', to: [], stays: 'end' },
    opening: { words: 'takes pods again', to: ['given-up'] },
    'given-up': { words: 'given up', to: [], stays: 'end' },
  },
};

const has = (labels: Readonly<Record<string, string>>, wanted: Readonly<Record<string, string>>): boolean =>
  Object.entries(wanted).every(([key, value]) => labels[key] === value);

/** What becomes of the pods of a node, as things stand. */
async function reckon(database: Database, node: string) {
  const pods = (await podsOnNode(database, node)).filter((p) => !p.deleting);
  const budgets = await budgetsOf(database, [...new Set(pods.map((p) => p.namespace))]);
  const zones = new Map(
    (
      await zonesOfVolumes(
        database,
        pods.flatMap((p) => p.volumes ?? []),
      )
    ).map((v) => [v.name, v.zones]),
  );
  const { nodes, there } = await nodesAndPods(database);
  const own = (p: PodOnNode) =>
    budgets.filter((b) => b.namespace === p.namespace && has(p.labels ?? {}, b.labels ?? {}));
  const drained = pods.map((p): DrainedPod => {
    const all = (p.volumes ?? []).flatMap((v) => (zones.has(v) ? [zones.get(v)!] : []));
    const common = all.length > 0 ? all.reduce((a, b) => a.filter((z) => b.includes(z))) : undefined;
    return {
      pod: {
        ...podShape(p.labels ?? {}, p.spec),
        ...{ name: p.name, namespace: p.namespace, owner: p.owner ?? p.uid },
        volumes: (p.claims ?? []).map((c) => `${p.namespace}/${c}`),
        ...(common && { zones: common }),
      },
      ...(p.owner_kind !== null && { ownerKind: p.owner_kind }),
      hasLocalData: p.local,
      budgets: own(p).map((b) => `${b.namespace}/${b.name}`),
    };
  });
  const allowances = new Map(
    budgets.map((b): [string, DisruptionBudget] => [
      `${b.namespace}/${b.name}`,
      {
        name: b.name,
        allowed: b.allowed ?? 0,
        everAllowed: b.expected === null || b.desired === null ? 1 : b.expected - b.desired,
      },
    ]),
  );
  return { pods, plan: planDrain(node, drained, nodes, there, allowances) };
}

async function getNode(database: Database, name: string) {
  const node = await findMirrored(database, 'nodes', name);
  if (!node) throw Refusal.notFound('node', name);
  return node;
}

/** What draining a node would bring about; nothing is done. */
export async function planNodeDrain(database: Database, name: string): Promise<DrainSeen> {
  await getNode(database, name);
  const { pods, plan } = await reckon(database, name);
  const byName = new Map(pods.map((p) => [`${p.namespace}/${p.name}`, p]));
  const measured = await first(allMeasured(database));
  return {
    node: name,
    isPossible: plan.isPossible,
    pods: plan.pods.map(({ namespace, pod, fate }) => {
      const { owner_kind, owner_name, claims } = byName.get(`${namespace}/${pod}`)!;
      return { namespace, pod, ownerKind: owner_kind, owner: owner_name, claims: claims ?? [], fate: plain(fate) };
    }),
    lastCopies: (await lastCopiesOn(database, name)).map((c) => c.claim),
    measured: measured && measured.count > 0 ? measured : null,
  };
}

/** Without what may not be changed, for the answer. */
const plain = (fate: ReturnType<typeof planDrain>['pods'][number]['fate']): DrainSeen['pods'][number]['fate'] =>
  fate.kind === 'cannot' && fate.why === 'no-node' ? { ...fate, against: [...fate.against] } : fate;

export async function listNodes(database: Database): Promise<NodeSeen[]> {
  const [nodes, open] = [
    await nodesListed(database),
    await operations
      .in(database)
      .scope('open')
      .findAll({ raw: true, where: { kind: draining.kind }, limit: 10_000 }),
  ];
  const under = new Map(open.map((o) => [o.subject, o.id]));
  return nodes.map(({ tainted_at, first_s, last_s, ...n }) => {
    const after = (seconds: number | null) =>
      tainted_at === null || seconds === null || Number.isNaN(Date.parse(tainted_at))
        ? null
        : new Date(Date.parse(tainted_at) + Math.min(seconds, longest) * 1000).toISOString();
    return { ...n, endsFirst: after(first_s), endsLast: after(last_s), draining: under.get(n.name) ?? null };
  });
}

/** Lets a node take pods, or no more. */
async function setCordoned(database: Database, platform: PlatformConnector, name: string, cordoned: boolean) {
  const node = await getNode(database, name);
  const patched = await platform.mergePatch({
    ...{ apiVersion: 'v1', kind: 'Node', metadata: { name }, spec: { unschedulable: cordoned } },
  });
  await noteChanged(database, 'nodes', patched, node.version);
  await announce(database, [{ topic: 'backends' }, { topic: 'applications' }]);
  return (node.body.spec as { unschedulable?: boolean } | undefined)?.unschedulable === true;
}

export async function cordonNode(
  database: Database,
  platform: PlatformConnector,
  name: string,
  cordoned: boolean,
  person: string,
): Promise<void> {
  const before = await setCordoned(database, platform, name, cordoned);
  if (before === cordoned) return;
  await record(database, {
    ...{ person, action: 'change', kind: 'node', subject: name },
    ...{ before: { cordoned: before }, after: { cordoned } },
  });
}

const whyWords = {
  'no-owner': 'nothing would start it again',
  'local-data': 'it keeps data on the node itself',
  budget: 'its disruption budget never lets one go',
  'no-node': 'no other node takes it',
} as const;

/** Why a node is not drained, in words. */
function assertPossible({ node, pods, isPossible, lastCopies }: DrainSeen): void {
  const refuse = (detail: string) =>
    new Refusal('conflict', 'cannot-drain', 'It cannot be drained', `${detail} Nothing was done.`);
  if (lastCopies.length > 0)
    throw refuse(
      `The last copy in step of ${lastCopies.slice(0, 3).join(', ')}${lastCopies.length > 3 ? ` and ${lastCopies.length - 3} more` : ''} lies on ${node}. Keep another copy elsewhere first.`,
    );
  if (isPossible) return;
  const stuck = pods.flatMap((p) => (p.fate.kind === 'cannot' ? [{ ...p, why: whyWords[p.fate.why] }] : []));
  throw refuse(
    `${stuck
      .slice(0, 3)
      .map((p) => `${p.namespace}/${p.pod} cannot leave: ${p.why}.`)
      .join(' ')}${stuck.length > 3 ? ` ${stuck.length - 3} more cannot either.` : ''}`,
  );
}

/** Begins to drain a node; what cannot be drained is refused before anything is done. */
export async function drainNode(
  database: Database,
  name: string,
  person: string,
  carry: (operations: readonly string[]) => void,
): Promise<DrainSeen> {
  const node = await getNode(database, name);
  const known = (await nodesListed(database)).find((n) => n.name === name);
  if (known?.ready === false)
    throw new Refusal(
      'conflict',
      'not-heard-of',
      'It is not heard of',
      `${name} does not answer the platform: its pods can be told to end, and cannot without it. Nothing was done. Once it is known to be off, declare it so.`,
    );
  const plan = await planNodeDrain(database, name);
  assertPossible(plan);
  const begun = await database.transaction(async () => {
    const made = await beginOperations(database, draining, [name], { about: name, person });
    if (made.length === 0)
      throw new Refusal('conflict', 'draining', 'It is being drained', `${name} is being drained already.`);
    const wasCordoned = (node.body.spec as { unschedulable?: boolean } | undefined)?.unschedulable === true;
    await drains.in(database).create({ operationId: made[0]!, node: name, wasCordoned });
    await noteProgress(database, { id: made[0]! }, plan.pods.filter((p) => p.fate.kind === 'moves').length, 'steps');
    await record(database, { person, action: 'change', kind: 'node', subject: name, after: { drained: true } });
    await announce(database, [{ topic: 'operations' }, { topic: 'applications' }]);
    return made;
  });
  carry(begun);
  return plan;
}

const lookEveryS = 1;
/** Pods told to end in one look. */
const atOnce = 50;

/** Carries drains. Each step comes to the same when it is done again. */
export class DrainCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
  ) {}

  get work(): Work<DrainState> {
    return {
      kind: draining,
      tells: () => ({ topic: 'applications' }),
      // what a person has to decide waits for one; the rest is tried again
      afterFailure: (_o, error) =>
        error instanceof Refusal || (error instanceof OutsideProblem && error.isForGood) ? 'stop' : 'again',
      steps: {
        cordoning: (o) => this.cordon(o),
        evicting: (o) => this.evict(o),
        opening: (o) => this.open(o),
      },
    };
  }

  /** Moves it on, and tells the pages with it: how the node stands is what they show. */
  private goOn(operation: Operation, to: DrainState): Promise<Operation | undefined> {
    const { database } = this;
    return database.transaction(async () => {
      const moved = await advance(database, draining, operation, to);
      await announce(database, [{ topic: 'applications' }, { topic: 'operations' }]);
      return moved;
    });
  }

  private async cordon(operation: Operation): Promise<Operation | undefined> {
    await setCordoned(this.database, this.platform, operation.subject, true);
    return this.goOn(operation, 'evicting');
  }

  private async evict(operation: Operation): Promise<Operation | LookAgain | undefined> {
    const { database, platform } = this;
    const node = operation.subject;
    const there = await podsOnNode(database, node);
    const left = there.filter((p) => p.owner_kind !== 'DaemonSet');
    await noteProgress(database, operation, left.length, 'steps');
    if (left.length === 0) return this.goOn(operation, 'drained');
    // pods that leave a node which takes pods again would come back, and leave again
    const known = await findMirrored(database, 'nodes', node);
    if ((known?.body.spec as { unschedulable?: boolean } | undefined)?.unschedulable !== true)
      throw new Refusal(
        'conflict',
        'opened-meanwhile',
        'It takes pods again',
        `Somebody let ${node} take pods again while it was drained: those that leave would come back. ${left.length} are on it. Let it take no more pods and try again, or give the draining up.`,
      );
    // read afresh: pods, budgets and nodes may be others than when it began
    const { pods, plan } = await reckon(database, node);
    const uids = new Map(pods.map((p) => [`${p.namespace}/${p.name}`, p.uid]));
    const going = plan.pods.filter((p) => p.fate.kind === 'moves' && !p.fate.waits).slice(0, atOnce);
    for (const { namespace, pod } of going)
      try {
        await platform.evict(namespace, pod, uids.get(`${namespace}/${pod}`)!);
      } catch (error) {
        // its budget has room again once another is ready
        if (!(error instanceof PlatformProblem && error.code === 'not-now')) throw error;
      }
    const stuck = plan.pods.filter((p) => p.fate.kind === 'cannot');
    const waits = plan.pods.some((p) => p.fate.kind === 'moves') || left.some((p) => p.deleting);
    if (stuck.length > 0 && !waits) assertPossible(await planNodeDrain(database, node));
    await announce(database, [{ topic: 'operations' }]);
    return { againAfterS: lookEveryS };
  }

  private async open(operation: Operation): Promise<Operation | undefined> {
    const drain = await drains.in(this.database).findByPk(operation.id, { rejectOnEmpty: true });
    if (!drain.wasCordoned) await setCordoned(this.database, this.platform, operation.subject, false);
    return this.goOn(operation, 'given-up');
  }
}
