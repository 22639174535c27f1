import { Box, Tooltip } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import { unfit } from '@moorage/core/clusters/disk';
import { sizeText } from '@moorage/core/sizes/display';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { depthStep, type Tokens } from '../theme/tokens';
import { mono } from '../theme/theme';
import { diskWords } from '../words/disks';
import { hit, layoutPlan, type PlanLayout } from './layout';

export type Role = 'data' | 'metadata' | 'chosen';

interface PlanProps {
  readonly nodes: Inventory['nodes'];
  readonly disks: readonly SeenDisk[];
  readonly roles: ReadonlyMap<string, Role>;
  /** A disk, or all disks of a node, were pointed at. */
  readonly onPick?: (disks: readonly SeenDisk[]) => void;
  readonly label: string;
}

type Brush = 'free' | 'data' | 'metadata' | 'chosen' | 'unfit' | 'broken' | 0 | 1 | 2 | 3 | 4;

function brushOf(disk: SeenDisk, role: Role | undefined): Brush {
  if (!disk.works) return 'broken';
  if (role) return role;
  if (disk.use === 'owned') return depthStep(Math.min(0.99, disk.provisioned / Math.max(1, disk.capacity)));
  return unfit(disk) === undefined ? 'free' : 'unfit';
}

/** Draws everything, one kind of brush after the other: tens of thousands of disks take a few milliseconds. */
function draw(canvas: HTMLCanvasElement, layout: PlanLayout, props: PlanProps, chart: Tokens, width: number): void {
  const scale = window.devicePixelRatio || 1;
  canvas.width = width * scale;
  canvas.height = layout.height * scale;
  const g = canvas.getContext('2d')!;
  g.scale(scale, scale);
  g.clearRect(0, 0, width, layout.height);
  g.font = '12px "Atkinson Hyperlegible Next", sans-serif';
  g.textBaseline = 'middle';
  g.fillStyle = chart.secondInk;
  let zone: string | undefined;
  for (const rack of layout.racks) {
    const words = rack.zone === zone || rack.zone === '' ? rack.rack : `${rack.zone} · ${rack.rack}`;
    g.fillText(words || 'nodes', rack.x, rack.y + 8, rack.w);
    zone = rack.zone;
  }
  const { disks, roles } = props;
  const byBrush = new Map<Brush, number[]>();
  disks.forEach((d, i) => {
    const brush = brushOf(d, roles.get(d.id));
    const list = byBrush.get(brush);
    if (list) list.push(i);
    else byBrush.set(brush, [i]);
  });
  const at = (i: number): [number, number, number, number] => [
    layout.disks[i * 4]!,
    layout.disks[i * 4 + 1]!,
    layout.disks[i * 4 + 2]!,
    layout.disks[i * 4 + 3]!,
  ];
  for (const [brush, list] of byBrush) {
    g.fillStyle =
      typeof brush === 'number'
        ? chart.depth[brush]
        : {
            free: chart.sheet,
            data: chart.tide,
            metadata: chart.ink,
            chosen: chart.tide,
            unfit: chart.rule,
            broken: chart.sheet,
          }[brush];
    for (const i of list) g.fillRect(...at(i));
    if (!layout.named && brush !== 'free' && brush !== 'broken') continue;
    g.strokeStyle = brush === 'broken' ? chart.buoy : chart.secondInk;
    g.lineWidth = layout.named ? 1 : 0.5;
    for (const i of list) {
      const [x, y, w, h] = at(i);
      g.strokeRect(x + 0.5, y + 0.5, Math.max(0.5, w - 1), h - 1);
      if (brush === 'broken') {
        g.beginPath();
        g.moveTo(x, y);
        g.lineTo(x + w, y + h);
        g.moveTo(x + w, y);
        g.lineTo(x, y + h);
        g.stroke();
      }
    }
  }
  if (!layout.named) return;
  // sizes in the disks, names beside the nodes
  g.font = `12px ${mono}`;
  for (const n of layout.nodes) {
    g.fillStyle = n.up ? chart.ink : chart.buoy;
    g.fillText(n.name, n.x, n.y + n.h / 2, 62);
  }
  g.font = '11px "Atkinson Hyperlegible Next", sans-serif';
  disks.forEach((d, i) => {
    const [x, y, w, h] = at(i);
    const brush = brushOf(d, roles.get(d.id));
    const text = sizeText(d.capacity);
    if (g.measureText(text).width > w - 6) return;
    g.fillStyle =
      brush === 'metadata' || brush === 'data' || brush === 'chosen'
        ? chart.sheet
        : typeof brush === 'number'
          ? chart.onDepth[brush]
          : chart.ink;
    g.fillText(text, x + 4, y + h / 2);
  });
}

