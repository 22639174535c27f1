import { Box, Typography } from '@mui/material';
import { Mark } from '../marks/Mark';
import type { Consequence } from './consequence';
import { Column, Row } from '../parts/layout';

/** One question of a class: the answer on the left, what it brings about on the right, as one types. */
export function Question({
  title,
  consequences,
  extra,
  children,
}: {
  title: string;
  consequences: readonly Consequence[];
  /** Drawn below the consequences. */
  extra?: React.ReactNode;
  children: React.ReactNode;
}) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{
        borderTop: 1,
        borderColor: 'divider',
        py: 1.5,
        display: 'grid',
        gridTemplateColumns: 'minmax(200px, 270px) minmax(0, 1fr)',
        gap: 3,
      }}
    >
      <Column gap={1.25} align="stretch">
        <Typography variant="h2">{title}</Typography>
        {children}
      </Column>
      <Box>
        <Column
          component="ul"
          aria-live="polite"
          aria-label="What this brings about"
          gap={0.5}
          sx={{ m: 0, p: 0, pt: 0.25, listStyle: 'none' }}
        >
          {consequences.map((c) => (
            <Row
              component="li"
              key={c.text}
              align="baseline"
              sx={{
                fontSize: 13,
                color: c.tone === 'impossible' ? 'error.main' : c.tone === 'foolish' ? 'warning.main' : 'text.primary',
              }}
            >
              <span style={{ width: 12, flex: 'none' }}>
                {c.tone === 'plain' ? '–' : <Mark kind={c.tone === 'impossible' ? 'person' : 'degraded'} size={10} />}
              </span>
              <span>{c.text}</span>
            </Row>
          ))}
        </Column>
        {extra}
      </Box>
    </Box>
  );
}
