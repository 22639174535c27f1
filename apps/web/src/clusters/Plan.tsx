import { Box, Tooltip } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import { unfit } from '@moorage/core/clusters/disk';
import { sizeText } from '@moorage/core/sizes/display';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { diskWords } from '../words/disks';
import { drawPlan, type Role } from './drawing';
import { hit, layoutPlan } from './layout';

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