const roleWords: Record<Role, string> = { data: 'chosen for data', metadata: 'chosen for metadata', chosen: 'chosen' };

function Words({ disk, role }: { disk: SeenDisk; role?: Role }) {
  const why = unfit(disk);
  return (
    <>
      <strong>{disk.id}</strong>
      <div>
        {sizeText(disk.capacity)} {disk.media} in {disk.node} · {role ? roleWords[role] : diskWords(disk, why)}
      </div>
      {disk.use === 'owned' && (
        <div>
          promised {sizeText(disk.provisioned)}, written {sizeText(disk.written)}
        </div>
      )}
      {disk.lifeLeft < 100 && <div>{disk.lifeLeft} % of its life left</div>}
      {disk.failing && <div>expects to fail soon</div>}
    </>
  );
}

/** Zones, racks, nodes and disks drawn to size, with fill and state; disks and nodes can be picked. */
export function Plan(props: PlanProps) {
  const { nodes, disks, roles, onPick, label } = props;
  const { chart } = useTheme();
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(0);
  const [over, setOver] = useState<{ disk?: number; node?: string }>({});
  useLayoutEffect(() => {
    const box = holder.current!;
    const watch = new ResizeObserver(() => setWidth(Math.floor(box.clientWidth)));
    watch.observe(box);
    setWidth(Math.floor(box.clientWidth));
    return () => watch.disconnect();
  }, []);
  const layout = useMemo(() => (width > 0 ? layoutPlan(nodes, disks, width) : undefined), [nodes, disks, width]);
  useEffect(() => {
    if (!layout || !canvas.current) return;
    const began = performance.now();
    draw(canvas.current, layout, { nodes, disks, roles, label }, chart, width);
    const { dataset } = canvas.current;
    dataset.drawn = String(disks.length);
    dataset.draws = String(Number(dataset.draws ?? 0) + 1);
    dataset.drawMs = (performance.now() - began).toFixed(1);
  }, [layout, nodes, disks, roles, chart, width, label]);
  const find = (event: React.MouseEvent) => {
    const box = canvas.current!.getBoundingClientRect();
    return layout ? hit(layout, event.clientX - box.left, event.clientY - box.top) : {};
  };
  const pointed = over.disk === undefined ? undefined : disks[over.disk];
  return (
    <Box ref={holder} sx={{ width: '100%' }}>
      <Tooltip
        followCursor
        title={pointed ? <Words disk={pointed} role={roles.get(pointed.id)} /> : (over.node ?? '')}
        enterDelay={0}
      >
        <canvas
          ref={canvas}
          role="img"
          aria-label={label}
          style={{
            width: '100%',
            height: layout?.height ?? 0,
            display: 'block',
            cursor: onPick && (over.disk !== undefined || over.node) ? 'pointer' : 'default',
          }}
          onMouseMove={(event) => {
            const { disk, node } = find(event);
            if (disk !== over.disk || node?.name !== over.node) setOver({ disk, node: node?.name });
          }}
          onMouseLeave={() => setOver({})}
          onClick={(event) => {
            const { disk, node } = find(event);
            if (!onPick) return;
            if (disk !== undefined) onPick([disks[disk]!]);
            else if (node) onPick(node.disks.map((i) => disks[i]!));
          }}
        />
      </Tooltip>
    </Box>
  );
}
