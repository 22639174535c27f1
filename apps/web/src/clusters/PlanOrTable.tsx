import { Box, LinearProgress, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import { unfit } from '@moorage/core/clusters/disk';
import { useInAddress } from '../frame/address';
import { lazy, Suspense, useMemo } from 'react';
import type { Role } from './drawing';
import { Plan } from './Plan';
import { Fill, Row } from '../parts/layout';

const DiskTable = lazy(() => import('./DiskTable').then((m) => ({ default: m.DiskTable })));

function Swatch({ fill, words, cross, thick }: { fill: string; words: string; cross?: string; thick?: 'thick' }) {
  const { chart } = useTheme();
  return (
    <Box component="span" sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.75, whiteSpace: 'nowrap' }}>
      <svg width="16" height="12" aria-hidden="true">
        <rect
          x="0.5"
          y="0.5"
          width="15"
          height="11"
          fill={fill}
          stroke={thick ? chart.ink : (cross ?? chart.secondInk)}
          strokeWidth={thick ? 4 : 1}
        />
        {cross && <path d="M0 0L16 12M16 0L0 12" stroke={cross} />}
      </svg>
      {words}
    </Box>
  );
}

/** What the fills of the drawing mean: only what occurs in it. */
function Legend({ disks, roles }: { disks: readonly SeenDisk[]; roles: ReadonlyMap<string, Role> }) {
  const { chart } = useTheme();
  const kinds = new Set(roles.values());
  const seen = useMemo(() => {
    const found = { free: false, owned: false, barred: false, broken: false };
    for (const d of disks) {
      if (!d.works) found.broken = true;
      else if (d.use === 'owned') found.owned = true;
      else if (unfit(d) !== undefined) found.barred = true;
      else if (!roles.has(d.id)) found.free = true;
    }
    return found;
  }, [disks, roles]);
  return (
    <Typography
      variant="caption"
      component="div"
      color="text.secondary"
      sx={{ display: 'flex', gap: 2, flexWrap: 'wrap' }}
    >
      {seen.free && <Swatch fill={chart.sheet} words="free" />}
      {kinds.has('data') && <Swatch fill={chart.tide} words="for data" />}
      {kinds.has('metadata') && <Swatch fill={chart.ink} words="for metadata" />}
      {kinds.has('chosen') && <Swatch fill={chart.sheet} words="chosen" thick="thick" />}
      {seen.barred && <Swatch fill={chart.rule} words="cannot be taken" />}
      {seen.owned && (
        <>
          <Swatch fill={chart.depth[0]} words="in a pool, little promised" />
          <Swatch fill={chart.depth[4]} words="nearly all promised" />
        </>
      )}
      {seen.broken && <Swatch fill={chart.sheet} cross={chart.buoy} words="does not work" />}
    </Typography>
  );
}

/** The disks of a cluster, drawn or listed; the choice is in the address. */
export function PlanOrTable({
  inventory,
  disks,
  roles,
  mayPick,
  onPick,
  label,
}: {
  inventory: Inventory;
  disks: readonly SeenDisk[];
  roles: ReadonlyMap<string, Role>;
  mayPick: (disk: SeenDisk) => boolean;
  onPick?: (disks: readonly SeenDisk[]) => void;
  label: string;
}) {
  const [as, setAs] = useInAddress('as', 'plan');
  const pick = onPick && ((some: readonly SeenDisk[]) => onPick(some.filter(mayPick)));
  return (
    <Box>
      <Row gap={2} align="center" sx={{ mb: 1 }}>
        <Fill>{as === 'plan' && <Legend disks={disks} roles={roles} />}</Fill>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={as}
          aria-label="How the disks are shown"
          onChange={(_e, v: string | null) => v && setAs(v)}
        >
          <ToggleButton value="plan">Drawn</ToggleButton>
          <ToggleButton value="table">Listed</ToggleButton>
        </ToggleButtonGroup>
      </Row>
      {as === 'plan' ? (
        <Plan nodes={inventory.nodes} disks={disks} roles={roles} onPick={pick} label={label} />
      ) : (
        <Suspense fallback={<LinearProgress aria-label="Loading" />}>
          <DiskTable disks={disks} roles={roles} mayPick={mayPick} onPick={pick} />
        </Suspense>
      )}
    </Box>
  );
}
