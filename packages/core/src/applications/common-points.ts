import {
  reachableWithout,
  standingLevels,
  standsIn,
  type Application,
  type Ground,
  type Replica,
  type StandingLevel,
  type UsedClaim,
  type VolumePart,
} from './application';

/** One thing whose failure stops several replicas, or a volume that has copies elsewhere. */
export interface CommonPoint {
  readonly level: StandingLevel;
  readonly name: string;
  /**
   * `replicas`: it stops several of them. `copies`: all copies of a volume stand in it. `witness`: a volume's witness stands in it
   * beside one of the two copies between which it should decide.
   */
  readonly of: 'replicas' | 'copies' | 'witness';
  /** Pods that stop with it. */
  readonly pods: readonly string[];
  /** Those of them that stand on it themselves; the others lose their data. */
  readonly standing: readonly string[];
  /** Claims whose data cannot be reached without it. */
  readonly claims: readonly string[];
  /** What is left of the replicas: none, no more than half, or more than half. */
  readonly leaves: 'none' | 'no-more-than-half' | 'more-than-half';
}

const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

interface Thing {
  readonly level: StandingLevel;
  readonly name: string;
  readonly touches: Set<number>;
}

/** Everything that replicas or their data stand on or lie in, with the replicas that it may stop. */
function thingsUnder({ replicas }: Application, ground: Ground): Thing[] {
  const things = new Map<string, Thing>();
  const note = (level: StandingLevel, name: string | undefined, replica: number) => {
    if (name === undefined) return;
    const key = `${level}/${name}`;
    let thing = things.get(key);
    if (!thing) things.set(key, (thing = { level, name, touches: new Set() }));
    thing.touches.add(replica);
  };
  for (const [i, { node, claims }] of replicas.entries()) {
    for (const level of ['node', 'rack', 'zone'] as const)
      if (node !== undefined) note(level, standsIn(ground, node, level), i);
    for (const { parts } of claims)
      for (const { pool, backend, copies } of parts) {
        note('pool', pool, i);
        note('backend', backend, i);
        for (const copy of copies) {
          note('disk', copy.disk, i);
          for (const level of ['node', 'rack', 'zone'] as const) note(level, standsIn(ground, copy.node, level), i);
        }
      }
  }
  return [...things.values()];
}

const leftOf = (all: number, stopped: number): CommonPoint['leaves'] => {
  if (stopped === all) return 'none';
  return 2 * (all - stopped) > all ? 'more-than-half' : 'no-more-than-half';
};

/** Things that stop several replicas. A node or a disk need stop two; what is larger, or holds only data, no less than half of them. */
function ofReplicas(application: Application, ground: Ground): CommonPoint[] {
  const { replicas } = application;
  if (replicas.length < 2) return [];
  // what stands still already is another matter than what would stop
  const stillUp = new Map<UsedClaim, boolean>();
  for (const { claims } of replicas) for (const claim of claims) stillUp.set(claim, reachableWithout(claim, ground));
  const found: CommonPoint[] = [];
  for (const { level, name, touches } of thingsUnder(application, ground)) {
    if (touches.size < 2) continue;
    const [pods, standing, claims]: [string[], string[], Set<string>] = [[], [], new Set()];
    for (const i of touches) {
      const replica = replicas[i]!;
      const cut = replica.claims.filter((c) => stillUp.get(c) && !reachableWithout(c, ground, { level, name }));
      const stands = replica.node !== undefined && standsIn(ground, replica.node, level) === name;
      if (!stands && cut.length === 0) continue;
      pods.push(replica.pod);
      if (stands) standing.push(replica.pod);
      for (const claim of cut) claims.add(claim.name);
    }
    if (pods.length < 2) continue;
    const leaves = leftOf(replicas.length, pods.length);
    if (level !== 'node' && level !== 'disk' && leaves === 'more-than-half') continue;
    const sorted = (names: Iterable<string>) => [...names].sort(order);
    found.push({
      ...{ level, name, of: 'replicas', leaves },
      ...{ pods: sorted(pods), standing: sorted(standing), claims: sorted(claims) },
    });
  }
  return found;
}

