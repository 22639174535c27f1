import type { Inventory, SeenDisk } from '@moorage/contract/inventory';

export interface Box {
  readonly x: number;
  readonly y: number;
  readonly w: number;
  readonly h: number;
}
export interface RackBox extends Box {
  readonly zone: string;
  readonly rack: string;
}
export interface NodeBox extends Box {
  readonly index: number;
  readonly name: string;
  readonly up: boolean;
  /** Indexes of its disks, left to right. */
  readonly disks: readonly number[];
}
export interface PlanLayout {
  readonly height: number;
  readonly racks: readonly RackBox[];
  readonly nodes: readonly NodeBox[];
  /** x, y, width and height of each disk, four numbers a disk, in the order of the disks given. */
  readonly disks: Float64Array;
  /** Names of nodes are written beside them. */
  readonly named: boolean;
}

const gap = 10;
const rackHead = 18;

/** Lays zones, racks, nodes and disks out to scale: a disk is as wide as its share of the largest node. */
export function layoutPlan(nodes: Inventory['nodes'], disks: readonly SeenDisk[], width: number): PlanLayout {
  const named = nodes.length <= 60;
  const rowHeight = named ? 28 : nodes.length <= 300 ? 11 : 6;
  const rowGap = named ? 4 : 1;
  const label = named ? 66 : 0;
  const least = named ? 300 : 104;
  const own = new Map<string, number[]>();
  disks.forEach((d, i) => {
    const list = own.get(d.node);
    if (list) list.push(i);
    else own.set(d.node, [i]);
  });
  let largest = 1;
  for (const list of own.values())
    largest = Math.max(
      largest,
      list.reduce((sum, i) => sum + disks[i]!.capacity, 0),
    );
  const racks = new Map<string, { zone: string; rack: string; nodes: number[] }>();
  nodes.forEach((n, i) => {
    const key = `${n.zone}\n${n.rack}`;
    const rack = racks.get(key) ?? { zone: n.zone, rack: n.rack, nodes: [] };
    rack.nodes.push(i);
    racks.set(key, rack);
  });
  const columns = Math.max(1, Math.min(racks.size, Math.floor((width + gap) / (least + gap))));
  const rackWidth = (width - gap * (columns - 1)) / columns;
  const boxes = new Float64Array(disks.length * 4);
  const rackBoxes: RackBox[] = [];
  const nodeBoxes: NodeBox[] = [];
  let [column, y, shelf] = [0, 0, 0];
  for (const { zone, rack, nodes: inRack } of racks.values()) {
    if (column === columns) {
      [column, y, shelf] = [0, y + shelf + gap, 0];
    }
    const x = column * (rackWidth + gap);
    const h = rackHead + inRack.length * (rowHeight + rowGap);
    rackBoxes.push({ zone, rack, x, y, w: rackWidth, h });
    inRack.forEach((index, row) => {
      const node = nodes[index]!;
      const top = y + rackHead + row * (rowHeight + rowGap);
      const list = own.get(node.name) ?? [];
      const scale = (rackWidth - label) / largest;
      let left = x + label;
      for (const i of list) {
        const w = disks[i]!.capacity * scale;
        boxes.set([left, top, Math.max(1, w - (named ? 2 : 0.5)), rowHeight], i * 4);
        left += w;
      }
      nodeBoxes.push({ index, name: node.name, up: node.up, x, y: top, w: rackWidth, h: rowHeight, disks: list });
    });
    shelf = Math.max(shelf, h);
    column += 1;
  }
  return { height: y + shelf, racks: rackBoxes, nodes: nodeBoxes, disks: boxes, named };
}

/** The node and the disk at a point; nothing between them. */
export function hit(layout: PlanLayout, px: number, py: number): { node?: NodeBox; disk?: number } {
  const node = layout.nodes.find((n) => px >= n.x && px < n.x + n.w && py >= n.y && py < n.y + n.h);
  const disk = node?.disks.find((i) => {
    const left = layout.disks[i * 4]!;
    return px >= left && px < left + layout.disks[i * 4 + 2]!;
  });
  return { node, ...(disk !== undefined && { disk }) };
}

/** The disk that a key leads to from one, along its node or to the nodes above and below; undefined when the key leads nowhere. */
export function steppedTo(layout: PlanLayout, from: number | undefined, key: string): number | undefined {
  const nodes = layout.nodes.filter((n) => n.disks.length > 0);
  const row = nodes.findIndex((n) => from !== undefined && n.disks.includes(from));
  if (row < 0) return key.startsWith('Arrow') ? nodes[0]?.disks[0] : undefined;
  const { disks } = nodes[row]!;
  const at = disks.indexOf(from!);
  const inRow = (to: number): number | undefined => {
    const other = nodes[to]?.disks;
    return other?.[Math.min(at, other.length - 1)];
  };
  switch (key) {
    case 'ArrowRight':
      return disks[at + 1] ?? nodes[row + 1]?.disks[0];
    case 'ArrowLeft':
      return disks[at - 1] ?? nodes[row - 1]?.disks.at(-1);
    case 'ArrowDown':
      return inRow(row + 1);
    case 'ArrowUp':
      return inRow(row - 1);
    case 'Home':
      return disks[0];
    case 'End':
      return disks.at(-1);
    default:
      return undefined;
  }
}
