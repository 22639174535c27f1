import { Box, Typography } from '@mui/material';
import { Mark } from '../marks/Mark';
import type { Consequence } from './consequence';

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
      <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1.25, alignItems: 'stretch' }}>
        <Typography variant="h2">{title}</Typography>
        {children}
      </Box>
      <Box>
        <Box
          component="ul"
          aria-live="polite"
          aria-label="What this brings about"
          sx={{ m: 0, p: 0, pt: 0.25, listStyle: 'none', display: 'flex', flexDirection: 'column', gap: 0.5 }}
        >
          {consequences.map((c) => (
            <Box
              component="li"
              key={c.text}
              sx={{
                display: 'flex',
                gap: 1,
                alignItems: 'baseline',
                fontSize: 13,
                color: c.tone === 'impossible' ? 'error.main' : c.tone === 'foolish' ? 'warning.main' : 'text.primary',
              }}
            >
              <span style={{ width: 12, flex: 'none' }}>
                {c.tone === 'plain' ? '–' : <Mark kind={c.tone === 'impossible' ? 'person' : 'degraded'} size={10} />}
              </span>
              <span>{c.text}</span>
            </Box>
          ))}
        </Box>
        {extra}
      </Box>
    </Box>
  );
}
