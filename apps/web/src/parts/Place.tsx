import { Box, Typography } from '@mui/material';

/** The sheet of one place: its question, what can be done, and the content that scrolls. */
export function Place({
  title,
  question,
  actions,
  children,
}: {
  title: string;
  question: React.ReactNode;
  actions?: React.ReactNode;
  children: React.ReactNode;
}) {
  return (
    <Box
      component="main"
      id="sheet"
      sx={{ flex: 1, minHeight: 0, display: 'flex', flexDirection: 'column', px: 2, pt: 1.5, pb: 1 }}
    >
      <Box sx={{ display: 'flex', alignItems: 'baseline', gap: 2, mb: 1, flexWrap: 'wrap' }}>
        <Typography variant="h1">{title}</Typography>
        <Typography variant="body2" color="text.secondary" sx={{ flex: 1 }}>
          {question}
        </Typography>
        {actions}
      </Box>
      <Box sx={{ flex: 1, minHeight: 0, overflow: 'auto', pt: 0.75 }}>{children}</Box>
    </Box>
  );
}
