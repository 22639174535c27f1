import type { SeenDisk } from '@moorage/contract/inventory';
import { unfit } from '@moorage/core/clusters/disk';
import { sizeText } from '@moorage/core/sizes/display';
import { mono } from '../theme/theme';
import { depthStep, type Tokens } from '../theme/tokens';
import type { PlanLayout } from './layout';

export type Role = 'data' | 'metadata' | 'chosen';

const order = ['free', 'unfit', 0, 1, 2, 3, 4, 'data', 'metadata', 'chosen', 'broken'] as const;
type Brush = (typeof order)[number];

/** A chosen disk keeps its own fill where there is room to outline it. */
function brushOf(disk: SeenDisk, role: Role | undefined, small: boolean): Brush {
  if (!disk.works && !(small && role)) return 'broken';
  if (role && (small || role !== 'chosen')) return role;
  if (disk.use === 'owned') return depthStep(Math.min(0.99, disk.provisioned / Math.max(1, disk.capacity)));
  return unfit(disk) === undefined ? 'free' : 'unfit';
}

const fillsOf = (chart: Tokens): Record<Brush, string> => ({
  0: chart.depth[0],
  1: chart.depth[1],
  2: chart.depth[2],
  3: chart.depth[3],
  4: chart.depth[4],
  free: chart.sheet,
  data: chart.tide,
  metadata: chart.ink,
  chosen: chart.ink,
  unfit: chart.rule,
  broken: chart.buoy,
});

/** A colour of the theme as one pixel, little-endian. */
const pixelOf = (hex: string): number => {
  const [r, g, b] = [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16));
  return ((255 << 24) | (b! << 16) | (g! << 8) | r!) >>> 0;
};

/** Zones, racks, nodes and disks on a canvas. Tens of thousands of disks are set as pixels: calls for each would take too long. */
export function drawPlan(
  canvas: HTMLCanvasElement,
  layout: PlanLayout,
  disks: readonly SeenDisk[],
  roles: ReadonlyMap<string, Role>,
  chart: Tokens,
  width: number,
): void {
  const scale = window.devicePixelRatio || 1;
  canvas.width = Math.round(width * scale);
  canvas.height = Math.round(layout.height * scale);
  const g = canvas.getContext('2d')!;
  const brushes = new Uint8Array(disks.length);
  const roleOf = roles.size === 0 ? () => undefined : (id: string) => roles.get(id);
  disks.forEach((d, i) => (brushes[i] = order.indexOf(brushOf(d, roleOf(d.id), !layout.named))));
  if (layout.named) {
    g.scale(scale, scale);
    drawDisks(g, layout, disks, brushes, chart);
    outlineChosen(g, layout, disks, roles, chart);
  } else {
    setPixels(g, layout, brushes, chart, scale);
    g.scale(scale, scale);
  }
  g.font = '12px "Atkinson Hyperlegible Next", sans-serif';
  g.textBaseline = 'middle';
  g.fillStyle = chart.secondInk;
  let zone: string | undefined;
  for (const rack of layout.racks) {
    const words = rack.zone === zone || rack.zone === '' ? rack.rack : `${rack.zone} · ${rack.rack}`;
    g.fillText(words || 'nodes', rack.x, rack.y + 8, rack.w);
    zone = rack.zone;
  }
}

/** Small disks: what shines through between them tells them apart. */
function setPixels(
  g: CanvasRenderingContext2D,
  layout: PlanLayout,
  brushes: Uint8Array,
  chart: Tokens,
  scale: number,
): void {
  const { width, height } = g.canvas;
  const image = g.createImageData(width, height);
  const pixels = new Uint32Array(image.data.buffer);
  const fill = (x: number, y: number, w: number, h: number, pixel: number) => {
    const left = Math.round(x * scale);
    const right = Math.min(width, Math.max(left + 1, Math.round((x + w) * scale)));
    const bottom = Math.round((y + h) * scale);
    for (let row = Math.round(y * scale); row < bottom; row++)
      for (let at = row * width + left, end = row * width + right; at < end; at++) pixels[at] = pixel;
  };
  const boxes = layout.disks;
  const between = pixelOf(chart.secondInk);
  for (const n of layout.nodes) {
    const [first, last] = [n.disks[0], n.disks[n.disks.length - 1]];
    if (first === undefined || last === undefined) continue;
    const left = boxes[first * 4]!;
    fill(left, n.y, boxes[last * 4]! + boxes[last * 4 + 2]! - left, n.h, between);
  }
  const fills = fillsOf(chart);
  const pixelFor = order.map((brush) => pixelOf(fills[brush]));
  for (let i = 0, k = 0; i < brushes.length; i++, k += 4)
    fill(boxes[k]!, boxes[k + 1]!, Math.max(1, boxes[k + 2]! - 0.5), boxes[k + 3]!, pixelFor[brushes[i]!]!);
  g.putImageData(image, 0, 0);
}

/** Large disks: outlined, with their sizes in them and the names of the nodes beside. */
function drawDisks(
  g: CanvasRenderingContext2D,
  layout: PlanLayout,
  disks: readonly SeenDisk[],
  brushes: Uint8Array,
  chart: Tokens,
): void {
  const boxes = layout.disks;
  const fills = fillsOf(chart);
  g.textBaseline = 'middle';
  g.font = '11px "Atkinson Hyperlegible Next", sans-serif';
  disks.forEach((d, i) => {
    const [x, y, w, h] = [boxes[i * 4]!, boxes[i * 4 + 1]!, boxes[i * 4 + 2]!, boxes[i * 4 + 3]!];
    const brush = order[brushes[i]!]!;
    const broken = brush === 'broken';
    g.fillStyle = broken ? chart.sheet : fills[brush];
    g.fillRect(x, y, w, h);
    g.strokeStyle = broken ? chart.buoy : chart.secondInk;
    g.strokeRect(x + 0.5, y + 0.5, Math.max(0.5, w - 1), h - 1);
    if (broken) {
      g.beginPath();
      g.moveTo(x, y);
      g.lineTo(x + w, y + h);
      g.moveTo(x + w, y);
      g.lineTo(x, y + h);
      g.stroke();
    }
    const text = sizeText(d.capacity);
    if (g.measureText(text).width > w - 6) return;
    const onInk = brush === 'metadata' || brush === 'data' || brush === 'chosen';
    g.fillStyle = onInk ? chart.sheet : typeof brush === 'number' ? chart.onDepth[brush] : chart.ink;
    g.fillText(text, x + 4, y + h / 2);
  });
  g.font = `12px ${mono}`;
  for (const n of layout.nodes) {
    g.fillStyle = n.up ? chart.ink : chart.buoy;
    g.fillText(n.name, n.x, n.y + n.h / 2, 62);
  }
}

function outlineChosen(
  g: CanvasRenderingContext2D,
  layout: PlanLayout,
  disks: readonly SeenDisk[],
  roles: ReadonlyMap<string, Role>,
  chart: Tokens,
): void {
  g.strokeStyle = chart.ink;
  g.lineWidth = 3;
  disks.forEach((d, i) => {
    if (roles.get(d.id) !== 'chosen') return;
    const [x, y, w, h] = [0, 1, 2, 3].map((k) => layout.disks[i * 4 + k]!) as [number, number, number, number];
    g.strokeRect(x, y - 1, w, h + 2);
  });
  g.lineWidth = 1;
}
