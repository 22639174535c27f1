/** How a copy of a volume stands (domain: Placing copies). Worst last. */
export const copyStates = ['in-sync', 'resyncing', 'stale', 'lost'] as const;
export type CopyState = (typeof copyStates)[number];

/** A copy, a shard or a witness on a disk of a node. */
export interface StandingCopy {
  readonly disk: string;
  readonly node: string;
  readonly state: CopyState;
  /** A witness holds no data and votes. */
  readonly role: 'data' | 'witness';
}

/** A whole volume in one pool; a volume that is also kept in step elsewhere has one more. */
export interface VolumePart {
  readonly pool: string;
  readonly backend: string;
  /** Empty where the backend places data itself. */
  readonly copies: readonly StandingCopy[];
  /** Of a volume that lies in shards: how many of them it needs. */
  readonly needs?: number;
}

/** A claim as a pod of the application mounts it. Claims without a volume have no parts. */
export interface UsedClaim {
  readonly name: string;
  /** Bytes that its volume has. */
  readonly bytes: number;
  readonly parts: readonly VolumePart[];
  /** Zones from which its volume can be reached; undefined where from all. */
  readonly zones?: readonly string[];
}

export interface Replica {
  readonly pod: string;
  /** Undefined as long as it is not placed. */
  readonly node?: string;
  readonly claims: readonly UsedClaim[];
}

/** The pods of one owner, with what they mount. */
export interface Application {
  readonly replicas: readonly Replica[];
}

/** What may fail in one go: things that pods and copies stand on, and things that only data lies in. */
export const standingLevels = ['disk', 'node', 'rack', 'zone', 'pool', 'backend'] as const;
export type StandingLevel = (typeof standingLevels)[number];

/** Where nodes stand. Names of racks and zones are those of the platform, or else of the backend. */
export type Ground = ReadonlyMap<string, { readonly rack?: string; readonly zone?: string }>;

/** The ground of these nodes. Racks of one name in several zones are several racks, and are named with their zone. */
export function groundOf(
  nodes: readonly { readonly name: string; readonly rack?: string; readonly zone?: string }[],
): Ground {
  const zonesOf = new Map<string, Set<string>>();
  for (const { rack, zone } of nodes) if (rack) zonesOf.set(rack, (zonesOf.get(rack) ?? new Set()).add(zone ?? ''));
  return new Map(
    nodes.map(({ name, rack, zone }) => {
      const isShared = rack !== undefined && (zonesOf.get(rack)?.size ?? 0) > 1;
      return [name, { ...(zone && { zone }), ...(rack && { rack: isShared && zone ? `${zone}/${rack}` : rack }) }];
    }),
  );
}

/** The name of what a node is, or stands in, at a level; undefined where nobody tells. */
export function standsIn(ground: Ground, node: string, level: StandingLevel): string | undefined {
  if (level === 'node') return node;
  const at = ground.get(node);
  if (level === 'zone') return at?.zone || undefined;
  if (level === 'rack') return at?.rack || undefined;
  return undefined;
}

/** Whether a copy goes with a thing that fails. */
const goesWith = (ground: Ground, copy: StandingCopy, level: StandingLevel, name: string): boolean =>
  level === 'disk' ? copy.disk === name : standsIn(ground, copy.node, level) === name;

/**
 * Whether a part of a volume answers while a thing is away (domain: Failure). Of copies, more than half of the votes must be
 * reachable, the witness counted, and one of them in sync; of shards, as many as it needs.
 */
export function answersWithout(
  part: VolumePart,
  ground: Ground,
  away?: { readonly level: StandingLevel; readonly name: string },
): boolean {
  if (away?.level === 'pool') return part.pool !== away.name;
  if (away?.level === 'backend') return part.backend !== away.name;
  if (part.copies.length === 0) return true;
  let votes = 0;
  let whole = 0;
  for (const copy of part.copies) {
    if (away && goesWith(ground, copy, away.level, away.name)) continue;
    if (copy.role === 'witness') votes += 1;
    else if (copy.state === 'in-sync') [votes, whole] = [votes + 1, whole + 1];
  }
  if (part.needs !== undefined) return whole >= part.needs;
  return whole > 0 && 2 * votes > part.copies.length;
}

/** Whether a claim's data can be reached while a thing is away: one part that answers is enough. A claim without a volume is not asked. */
export const reachableWithout = (
  claim: UsedClaim,
  ground: Ground,
  away?: { readonly level: StandingLevel; readonly name: string },
): boolean => claim.parts.length === 0 || claim.parts.some((p) => answersWithout(p, ground, away));

/** The worst state that any copy of an application is in; undefined where its backends tell of none. */
export function worstCopy(application: Application): CopyState | undefined {
  let worst = -1;
  for (const { claims } of application.replicas)
    for (const { parts } of claims)
      for (const { copies } of parts)
        for (const copy of copies) if (copy.role === 'data') worst = Math.max(worst, copyStates.indexOf(copy.state));
  return copyStates[worst];
}
