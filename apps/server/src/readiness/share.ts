import type { ShareUseRow } from '@moorage/contract/shares';
import { blockOf, blockText } from '@moorage/core/nodes/ranges';
import { shareUse } from '@moorage/core/shares/use';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { mostPods, shareOf, sharePods } from './share.sql';

/** Which pods on which nodes read and write the share of a claim now, and whom its backend shuts out. */
export async function useOfShare(
  database: Database,
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
    ...{ backend: share.backend_id, ranges: blocks?.map(blockText) ?? null, more: rows.length > mostPods },
    ...{ writing: use.writing, reading: use.reading },
    shutOut: use.shutOut.map(({ node, addresses }) => ({ node, addresses: [...addresses] })),
    users: use.users.map((u) => ({ ...u, addresses: [...u.addresses] })),
  };
}
