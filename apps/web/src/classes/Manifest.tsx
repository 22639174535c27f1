import { Box, Button, LinearProgress, Paper, Typography } from '@mui/material';
import { lazy, Suspense, useState } from 'react';

const ManifestEditor = lazy(() => import('./ManifestEditor'));

/** A manifest to read and to copy. */
export function Manifest({ text, title }: { text: string; title: string }) {
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await navigator.clipboard.writeText(text);
    setCopied(true);
    setTimeout(() => setCopied(false), 1500);
  };
  return (
    <Paper component="section" aria-label={title} sx={{ p: 2, position: 'sticky', top: 0 }}>
      <Box sx={{ display: 'flex', alignItems: 'center', mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {title}
        </Typography>
        <Button onClick={() => void copy()}>{copied ? 'Copied' : 'Copy'}</Button>
      </Box>
      <Suspense fallback={<LinearProgress aria-label="Loading" />}>
        <ManifestEditor text={text} onChange={() => undefined} label={title} readOnly />
      </Suspense>
    </Paper>
  );
}