/** The smallest thing that all copies of a part stand in, if they are several. */
function holdsAll({ copies }: VolumePart, ground: Ground): Pick<CommonPoint, 'level' | 'name'> | undefined {
  const data = copies.filter((c) => c.role === 'data');
  if (data.length < 2) return undefined;
  for (const level of ['disk', 'node', 'rack', 'zone'] as const) {
    const names = new Set(data.map((c) => (level === 'disk' ? c.disk : standsIn(ground, c.node, level))));
    const [name] = names;
    if (names.size === 1 && name !== undefined) return { level, name };
  }
  return undefined;
}

/** The smallest thing that a witness shares with a copy. */
function sharesWitness({ copies }: VolumePart, ground: Ground): Pick<CommonPoint, 'level' | 'name'> | undefined {
  const data = copies.filter((c) => c.role === 'data');
  for (const witness of copies.filter((c) => c.role === 'witness'))
    for (const level of ['node', 'rack', 'zone'] as const) {
      const name = standsIn(ground, witness.node, level);
      const beside = data.filter((c) => standsIn(ground, c.node, level) === name).length;
      // where both copies stand in it too, that is their common point, and the witness adds nothing
      if (name !== undefined && beside > 0 && beside < data.length) return { level, name };
    }
  return undefined;
}

/** Volumes whose copies, or copy and witness, stand in one thing, one point for each such thing. */
function ofCopies({ replicas }: Application, ground: Ground): CommonPoint[] {
  const points = new Map<string, { point: CommonPoint; pods: Set<string>; claims: Set<string> }>();
  const note = (
    of: 'copies' | 'witness',
    at: Pick<CommonPoint, 'level' | 'name'> | undefined,
    replica: Replica,
    claim: UsedClaim,
  ) => {
    if (!at) return;
    const key = `${of}/${at.level}/${at.name}`;
    let entry = points.get(key);
    const point: CommonPoint = { ...at, of, pods: [], standing: [], claims: [], leaves: 'none' };
    if (!entry) points.set(key, (entry = { point, pods: new Set(), claims: new Set() }));
    entry.pods.add(replica.pod);
    entry.claims.add(claim.name);
  };
  for (const replica of replicas)
    for (const claim of replica.claims) {
      // a volume that is kept in step elsewhere does not hang on one part
      const [part, ...others] = claim.parts;
      if (!part || others.length > 0) continue;
      note('copies', holdsAll(part, ground), replica, claim);
      note('witness', sharesWitness(part, ground), replica, claim);
    }
  return [...points.values()].map(({ point, pods, claims }) => ({
    ...point,
    pods: [...pods].sort(order),
    claims: [...claims].sort(order),
    leaves: leftOf(replicas.length, pods.size),
  }));
}

const chains: readonly (readonly StandingLevel[])[] = [
  ['disk', 'node', 'rack', 'zone'],
  // whatever mends the backend mends its pool
  ['backend', 'pool'],
];

/** Of things that stop the same replicas, one along each chain: the smallest place, the whole backend. */
function distinct(points: readonly CommonPoint[]): CommonPoint[] {
  const told = new Set<string>();
  const kept: CommonPoint[] = [];
  for (const [i, chain] of chains.entries())
    for (const level of chain) {
      const now: string[] = [];
      for (const point of points.filter((p) => p.level === level)) {
        const key = `${i}/${point.of}/${point.pods.join('|')}/${point.of === 'replicas' ? '' : point.claims.join('|')}`;
        if (told.has(key)) continue;
        now.push(key);
        kept.push(point);
      }
      for (const key of now) told.add(key);
    }
  return kept;
}

const leavesOrder = ['none', 'no-more-than-half', 'more-than-half'] as const;

/**
 * Common points of failure of an application (docs/calculations.md, Common points of failure), those that leave least first.
 */
export function commonPoints(application: Application, ground: Ground): CommonPoint[] {
  return distinct([...ofReplicas(application, ground), ...ofCopies(application, ground)]).sort(
    (a, b) =>
      leavesOrder.indexOf(a.leaves) - leavesOrder.indexOf(b.leaves) ||
      standingLevels.indexOf(a.level) - standingLevels.indexOf(b.level) ||
      order(a.of, b.of) ||
      order(a.name, b.name),
  );
}
