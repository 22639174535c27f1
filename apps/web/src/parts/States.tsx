import { Alert, Box, Button, LinearProgress, Typography } from '@mui/material';
import type { UseQueryResult } from '@tanstack/react-query';
import type { Role } from '@moorage/contract/people';
import { ApiProblem } from '../api/client';

/** Something is on its way. */
export const Waiting = () => <LinearProgress aria-label="Loading" sx={{ m: 2 }} />;

/** What went wrong, in words, with a next step. */
export function Failed({ error, retry }: { error: unknown; retry?: () => void }) {
  const problem = error instanceof ApiProblem ? error : undefined;
  return (
    <Alert
      severity={problem?.status === 403 ? 'info' : 'error'}
      icon={false}
      role="alert"
      sx={{ m: 2, border: 1 }}
      action={retry && <Button onClick={retry}>Try again</Button>}
    >
      <strong>{problem?.title ?? 'The server does not answer'}</strong>
      <div>{problem?.detail ?? 'The connection failed. What you see may be old; the page tries again by itself.'}</div>
    </Alert>
  );
}

export function Empty({ title, children }: { title: string; children?: React.ReactNode }) {
  return (
    <Box sx={{ py: 6, px: 2, textAlign: 'center', color: 'text.secondary' }}>
      <Typography variant="h2" component="p" color="text.primary">
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** A form that is not for the one signed in: who may, and what there is instead. */
export function Forbidden({ what, who }: { what: string; who: readonly Role[] }) {
  return (
    <Empty title={`${what} is not for your role`}>
      <Typography variant="body2">
        It is for {who.map((r) => r.replace('-', ' ')).join(' or ')}. You may look at everything; ask one of them for
        the change.
      </Typography>
    </Empty>
  );
}

/** The three states of something fetched: loading, failed, there. Old data stays while new is fetched. */
export function Fetched<T>({
  query,
  children,
}: {
  query: Pick<UseQueryResult<T>, 'data' | 'isError' | 'error' | 'refetch'>;
  children: (data: T) => React.ReactNode;
}) {
  if (query.data !== undefined)
    return (
      <>
        {query.isError && <Failed error={query.error} retry={() => void query.refetch()} />}
        {children(query.data)}
      </>
    );
  if (query.isError) return <Failed error={query.error} retry={() => void query.refetch()} />;
  return <Waiting />;
}
