import { Drawer, ToggleButton, ToggleButtonGroup } from '@mui/material';
import { useState } from 'react';
import { usePlacement } from '../api/queries';
import { ClaimForm } from './ClaimForm';
import { ManifestForm } from './ManifestForm';

export function NewClaim({ open, close }: { open: boolean; close: () => void }) {
  const { data } = usePlacement();
  const [as, setAs] = useState<'form' | 'manifest'>('form');
  return (
    <Drawer
      anchor="right"
      open={open && data !== undefined}
      onClose={close}
      slotProps={{ paper: { 'aria-label': 'New claim' } }}
    >
      <ToggleButtonGroup
        exclusive
        size="small"
        value={as}
        aria-label="Write it as"
        onChange={(_e, v: typeof as | null) => v && setAs(v)}
        sx={{ px: 3, pt: 2, pb: 1 }}
      >
        <ToggleButton value="form">as a form</ToggleButton>
        <ToggleButton value="manifest">as a manifest</ToggleButton>
      </ToggleButtonGroup>
      {as === 'form' ? <ClaimForm close={close} /> : <ManifestForm close={close} />}
    </Drawer>
  );
}
