import type { ShareUseRow } from '@moorage/contract/shares';
import { blockOf, blockText } from '@moorage/core/nodes/ranges';
import { shareUse } from '@moorage/core/shares/use';
import { fromManifest } from '@moorage/core/classes/manifest';
import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { BackendProblem } from '../swordfish/connector';
import { mostPods, shareOf, sharePods } from './share.sql';

/** Where a share is mounted, as its backend says at this moment; null where it does not. */
async function mountedAt(backends: Backends, backend: string, volume: string): Promise<ShareUseRow['mounted']> {
  try {
    const found = await (await backends.connector(backend)).findShare(volume);
    if (!found) return null;
    const { server = null, addresses, path, root = null } = found;
    return { server, path, root, addresses: [...addresses] };
  } catch (error) {
    // who uses it is told all the same
    if (error instanceof BackendProblem) return null;
    throw error;
  }
}

/** Which pods on which nodes read and write the share of a claim now, and whom its backend shuts out. */
export async function useOfShare(
  database: Database,
  backends: Backends,
  sight: Sight,
  { namespace, name }: { readonly namespace: string; readonly name: string },
): Promise<ShareUseRow> {
  const subject = `${namespace}/${name}`;
  const share = sight.sees(namespace) ? await first(shareOf(database, namespace, name)) : undefined;
  if (!share) throw Refusal.notFound('claim', subject);
  if (!share.is_file || share.backend_id === null)
    throw new Refusal(
      'not-found',
      'no-share',
      'No share',
      `${subject} has no share: ${share.backend_id === null ? 'it has no volume of ours yet.' : 'its volume is a block device, which no export lets in.'}`,
    );
  const rows = await sharePods(database, namespace, name);
  const pods = rows.slice(0, mostPods);
  const addressesOf = new Map(
    pods.flatMap((p) =>
      p.node === null
        ? []
        : [[p.node, (p.addresses ?? []).filter((a) => a.type === 'InternalIP').map((a) => a.address)] as const],
    ),
  );
  const blocks = share.ways?.clients?.flatMap((c) => blockOf(c.address, c.mask) ?? []);
  const readOnly = (share.modes ?? []).every((m) => m === 'ReadOnlyMany');
  const use = shareUse(
    pods.map(({ addresses: _addresses, ...pod }) => pod),
    addressesOf,
    blocks,
    readOnly,
  );
  return {
    mounted: share.volume_name === null ? null : await mountedAt(backends, share.backend_id, share.volume_name),
    rootAsked: (share.class && fromManifest(share.class).storageClass.root) ?? null,
    ...{ backend: share.backend_id, ranges: blocks?.map(blockText) ?? null, more: rows.length > mostPods },
    ...{ writing: use.writing, reading: use.reading },
    shutOut: use.shutOut.map(({ node, addresses }) => ({ node, addresses: [...addresses] })),
    users: use.users.map((u) => ({ ...u, addresses: [...u.addresses] })),
  };
}
