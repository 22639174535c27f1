import type { ShareUseRow } from '@moorage/contract/shares';

type User = ShareUseRow['users'][number];
const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;

/** Whether a claim's files are for many nodes at once. */
export const isShared = ({ modes, volumeMode }: { modes: readonly string[]; volumeMode: string }): boolean =>
  volumeMode === 'Filesystem' && modes.some((m) => m === 'ReadWriteMany' || m === 'ReadOnlyMany');

/** Who writes and reads it now, in one sentence. */
export function usedSentence({ users, writing, reading }: ShareUseRow): string {
  if (users.length === 0) return 'No pod names it.';
  const nodes = new Set(
    users.flatMap((u) => (u.node !== null && u.letIn !== 'no' && u.phase === 'Running' ? u.node : [])),
  );
  if (writing + reading === 0)
    return `${count(users.length, 'pod')} ${users.length === 1 ? 'names' : 'name'} it, and none uses it now.`;
  const parts = [
    ...(writing > 0 ? [`${count(writing, 'pod')} ${writing === 1 ? 'writes' : 'write'}`] : []),
    ...(reading > 0 ? [`${count(reading, 'pod')} ${reading === 1 ? 'reads' : 'read'}`] : []),
  ];
  return `${parts.join(' and ')} now, on ${count(nodes.size, 'node')}.`;
}

/** Whom the export shuts out. */
export const shutOutSentence = (backend: string, { node, addresses }: ShareUseRow['shutOut'][number]): string =>
  `${node} is shut out: ${addresses.join(', ')} ${addresses.length === 1 ? 'lies' : 'lie'} in none of the ranges of ${backend}, and its pods cannot use the share.`;

/** What a pod does with the share. */
export function doesWord({ phase, node, letIn, readOnly }: User): string {
  if (letIn === 'no') return 'shut out';
  if (node === null) return 'waits for a node';
  if (phase !== 'Running') return 'starts';
  return readOnly ? 'reads' : 'reads and writes';
}

export const doesMark = (user: User) =>
  user.letIn === 'no' ? 'person' : user.phase === 'Running' ? 'settled' : 'progress';

const rootWords = { kept: 'as root', mapped: 'as nobody' } as const;

/** Where nodes mount it, and as whom root on a node writes there; undefined where its backend does not say. */
export function mountedSentence({ mounted, rootAsked }: ShareUseRow): string | undefined {
  if (!mounted) return undefined;
  const { server, addresses, root } = mounted;
  const by =
    server === null
      ? 'by address, since its backend tells no name'
      : addresses.length > 0
        ? `by name (${addresses.join(', ')} now)`
        : 'by name';
  const asked =
    rootAsked !== null && root !== null && rootAsked !== root
      ? `, though its class asks for ${rootWords[rootAsked]}`
      : '';
  const writes = root === null ? '' : ` Root on a node writes ${rootWords[root]} there${asked}.`;
  return `Mounted ${by}.${writes}`;
}

/** What a node mounts. */
export const mountText = ({ server, addresses, path }: NonNullable<ShareUseRow['mounted']>): string =>
  `${server ?? addresses[0] ?? ''}:${path}`;
