import { Box, Tooltip } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import { unfit } from '@moorage/core/clusters/disk';
import { sizeText } from '@moorage/core/sizes/display';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { diskWords } from './words';
import { drawPlan, type Role } from './drawing';
import { hit, layoutPlan, steppedTo, type PlanLayout } from './layout';

interface PlanProps {
  readonly nodes: Inventory['nodes'];
  readonly disks: readonly SeenDisk[];
  readonly roles: ReadonlyMap<string, Role>;
  /** A disk, or all disks of a node, were pointed at. */
  readonly onPick?: (disks: readonly SeenDisk[]) => void;
  readonly label: string;
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

/** Where the keys are, drawn over the disk. */
function Cursor({ layout, disk }: { layout: PlanLayout; disk: number }) {
  const [left, top, width, height] = layout.disks.slice(disk * 4, disk * 4 + 4);
  const ring = useRef<HTMLDivElement>(null);
  useEffect(() => {
    void ring.current?.scrollIntoView({ block: 'nearest' });
  }, [disk]);
  return (
    <Box
      ref={ring}
      aria-hidden
      sx={{
        position: 'absolute',
        left: left! - 3,
        top: top! - 3,
        width: width! + 6,
        height: height! + 6,
        border: 2,
        borderColor: 'text.primary',
        pointerEvents: 'none',
        scrollMargin: '80px',
      }}
    />
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
  const [cursor, setCursor] = useState<number>();
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
    drawPlan(canvas.current, layout, disks, roles, chart, width);
    const { dataset } = canvas.current;
    dataset.drawn = String(disks.length);
    dataset.draws = String(Number(dataset.draws ?? 0) + 1);
    dataset.drawMs = (performance.now() - began).toFixed(1);
  }, [layout, disks, roles, chart, width]);
  const find = (event: React.MouseEvent) => {
    const box = canvas.current!.getBoundingClientRect();
    return layout ? hit(layout, event.clientX - box.left, event.clientY - box.top) : {};
  };
  const pointed = over.disk === undefined ? undefined : disks[over.disk];
  const reached = cursor === undefined ? undefined : disks[cursor];
  const press = (event: React.KeyboardEvent) => {
    if (!layout || event.ctrlKey || event.altKey || event.metaKey) return;
    const next = steppedTo(layout, cursor, event.key);
    if (next !== undefined) setCursor(next);
    else if (reached && onPick && (event.key === 'Enter' || event.key === ' '))
      onPick(event.shiftKey ? disks.filter((d) => d.node === reached.node) : [reached]);
    else return;
    event.preventDefault();
  };
  return (
    <Box ref={holder} sx={{ width: '100%', position: 'relative' }}>
      <Tooltip
        followCursor
        title={pointed ? <Words disk={pointed} role={roles.get(pointed.id)} /> : (over.node ?? '')}
        enterDelay={0}
      >
        <canvas
          ref={canvas}
          role="application"
          aria-label={label}
          tabIndex={0}
          onKeyDown={press}
          onFocus={(event) => {
            if (layout && event.target.matches(':focus-visible'))
              setCursor((c) => c ?? steppedTo(layout, c, 'ArrowRight'));
          }}
          onBlur={() => setCursor(undefined)}
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
      {layout && reached && <Cursor layout={layout} disk={cursor!} />}
      <Box
        role="status"
        sx={
          layout && reached
            ? {
                position: 'absolute',
                left: Math.max(0, Math.min(layout.disks[cursor! * 4]!, width - 300)),
                top: layout.disks[cursor! * 4 + 1]! + layout.disks[cursor! * 4 + 3]! + 6,
                zIndex: 1,
                px: 1,
                py: 0.5,
                fontSize: 12.5,
                bgcolor: 'background.paper',
                border: 1,
                borderColor: 'text.secondary',
                pointerEvents: 'none',
              }
            : undefined
        }
      >
        {reached && <Words disk={reached} role={roles.get(reached.id)} />}
      </Box>
    </Box>
  );
}
