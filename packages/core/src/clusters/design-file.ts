import type { Scheme } from '../capacity/usable';
import type { ClusterDesign } from './design';
import { unfit, type DomainLevel, type InventoryDisk } from './disk';

/** Disks of one kind on one node: how many, of what medium, at least how large. */
export interface DiskKind {
  readonly role: 'data' | 'metadata';
  readonly media: string;
  readonly capacity: number;
  readonly count: number;
}

/** A design without the names of one place: what each node gives, so that it can be opened on other nodes. */
export interface PortableDesign {
  readonly pool: string;
  readonly scheme: Scheme;
  readonly level: DomainLevel;
  readonly nodes: readonly { readonly node: string; readonly disks: readonly DiskKind[] }[];
}

/** Metadata last, large ones first: the same design gives the same file. */
const byKind = (a: DiskKind, b: DiskKind): number =>
  (a.role < b.role ? -1 : a.role > b.role ? 1 : 0) || b.capacity - a.capacity || (a.media < b.media ? -1 : 1);

export function toPortable(design: ClusterDesign, inventory: ReadonlyMap<string, InventoryDisk>): PortableDesign {
  const nodes = new Map<string, Map<string, DiskKind>>();
  const add = (ids: readonly string[], role: DiskKind['role']) => {
    for (const id of ids) {
      const disk = inventory.get(id);
      if (!disk) continue;
      const kinds = nodes.get(disk.node) ?? new Map<string, DiskKind>();
      const key = `${role} ${disk.media} ${disk.capacity}`;
      const known = kinds.get(key);
      kinds.set(key, { role, media: disk.media, capacity: disk.capacity, count: (known?.count ?? 0) + 1 });
      nodes.set(disk.node, kinds);
    }
  };
  add(design.data, 'data');
  add(design.metadata, 'metadata');
  const listed = [...nodes].sort(([a], [b]) => (a < b ? -1 : 1));
  return {
    pool: design.pool,
    scheme: design.scheme,
    level: design.level,
    nodes: listed.map(([node, kinds]) => ({ node, disks: [...kinds.values()].sort(byKind) })),
  };
}

export interface Missing extends DiskKind {
  /** Node of the file that finds no match, and the node here that came closest. */
  readonly node: string;
  readonly onto?: string;
  readonly short: number;
}

/** Picks fit disks of a node for the kinds asked, smallest that do first; and what is short. */
function pick(disks: readonly InventoryDisk[], kinds: readonly DiskKind[]) {
  const left = [...disks].sort((a, b) => a.capacity - b.capacity || (a.id < b.id ? -1 : 1));
  const chosen: { id: string; role: DiskKind['role'] }[] = [];
  const missing: (DiskKind & { short: number })[] = [];
  for (const kind of [...kinds].sort((a, b) => b.capacity - a.capacity)) {
    let found = 0;
    for (let i = 0; i < left.length && found < kind.count;) {
      const disk = left[i]!;
      if (disk.media === kind.media && disk.capacity >= kind.capacity) {
        chosen.push({ id: disk.id, role: kind.role });
        left.splice(i, 1);
        found += 1;
      } else i += 1;
    }
    if (found < kind.count) missing.push({ ...kind, short: kind.count - found });
  }
  return { chosen, missing };
}

/**
 * Opens a design on the nodes at hand: each node of the file takes the node of its own name when that has what is asked, else
 * the first other that has. What cannot be matched is said; nothing unfit is ever chosen.
 */
export function fromPortable(
  file: PortableDesign,
  disks: readonly InventoryDisk[],
): { readonly design: ClusterDesign; readonly missing: readonly Missing[] } {
  const fit = new Map<string, InventoryDisk[]>();
  for (const disk of disks) if (unfit(disk) === undefined) fit.set(disk.node, [...(fit.get(disk.node) ?? []), disk]);
  const free = new Set([...fit.keys()].sort());
  const data: string[] = [];
  const metadata: string[] = [];
  const missing: Missing[] = [];
  const settle = (wanted: PortableDesign['nodes'][number], node: string) => {
    free.delete(node);
    for (const { id, role } of pick(fit.get(node)!, wanted.disks).chosen) (role === 'data' ? data : metadata).push(id);
  };
  const complete = (wanted: PortableDesign['nodes'][number], node: string) =>
    free.has(node) && pick(fit.get(node)!, wanted.disks).missing.length === 0;
  const open = file.nodes.filter((wanted) => {
    if (!complete(wanted, wanted.node)) return true;
    settle(wanted, wanted.node);
    return false;
  });
  for (const wanted of open) {
    const whole = [...free].find((node) => complete(wanted, node));
    const closest =
      whole ??
      [...free].sort(
        (a, b) =>
          pick(fit.get(b)!, wanted.disks).chosen.length - pick(fit.get(a)!, wanted.disks).chosen.length ||
          (a < b ? -1 : 1),
      )[0];
    if (closest === undefined) {
      missing.push(...wanted.disks.map((kind) => ({ ...kind, node: wanted.node, short: kind.count })));
      continue;
    }
    const lacking = pick(fit.get(closest)!, wanted.disks).missing;
    missing.push(...lacking.map((kind) => ({ ...kind, node: wanted.node, onto: closest })));
    settle(wanted, closest);
  }
  const { pool, scheme, level } = file;
  return { design: { pool, scheme, level, data, metadata }, missing };
}
