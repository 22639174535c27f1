import { Box, Button } from '@mui/material';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { useAct } from '../parts/useAct';

/** Lets one address of a node mount what a backend exports. `begun` is called as soon as it is asked for. */
export function LetIn({
  address,
  node,
  backend,
  begun,
}: {
  address: string;
  node: string;
  backend: string;
  begun?: () => void;
}) {
  const params = { id: backend, address };
  const letIn = useAct(async () => {
    begun?.();
    await ask('allowClient', { params });
    await refresh('readiness', 'share');
    return {
      text: `${backend} exports to ${node} (${address}/32) as well.`,
      undo: () => ask('disallowClient', { params }).then(() => refresh('readiness', 'share')),
    };
  });
  return (
    <Box sx={{ mt: 0.5 }}>
      <Button size="small" variant="outlined" disabled={letIn.isPending} onClick={() => letIn.mutate(undefined)}>
        Export to {address}/32 as well
      </Button>
    </Box>
  );
}
