import { Button, LinearProgress, Typography } from '@mui/material';
import { lazy, Suspense, useState } from 'react';
import { Row, Sheet } from '../parts/layout';

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
    <Sheet component="section" aria-label={title} sx={{ position: 'sticky', top: 0 }}>
      <Row gap={0} align="center" sx={{ mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {title}
        </Typography>
        <Button onClick={() => void copy()}>{copied ? 'Copied' : 'Copy'}</Button>
      </Row>
      <Suspense fallback={<LinearProgress aria-label="Loading" />}>
        <ManifestEditor text={text} onChange={() => undefined} label={title} readOnly />
      </Suspense>
    </Sheet>
  );
}
