import type { ReplicaDisk } from '../replicas/place';
import {
  reachableWithout,
  standsIn,
  type Application,
  type Ground,
  type Replica,
  type StandingCopy,
  type StandingLevel,
  type UsedClaim,
} from './application';
import type { CommonPoint } from './common-points';

/** Where pods, copies and volumes could go. */
export interface Choice {
  /** Nodes that take pods now. */
  readonly nodes: readonly string[];
  /** Disks of a pool with what is promised of them; undefined where its backend places copies itself. */
  readonly disksOf: (pool: string) => readonly ReplicaDisk[] | undefined;
  /** Other pools that the claim's class is moored to and that take it, best first. */
  readonly poolsFor: (claim: string) => readonly { readonly pool: string; readonly backend: string }[];
}

/** One thing that goes elsewhere. A pod starts again there; a copy is made there before the other one goes; bytes are those copied. */
export type SpreadAct =
  | { readonly kind: 'pod'; readonly pod: string; readonly from: string; readonly to: string }
  | {
      readonly kind: 'copy' | 'witness';
      readonly claim: string;
      /** Disks, and their nodes. */
      readonly from: string;
      readonly fromNode: string;
      readonly to: string;
      readonly toNode: string;
      readonly bytes: number;
    }
  | {
      readonly kind: 'volume';
      readonly claim: string;
      readonly from: string;
      readonly to: string;
      readonly bytes: number;
    };

export type Spread =
  | { readonly kind: 'acts'; readonly acts: readonly SpreadAct[]; readonly bytes: number }
  /** There is no other such thing, none that takes what would have to go there, or copies have to be in step again first. */
  | { readonly kind: 'none'; readonly why: WhyNot };
export type WhyNot = 'no-other' | 'no-room' | 'not-in-step';

const none = (why: WhyNot): Spread => ({ kind: 'none', why });

/** How many of the replicas have to go: one stays on a node or disk, fewer than half on what is larger. */
const mayStay = (level: StandingLevel, replicas: number): number =>
  level === 'node' || level === 'disk' ? 1 : Math.max(1, Math.ceil(replicas / 2) - 1);

/** The node for a pod that leaves a thing: where fewest others of the application stand, by zone, rack and node. */
function nodeFor(
  replica: Replica,
  leaves: Pick<CommonPoint, 'level' | 'name'>,
  at: ReadonlyMap<string, string>,
  ground: Ground,
  nodes: readonly string[],
): string | undefined {
  const zones = replica.claims.flatMap((c) => (c.zones ? [c.zones] : []));
  const others = [...at].filter(([pod]) => pod !== replica.pod).map(([, node]) => node);
  const crowd = (node: string, level: StandingLevel) => {
    const name = standsIn(ground, node, level);
    return name === undefined ? 0 : others.filter((n) => standsIn(ground, n, level) === name).length;
  };
  const may = nodes.filter((node) => {
    if (standsIn(ground, node, leaves.level) === leaves.name || crowd(node, 'node') > 0) return false;
    const zone = standsIn(ground, node, 'zone');
    return zones.every((z) => zone === undefined || z.includes(zone));
  });
  const ranked = may.map((node) => ({ node, by: (['zone', 'rack'] as const).map((l) => crowd(node, l)) }));
  ranked.sort((a, b) => a.by[0]! - b.by[0]! || a.by[1]! - b.by[1]! || (a.node < b.node ? -1 : 1));
  return ranked[0]?.node;
}

/** The disk for a copy that leaves a thing: in a domain that none of the others is in, with most room. */
function diskFor(
  copy: StandingCopy,
  all: readonly StandingCopy[],
  leaves: Pick<CommonPoint, 'level' | 'name'>,
  ground: Ground,
  disks: readonly ReplicaDisk[],
  bytes: number,
): ReplicaDisk | undefined {
  const others = all.filter((c) => c !== copy);
  const taken = new Set(others.flatMap((c) => disks.find((d) => d.id === c.disk)?.domain ?? []));
  const nodes = new Set(others.map((c) => c.node));
  const need = copy.role === 'witness' ? 0 : bytes;
  const may = disks.filter(
    (d) =>
      d.usable &&
      d.capacity - d.used >= need &&
      !taken.has(d.domain) &&
      !nodes.has(d.node) &&
      (leaves.level === 'disk' ? d.id : standsIn(ground, d.node, leaves.level)) !== leaves.name,
  );
  return may.sort((a, b) => b.capacity - b.used - (a.capacity - a.used) || (a.id < b.id ? -1 : 1))[0];
}

