import { protocolOf } from '@moorage/core/classes/protocol';
import type { Pool } from '@moorage/core/pools/pool-state';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { slackIn, slackOf, type Instances } from '@moorage/core/shares/instances';
import type { PoolRow } from './backends';

interface Sold {
  /** What shares can be carved out of. */
  readonly instances: Instances;
  /** Bought and promised to nobody: by us, and by others. */
  readonly slack: number;
  readonly others: number;
}

/** How a pool is sold in instances; undefined where it is not. One whose copies we keep is never. */
function soldOf({ facts, instances = [] }: PoolRow): Sold | undefined {
  if (!facts.instances || facts.redundancy.kind !== 'inner') return undefined;
  const { sold, ...sizes } = facts.instances;
  const ours = instances.map(({ bytes, ...i }) => ({ ...i, size: bytes }));
  const names = new Set(ours.map((i) => i.id));
  return {
    instances: { sizes, held: ours.filter((i) => !i.leaving) },
    slack: slackIn({ held: ours }),
    others: sold
      .filter((s) => !names.has(s.name))
      .reduce((sum, { name: id, bytes: size, used }) => sum + slackOf({ id, size, used }), 0),
  };
}

/** Copies that a pool keeps of what its backend puts there by itself. */
export const usualCopies = ({ facts: { redundancy } }: Pick<PoolRow, 'facts'>): number =>
  redundancy.kind === 'spread' && redundancy.scheme.kind === 'copies' ? redundancy.scheme.copies : 1;

/** A pool as the core's decisions see it, from what the API says of it: the same on the server and in the browser's worker. */
export function toCorePool(
  row: PoolRow & {
    readonly reachable: boolean;
    readonly healthy: boolean;
    readonly diskUse: Readonly<Record<string, number>>;
  },
): Pool {
  const { facts } = row;
  const { redundancy } = facts;
  const sold = soldOf(row);
  const placesCopies = redundancy.kind === 'spread' && redundancy.scheme.kind === 'copies';
  return {
    id: row.id,
    name: row.name,
    backend: row.backend,
    reachable: row.reachable,
    healthy: row.healthy,
    takes: row.goneSince !== null ? 'gone' : facts.readOnly ? 'nothing' : 'volumes',
    access: facts.access,
    protocols: [...new Set(facts.protocols.flatMap((p) => protocolOf(p) ?? []))],
    sharedBlock: facts.sharedBlock,
    encryption: facts.encryption,
    expansion: facts.expansion,
    compression: facts.compression,
    deduplication: facts.deduplication,
    snapshots: facts.snapshots,
    offsite: facts.offsite,
    ...(row.sites.length > 0 && { sites: row.sites }),
    zones: facts.zones,
    minimum: facts.minimum as Bytes,
    maximum: facts.maximum as Bytes,
    granule: facts.granule as Bytes,
    redundancy:
      redundancy.kind === 'inner'
        ? { kind: 'inner', survives: redundancy.survives, usable: redundancy.usable as Bytes }
        : {
            kind: 'spread',
            scheme: redundancy.scheme,
            level: redundancy.level,
            domains: redundancy.domains.map((d) => ({ ...d, capacity: d.capacity as Bytes })),
            ...(placesCopies && {
              disks: facts.disks.map((d) => ({
                id: d.id,
                node: d.node,
                domain: redundancy.level === 'node' ? d.node : redundancy.level === 'rack' ? d.rack : d.zone,
                capacity: d.capacity,
                used: row.diskUse[d.id] ?? 0,
                usable: d.works,
              })),
            }),
          },
    ...(sold && { instances: sold.instances }),
    subscribedRaw: row.reservedRaw + row.foreignRaw + (sold ? sold.slack + sold.others : 0),
    consumedRaw: facts.consumedRaw,
    overcommit: row.overcommit,
    softMark: row.softMark,
    hardMark: row.hardMark,
    allotment: row.allotment ?? undefined,
    taken: row.reservedRaw + (sold?.slack ?? 0),
    ...(row.backendCap && { backendCap: row.backendCap }),
    iopsAllotment: row.allotmentIops ?? undefined,
    iops: facts.iops,
    promisedIops: row.promisedIops,
    amplification: facts.amplification,
    throughput: facts.throughput,
    promisedThroughput: row.promisedThroughput,
    throughputAllotment: row.allotmentThroughput ?? undefined,
    largest: row.largest,
  };
}
