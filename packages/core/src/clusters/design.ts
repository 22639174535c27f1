import {
  bestDiskToAdd,
  explainCapacity,
  survives,
  width,
  type AddedDisk,
  type CapacityExplained,
  type Scheme,
} from '../capacity/usable';
import { GiB, totalBytes, type Bytes } from '../sizes/bytes';
import { domainOf, isFast, unfit, type DomainLevel, type InventoryDisk, type Unfit } from './disk';

/** Which disks of which nodes become a pool, and how it keeps data. */
export interface ClusterDesign {
  readonly pool: string;
  readonly scheme: Scheme;
  readonly level: DomainLevel;
  /** Ids of the disks that keep data. */
  readonly data: readonly string[];
  /** Ids of small, fast disks for what the cluster must know of itself; empty keeps that beside the data. */
  readonly metadata: readonly string[];
}

/** What a node can still give to a cluster's programs; undefined where nobody knows. */
export interface NodeFree {
  readonly cores: number;
  readonly memory: number;
}

/** Fewer failure domains cannot agree on what is true once one of them is gone. */
export const fewestDomains = 3;
/** Share of the data capacity that a cluster's knowledge of itself needs, where it has disks of its own. */
export const metadataShare = 0.005;

/** Cores and memory that the cluster's programs need on a node: a base, and a part for each disk. */
const perNode = { cores: 1, memory: 4 * GiB };
const perDisk = { fast: { cores: 1, memory: 3 * GiB }, slow: { cores: 0.25, memory: 1.5 * GiB } };

export type DesignProblem =
  | { readonly code: 'unfit-disk'; readonly disk: string; readonly node: string; readonly why: Unfit }
  | { readonly code: 'unknown-disk'; readonly disk: string }
  | { readonly code: 'two-roles'; readonly disk: string }
  | { readonly code: 'too-few-domains'; readonly need: number; readonly have: number; readonly level: DomainLevel }
  | { readonly code: 'mixed-media'; readonly media: readonly string[] }
  | { readonly code: 'slow-metadata'; readonly disk: string; readonly node: string }
  | { readonly code: 'metadata-domains'; readonly need: number; readonly have: number }
  | { readonly code: 'metadata-small'; readonly need: number; readonly have: number }
  | { readonly code: 'short-of-memory'; readonly node: string; readonly need: number; readonly have: number }
  | { readonly code: 'short-of-cores'; readonly node: string; readonly need: number; readonly have: number };

/** Problems that forbid the design; the others are said and may be lived with. */
export const forbids = (problem: DesignProblem): boolean =>
  problem.code !== 'mixed-media' && problem.code !== 'metadata-small';

export interface NodeNeed {
  readonly node: string;
  readonly disks: number;
  readonly capacity: Bytes;
  readonly cores: number;
  readonly memory: number;
  readonly free?: NodeFree;
}

export interface DesignAssessed {
  readonly domains: readonly { readonly name: string; readonly capacity: Bytes; readonly disks: number }[];
  readonly capacity: CapacityExplained;
  /** Domains that may fail with nothing lost. */
  readonly survives: number;
  /** Domains that may fail with copies made whole again on the others: 0 when there is no domain to spare. */
  readonly healsAfter: number;
  readonly needs: readonly NodeNeed[];
  readonly problems: readonly DesignProblem[];
  /** Where one more disk, of the size used most, gains most. */
  readonly advice?: AddedDisk;
}