function copiesElsewhere(
  claims: readonly UsedClaim[],
  point: CommonPoint,
  ground: Ground,
  choice: Choice,
): SpreadAct[] | WhyNot {
  const acts: SpreadAct[] = [];
  for (const claim of claims) {
    const part = claim.parts[0]!;
    const disks = choice.disksOf(part.pool);
    if (!disks) return 'no-other';
    const there = part.copies.filter(
      (c) => (point.level === 'disk' ? c.disk : standsIn(ground, c.node, point.level)) === point.name,
    );
    const moving = point.of === 'witness' ? there.filter((c) => c.role === 'witness') : there;
    // as many as leave more than half of the votes elsewhere
    const stay = point.of === 'witness' ? 0 : Math.ceil(part.copies.length / 2) - 1;
    let copies = [...part.copies];
    for (const copy of moving.slice(stay)) {
      const to = diskFor(copy, copies, point, ground, disks, claim.bytes);
      if (!to) {
        const elsewhere = disks.some(
          (d) => (point.level === 'disk' ? d.id : standsIn(ground, d.node, point.level)) !== point.name,
        );
        return elsewhere ? 'no-room' : 'no-other';
      }
      const isWitness = copy.role === 'witness';
      acts.push({
        kind: isWitness ? 'witness' : 'copy',
        ...{ claim: claim.name, from: copy.disk, fromNode: copy.node, to: to.id, toNode: to.node },
        bytes: isWitness ? 0 : claim.bytes,
      });
      copies = copies.map((c) => (c === copy ? { ...c, disk: to.id, node: to.node } : c));
    }
    // wherever they lie, copies that are out of step do not answer
    const moved = { ...claim, parts: [{ ...part, copies }] };
    if (point.of === 'replicas' && !reachableWithout(moved, ground, point)) return 'not-in-step';
  }
  return acts;
}

function volumesElsewhere(application: Application, point: CommonPoint, choice: Choice): SpreadAct[] | WhyNot {
  const stay = mayStay(point.level, application.replicas.length);
  const acts: SpreadAct[] = [];
  const hit = application.replicas.filter((r) => point.pods.includes(r.pod));
  // what all pods mount can only go as a whole, and stays a common point wherever it goes
  const uses = new Map<string, number>();
  for (const { claims } of application.replicas) for (const c of claims) uses.set(c.name, (uses.get(c.name) ?? 0) + 1);
  for (const replica of hit.slice(stay))
    for (const claim of replica.claims.filter((c) => point.claims.includes(c.name))) {
      if ((uses.get(claim.name) ?? 0) > 1) return 'no-other';
      const others = choice.poolsFor(claim.name);
      const to = others.find((p) => (point.level === 'backend' ? p.backend : p.pool) !== point.name);
      if (!to) return 'no-other';
      acts.push({ kind: 'volume', claim: claim.name, from: claim.parts[0]!.pool, to: to.pool, bytes: claim.bytes });
    }
  return acts;
}

/**
 * The change that would take a common point away, with what it moves. Each thing goes where fewest others of the application are;
 * the first of the replicas stay.
 */
export function spreadOf(point: CommonPoint, application: Application, ground: Ground, choice: Choice): Spread {
  const done = (acts: SpreadAct[] | WhyNot): Spread => {
    if (typeof acts === 'string') return none(acts);
    return { kind: 'acts', acts, bytes: acts.reduce((sum, a) => sum + (a.kind === 'pod' ? 0 : a.bytes), 0) };
  };
  if (point.level === 'pool' || point.level === 'backend') return done(volumesElsewhere(application, point, choice));
  const claimsOf = (replicas: readonly Replica[]) => [
    ...new Map(
      replicas.flatMap((r) => r.claims.filter((c) => point.claims.includes(c.name))).map((c) => [c.name, c]),
    ).values(),
  ];
  if (point.of !== 'replicas') return done(copiesElsewhere(claimsOf(application.replicas), point, ground, choice));

  const acts: SpreadAct[] = [];
  const at = new Map(application.replicas.flatMap((r) => (r.node === undefined ? [] : [[r.pod, r.node] as const])));
  const hit = application.replicas.filter((r) => point.pods.includes(r.pod));
  const leaving = hit.slice(mayStay(point.level, application.replicas.length));
  for (const replica of leaving) {
    if (!point.standing.includes(replica.pod)) continue;
    const to = nodeFor(replica, point, at, ground, choice.nodes);
    if (to === undefined) {
      const elsewhere = choice.nodes.some((n) => standsIn(ground, n, point.level) !== point.name);
      return none(elsewhere ? 'no-room' : 'no-other');
    }
    acts.push({ kind: 'pod', pod: replica.pod, from: replica.node!, to });
    at.set(replica.pod, to);
  }
  const copies = copiesElsewhere(claimsOf(leaving), point, ground, choice);
  return done(typeof copies === 'string' ? copies : [...acts, ...copies]);
}
