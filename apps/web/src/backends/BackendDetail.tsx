import { Box, LinearProgress, Paper, ToggleButton, ToggleButtonGroup } from '@mui/material';
import type { BackendRow } from '@moorage/contract/backends';
import { lazy, Suspense } from 'react';
import { useParams } from 'react-router';
import { useReshapes } from '../api/cluster-queries';
import { useBackends } from '../api/queries';
import { Changes } from '../clusters/Changes';
import { ClusterPlan } from '../clusters/ClusterPlan';
import { useInAddress } from '../frame/address';
import { useMay } from '../parts/person';
import { Place } from '../parts/Place';
import { Empty, Fetched } from '../parts/States';
import { When } from '../parts/When';
import { BackendSettings } from './BackendSettings';
import { BackendState } from './BackendState';
import { Events } from './Events';
import { Instances } from './Instances';
import { PoolsOf } from './PoolsOf';
import { VolumesOn } from './VolumesOn';
import { Column } from '../parts/layout';

const LoadCharts = lazy(() => import('./LoadCharts').then((m) => ({ default: m.LoadCharts })));

const views = [
  ['pools', 'Pools'],
  ['volumes', 'Volumes'],
  ['instances', 'Instances'],
  ['load', 'A day of load'],
  ['changes', 'Changes'],
  ['events', 'Events'],
  ['settings', 'Settings'],
] as const;

function Whole({ backend }: { backend: BackendRow }) {
  const [see, setSee] = useInAddress('see', 'pools');
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const isCarved = may && backend.pools.some((p) => p.facts.instances);
  const shown = views.filter(([key]) => key !== 'instances' || isCarved);
  const running = useReshapes(backend.id).data?.filter((r) => r.endedAt === null).length ?? 0;
  return (
    <Column gap={1.5}>
      <Paper sx={{ p: 1.5 }}>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={see}
          aria-label="What is shown of it"
          onChange={(_e, v: string | null) => v && setSee(v)}
        >
          {shown.map(([key, words]) => (
            <ToggleButton key={key} value={key}>
              {key === 'changes' && running > 0 ? `${words} (${running} under way)` : words}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Box sx={{ pt: 0.5 }}>
          {see === 'pools' && <PoolsOf backend={backend} />}
          {see === 'volumes' && <VolumesOn backend={backend.id} />}
          {see === 'instances' && <Instances backend={backend} />}
          {see === 'load' && (
            <Suspense fallback={<LinearProgress aria-label="Loading" />}>
              <LoadCharts backend={backend.id} />
            </Suspense>
          )}
          {see === 'changes' && <Changes backend={backend.id} />}
          {see === 'events' && <Events backend={backend.id} />}
          {see === 'settings' && <BackendSettings backend={backend} />}
        </Box>
      </Paper>
      {backend.disks > 0 && <ClusterPlan backend={backend} />}
    </Column>
  );
}

/** One backend seen whole. */
export default function BackendDetail() {
  const { id = '' } = useParams();
  const query = useBackends();
  const backend = query.data?.find((b) => b.id === id);
  return (
    <Place
      title={id}
      question={
        backend && (
          <>
            {backend.title} · reached from {backend.sites.join(', ')} · {backend.address}
            {backend.checkedAt && (
              <>
                {' '}
                · looked at <When at={backend.checkedAt} />
              </>
            )}
          </>
        )
      }
      actions={backend && <BackendState backend={backend} />}
    >
      <Fetched query={query}>
        {() =>
          backend ? (
            <Whole key={id} backend={backend} />
          ) : (
            <Empty title={`There is no backend ${id}`}>
              It may have been forgotten; Backends lists those there are.
            </Empty>
          )
        }
      </Fetched>
    </Place>
  );
}
