import { Box, LinearProgress, Typography } from '@mui/material';
import { lazy, Suspense } from 'react';
import { useSelected } from '../frame/address';
import { Column } from '../parts/layout';
import { Apply, PlanList } from './Plan';
import { usePlan } from './usePlan';

const ManifestEditor = lazy(() => import('../classes/ManifestEditor'));

/** Claims, classes and volumes written as manifests: what becomes of each is shown before anything is done. */
export function ManifestForm({
  text,
  setText,
  close,
}: {
  text: string;
  setText: (text: string) => void;
  close: () => void;
}) {
  const [, select] = useSelected();
  const planned = usePlan(text);
  return (
    <Column gap={1.5} sx={{ p: 3, pt: 1, width: 640, minHeight: 0, flex: 1 }}>
      <Box sx={{ border: 1, borderColor: 'divider', height: '45vh', minHeight: 240, overflow: 'hidden' }}>
        <Suspense fallback={<LinearProgress aria-label="Loading" />}>
          <ManifestEditor text={text} onChange={setText} label="Manifest, YAML or JSON" />
        </Suspense>
      </Box>
      <Apply
        text={text}
        of={planned}
        done={({ made }) => {
          const claim = made.find((m) => m.namespace);
          if (claim) select(`${claim.namespace}/${claim.name}`);
          close();
        }}
      />
      {planned.plan ? (
        <PlanList of={planned} />
      ) : (
        <Typography variant="body2" color="text.secondary">
          Claims, storage classes of this product, and persistent volumes for what a backend has already. Several
          documents are one act: stopped half way, it is gone on with or taken back under what is under way.
        </Typography>
      )}
    </Column>
  );
}
