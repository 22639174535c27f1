import { Box, Button, Paper, Typography } from '@mui/material';
import { useState } from 'react';
import { mono } from '../theme/theme';

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
      <Box
        component="pre"
        tabIndex={0}
        sx={{
          m: 0,
          fontFamily: mono,
          fontSize: 12.5,
          lineHeight: 1.55,
          overflow: 'auto',
          whiteSpace: 'pre-wrap',
          overflowWrap: 'anywhere',
        }}
      >
        {text}
      </Box>
    </Paper>
  );
}
