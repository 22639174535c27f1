import { Box, Typography } from '@mui/material';
import { Column, Row } from './layout';

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
    <Column component="main" id="sheet" gap={0} sx={{ flex: 1, minHeight: 0, px: 2, pt: 1.5, pb: 1 }}>
      <Row gap={2} align="baseline" wraps sx={{ mb: 1 }}>
        <Typography variant="h1">{title}</Typography>
        <Typography variant="body2" color="text.secondary" sx={{ flex: 1 }}>
          {question}
        </Typography>
        {actions}
      </Row>
      <Box sx={{ flex: 1, minHeight: 0, overflow: 'auto', pt: 0.75 }}>{children}</Box>
    </Column>
  );
}
