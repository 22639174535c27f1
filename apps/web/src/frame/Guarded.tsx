import { Box, Button, Typography } from '@mui/material';
import { QueryErrorResetBoundary } from '@tanstack/react-query';
import { Suspense } from 'react';
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary';
import { useLocation } from 'react-router';
import { Waiting } from '../parts/States';
import { Row } from '../parts/layout';

/** What stands in the place of something that failed to draw: what happened, and the ways on. */
function Broken({ error, resetErrorBoundary }: FallbackProps) {
  const text = error instanceof Error ? error.message : String(error);
  // the server was updated since the page was opened: what belongs to it is to be had by loading it anew
  const isOld = /dynamically imported module|Importing a module script failed/.test(text);
  return (
    <Box component="main" role="alert" sx={{ flex: 1, p: 4, maxWidth: 720 }}>
      <Typography variant="h1">{isOld ? 'This place is of another version' : 'This place cannot be shown'}</Typography>
      <Typography sx={{ my: 1 }}>
        {isOld
          ? 'The application was updated since you opened it, or the server does not answer. Load it anew; nothing of yours is lost.'
          : 'Something in it failed to draw. The other places are not touched by it, and nothing was changed.'}
      </Typography>
      {!isOld && (
        <Typography variant="body2" color="text.secondary" sx={{ mb: 2 }}>
          <code>{text}</code>
        </Typography>
      )}
      <Row>
        {!isOld && <Button onClick={resetErrorBoundary}>Try again</Button>}
        <Button variant={isOld ? 'contained' : 'outlined'} onClick={() => window.location.reload()}>
          Load anew
        </Button>
      </Row>
    </Box>
  );
}

/** A part beside the places: when it fails to draw it is left out, with a word and a way to try again. */
export function Apart({ children }: { children: React.ReactNode }) {
  const { search } = useLocation();
  return (
    <ErrorBoundary
      resetKeys={[search]}
      fallbackRender={({ resetErrorBoundary }) => (
        <Box role="alert" sx={{ p: 1, borderTop: 1, borderColor: 'divider' }}>
          This part cannot be shown. <Button onClick={resetErrorBoundary}>Try again</Button>
        </Box>
      )}
    >
      {children}
    </ErrorBoundary>
  );
}

/** A place on its own: what fails in it takes nothing else along, and going elsewhere leaves the failure behind. */
export function Guarded({ children }: { children: React.ReactNode }) {
  const { pathname } = useLocation();
  return (
    <QueryErrorResetBoundary>
      {({ reset }) => (
        <ErrorBoundary FallbackComponent={Broken} onReset={reset} resetKeys={[pathname]}>
          <Suspense fallback={<Waiting />}>{children}</Suspense>
        </ErrorBoundary>
      )}
    </QueryErrorResetBoundary>
  );
}