/** The size most of the disks have. */
function usualSize(disks: readonly InventoryDisk[]): Bytes | undefined {
  const counts = new Map<Bytes, number>();
  for (const { capacity } of disks) counts.set(capacity, (counts.get(capacity) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || b[0] - a[0])[0]?.[0];
}

/** What a design comes to: capacity (docs/calculations.md, Capacity), what it survives, what it asks of its nodes, and what is wrong with it. */
export function assessDesign(
  design: ClusterDesign,
  inventory: ReadonlyMap<string, InventoryDisk>,
  free: ReadonlyMap<string, NodeFree> = new Map(),
): DesignAssessed {
  const problems: DesignProblem[] = [];
  const roles = new Map<string, 'data' | 'metadata'>();
  const take = (ids: readonly string[], role: 'data' | 'metadata'): InventoryDisk[] =>
    ids.flatMap((id) => {
      const disk = inventory.get(id);
      if (!disk) problems.push({ code: 'unknown-disk', disk: id });
      else if (roles.has(id)) problems.push({ code: 'two-roles', disk: id });
      else {
        const why = unfit(disk);
        if (why) problems.push({ code: 'unfit-disk', disk: id, node: disk.node, why });
      }
      if (!disk || roles.has(id)) return [];
      roles.set(id, role);
      return [disk];
    });
  const data = take(design.data, 'data');
  const metadata = take(design.metadata, 'metadata');

  const domains = new Map<string, { capacity: number; disks: number }>();
  const needs = new Map<string, { disks: number; capacity: number; cores: number; memory: number }>();
  for (const disk of [...data, ...metadata]) {
    const need = needs.get(disk.node) ?? { disks: 0, capacity: 0, ...perNode };
    const part = isFast(disk) ? perDisk.fast : perDisk.slow;
    need.disks += 1;
    need.capacity += disk.capacity;
    need.cores += part.cores;
    need.memory += part.memory;
    needs.set(disk.node, need);
  }
  for (const disk of data) {
    const name = domainOf(disk, design.level);
    const domain = domains.get(name) ?? { capacity: 0, disks: 0 };
    domain.capacity += disk.capacity;
    domain.disks += 1;
    domains.set(name, domain);
  }
  const listed = [...domains]
    .map(([name, d]) => ({ name, capacity: totalBytes(d.capacity), disks: d.disks }))
    .sort((a, b) => (a.name < b.name ? -1 : 1));

  const wide = width(design.scheme);
  const need = Math.max(fewestDomains, wide);
  if (listed.length < need) problems.push({ code: 'too-few-domains', need, have: listed.length, level: design.level });
  const media = [...new Set(data.map((d) => d.media))].sort();
  if (media.length > 1) problems.push({ code: 'mixed-media', media });
  problems.push(...metadataProblems(design, data, metadata));
  const asked = [...needs]
    .map(([node, n]): NodeNeed => ({ node, ...n, capacity: totalBytes(n.capacity), free: free.get(node) }))
    .sort((a, b) => (a.node < b.node ? -1 : 1));
  for (const { node, cores, memory, free: has } of asked) {
    if (has && memory > has.memory) problems.push({ code: 'short-of-memory', node, need: memory, have: has.memory });
    if (has && cores > has.cores) problems.push({ code: 'short-of-cores', node, need: cores, have: has.cores });
  }
  const usual = usualSize(data);
  return {
    domains: listed,
    capacity: explainCapacity(listed, design.scheme),
    survives: listed.length < wide ? 0 : survives(design.scheme),
    healsAfter: Math.max(0, listed.length - wide),
    needs: asked,
    problems,
    ...(usual !== undefined && { advice: bestDiskToAdd(listed, design.scheme, usual) }),
  };
}

function metadataProblems(
  design: ClusterDesign,
  data: readonly InventoryDisk[],
  metadata: readonly InventoryDisk[],
): DesignProblem[] {
  if (metadata.length === 0) return [];
  const problems: DesignProblem[] = metadata
    .filter((d) => !isFast(d))
    .map((d) => ({ code: 'slow-metadata', disk: d.id, node: d.node }));
  const spread = new Set(metadata.map((d) => domainOf(d, design.level))).size;
  if (spread < fewestDomains) problems.push({ code: 'metadata-domains', need: fewestDomains, have: spread });
  const have = metadata.reduce((sum, d) => sum + d.capacity, 0);
  const need = Math.ceil(data.reduce((sum, d) => sum + d.capacity, 0) * metadataShare);
  if (have < need) problems.push({ code: 'metadata-small', need, have });
  return problems;
}
