import type { ReplicaDisk } from '../replicas/place';
import type { CopyState } from './application';

/** A claim whose class wants a copy on the node of its pod. Bytes. */
export interface LocalClaim {
  readonly name: string;
  readonly provisioned: number;
  readonly written: number;
  readonly copies: readonly { readonly disk: string; readonly node: string; readonly state: CopyState }[];
  /** Disks of its pool, with what may be promised of each; empty where the backend places data by itself. */
  readonly disks: readonly ReplicaDisk[];
}

export interface LocalReplica {
  readonly pod: string;
  readonly node: string;
  readonly claims: readonly LocalClaim[];
}

export interface ReplicaLocality {
  readonly pod: string;
  readonly node: string;
  readonly claims: readonly {
    readonly claim: string;
    /** A copy in step lies on the pod's node: it reads from there. */
    readonly isLocal: boolean;
    /** The copy that would go to the pod's node, and the bytes that are copied for it; left out where none can. */
    readonly copyTo?: {
      readonly disk: string;
      readonly fromNode: string;
      readonly fromDisk: string;
      readonly bytes: number;
    };
  }[];
  /** Where most of its claims would be read locally, if that is more than now. */
  readonly podTo?: { readonly node: string; readonly local: number };
}

/** The copy that would go to a disk of this node: that of the same failure domain, else the last named of those elsewhere. */
function copyTo({ copies, disks, provisioned, written }: LocalClaim, node: string) {
  const domainOf = new Map(disks.map((d) => [d.id, d.domain]));
  const here = disks
    .filter((d) => d.node === node && d.usable && d.capacity - d.used >= provisioned)
    .sort((a, b) => b.capacity - b.used - (a.capacity - a.used) || (a.id < b.id ? -1 : 1));
  const whole = copies.filter((c) => c.state === 'in-sync');
  // a copy is only moved as long as another one is in step
  if (whole.length === 0 || (copies.length > 1 && whole.length < 2)) return undefined;
  for (const disk of here) {
    const beside = copies.filter((c) => domainOf.get(c.disk) === disk.domain);
    if (beside.length > 1) continue;
    const from = beside[0] ?? copies.toSorted((a, b) => (a.node < b.node ? 1 : -1))[0]!;
    return { disk: disk.id, fromNode: from.node, fromDisk: from.disk, bytes: written };
  }
  return undefined;
}

/** Whether replicas read from their own nodes, and what would make it so (docs/calculations.md, Reading from the own node). */
export function localityOf(replicas: readonly LocalReplica[], takesPods: ReadonlySet<string>): ReplicaLocality[] {
  return replicas.map(({ pod, node, claims }) => {
    const localAt = (at: string) =>
      claims.filter((c) => c.copies.some((copy) => copy.node === at && copy.state === 'in-sync')).length;
    const [now, all] = [localAt(node), claims.length];
    const nodes = [...new Set(claims.flatMap((c) => c.copies.map((copy) => copy.node)))]
      .filter((n) => n !== node && takesPods.has(n))
      .map((n) => ({ node: n, local: localAt(n) }))
      .sort((a, b) => b.local - a.local || (a.node < b.node ? -1 : 1));
    const best = now < all ? nodes.find((n) => n.local > now) : undefined;
    return {
      ...{ pod, node },
      claims: claims.map((c) => {
        const isLocal = c.copies.some((copy) => copy.node === node && copy.state === 'in-sync');
        const move = isLocal ? undefined : copyTo(c, node);
        return { claim: c.name, isLocal, ...(move && { copyTo: move }) };
      }),
      ...(best && { podTo: best }),
    };
  });
}
