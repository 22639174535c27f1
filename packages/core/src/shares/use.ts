import { isIn, type Block } from '../nodes/ranges';

/** A pod that names a claim, as the platform tells of it. */
export interface SharePod {
  readonly pod: string;
  readonly owner: string | null;
  readonly node: string | null;
  /** As the platform has it: Pending, Running, Succeeded, Failed, Unknown. */
  readonly phase: string;
  /** The pod, or every container of it, mounts the claim for reading alone. */
  readonly readOnly: boolean;
}

/** Whether the pod's node may mount what the backend exports: `unknown` where the backend says nothing, or no node is chosen. */
export type LetIn = 'yes' | 'no' | 'unknown';

export interface ShareUser extends SharePod {
  readonly addresses: readonly string[];
  readonly letIn: LetIn;
}

export interface ShareUse {
  readonly users: readonly ShareUser[];
  /** Running pods whose nodes may mount it, or of which that is not known. */
  readonly writing: number;
  readonly reading: number;
  /** Nodes with pods of it that may not mount it. */
  readonly shutOut: readonly { readonly node: string; readonly addresses: readonly string[] }[];
}

const hasEnded = ({ phase }: SharePod): boolean => phase === 'Succeeded' || phase === 'Failed';

/**
 * Who reads and writes a share now, and whom its backend shuts out. A volume that a claim asks for reading alone is read by all its
 * pods. Pods that ended are left out; `blocks` undefined: the backend says nothing of who may mount.
 */
export function shareUse(
  pods: readonly SharePod[],
  addressesOf: ReadonlyMap<string, readonly string[]>,
  blocks: readonly Block[] | undefined,
  readOnly: boolean,
): ShareUse {
  const users = pods
    .filter((p) => !hasEnded(p))
    .map((p): ShareUser => {
      const addresses = (p.node !== null && addressesOf.get(p.node)) || [];
      const isKnown = blocks !== undefined && addresses.length > 0;
      const isIncluded = isKnown && addresses.some((a) => blocks.some((b) => isIn(a, b)));
      return {
        ...p,
        readOnly: p.readOnly || readOnly,
        addresses,
        letIn: isKnown ? (isIncluded ? 'yes' : 'no') : 'unknown',
      };
    });
  const now = users.filter((u) => u.phase === 'Running' && u.letIn !== 'no');
  const out = new Map(users.filter((u) => u.letIn === 'no').map((u) => [u.node!, u.addresses]));
  return {
    users,
    writing: now.filter((u) => !u.readOnly).length,
    reading: now.filter((u) => u.readOnly).length,
    shutOut: [...out].map(([node, addresses]) => ({ node, addresses })).sort((a, b) => (a.node < b.node ? -1 : 1)),
  };
}
