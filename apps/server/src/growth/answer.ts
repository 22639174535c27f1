import type { GrowthAnswer } from '@moorage/contract/growth';
import {
  elsewhere,
  grow,
  mostItGrows,
  whatWouldGrow,
  type Growth,
  type GrowthInput,
} from '@moorage/core/placement/growth';
import { bytes } from '@moorage/core/sizes/bytes';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { claimNamed, podsOf } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { factsToGrow } from './facts';

const notNow = (detail: string): Refusal =>
  new Refusal('conflict', 'cannot-grow', 'It cannot grow now', `${detail} Nothing was changed.`);

/** The answer to a growth, with what would help where it does not fit. */
export function answerOf(
  input: GrowthInput,
  growth: Growth,
  requested: number,
  reaches: GrowthAnswer['reaches'],
): GrowthAnswer {
  const refused = growth.kind === 'reckoned' && !growth.fits;
  return {
    requested,
    provisioned: input.held[0].provisioned,
    wanted: input.claim.size,
    growth:
      growth.kind === 'reckoned' ? { ...growth, on: growth.on.map((g) => ({ ...g, checks: [...g.checks] })) } : growth,
    most: growth.kind === 'reckoned' ? mostItGrows(input) : input.held[0].provisioned,
    remedies: whatWouldGrow(input).map((r) => ({ ...r, changes: r.changes.map((c) => ({ ...c })) })),
    elsewhere: refused ? (elsewhere(input) ?? null) : null,
    reaches,
  };
}

/** When the pods of a claim see its new size. */
export const reachesOf = (
  volumeMode: string,
  access: readonly string[],
  pods: readonly { readonly node: string | null }[],
): GrowthAnswer['reaches'] => {
  // a device is as large as its volume, and a share as its export; a file system on a device has to be grown on its node
  if (volumeMode === 'Block' || !access.includes('block')) return 'at-once';
  return pods.some((p) => p.node !== null) ? 'while-running' : 'at-next-start';
};

/** What would become of a claim that asked for this size, as things stand now. Throws when there is no such claim, or no volume of ours to grow. */
export async function outlookOf(
  database: Database,
  site: string,
  sight: Sight,
  { namespace, name }: { readonly namespace: string; readonly name: string },
  size: string,
): Promise<GrowthAnswer> {
  const row = sight.sees(namespace) ? await first(claimNamed(database, namespace, name)) : undefined;
  if (!row) throw Refusal.notFound('claim', `${namespace}/${name}`);
  const wanted = parseQuantity(size);
  if (!wanted.ok) throw Refusal.invalid('size', 'This is no size.');
  const facts = await factsToGrow(database, site, row.uid);
  if (facts === 'claim-gone')
    throw notNow(
      `${namespace}/${name} has no volume of ours that could grow: it is not bound, or was bound to a volume made beforehand.`,
    );
  if (facts === 'class-gone')
    throw notNow(`The class of ${namespace}/${name} is not there any more, so nobody can say what it may have.`);
  const pods = await podsOf(database, namespace, name);
  const input = { ...facts.input, claim: { ...facts.input.claim, size: bytes(wanted.bytes) } };
  const reaches = reachesOf(row.body.spec.volumeMode ?? 'Filesystem', facts.reserved.facts.access, pods);
  return answerOf(input, grow(input), row.size_bytes, reaches);
}
