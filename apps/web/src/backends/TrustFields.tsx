import { Box, TextField, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import type { Trust } from '@moorage/contract/backends';

const words: Record<Trust['kind'], string> = { system: 'the system', pinned: 'its fingerprint', ca: 'an authority' };

/** How the certificate of an https address is trusted. */
export function TrustFields({
  trust,
  onChange,
  problem,
}: {
  trust: Trust;
  onChange: (trust: Trust) => void;
  problem?: string;
}) {
  const set = (kind: Trust['kind']) =>
    onChange(kind === 'system' ? { kind } : kind === 'pinned' ? { kind, fingerprint: '' } : { kind, pem: '' });
  return (
    <Box>
      <Typography variant="caption" color="text.secondary" id="trust-label" component="div">
        Its certificate is trusted by
      </Typography>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={trust.kind}
        aria-labelledby="trust-label"
        onChange={(_e, v: Trust['kind'] | null) => v && set(v)}
      >
        {(Object.keys(words) as Trust['kind'][]).map((kind) => (
          <ToggleButton key={kind} value={kind}>
            {words[kind]}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      {trust.kind === 'pinned' && (
        <TextField
          label="SHA-256 fingerprint"
          value={trust.fingerprint}
          error={!!problem}
          helperText={problem}
          onChange={(e) => onChange({ kind: 'pinned', fingerprint: e.target.value.trim().toUpperCase() })}
          fullWidth
          sx={{ mt: 1 }}
        />
      )}
      {trust.kind === 'ca' && (
        <TextField
          label="Certificate of the authority (PEM)"
          value={trust.pem}
          error={!!problem}
          helperText={problem}
          onChange={(e) => onChange({ kind: 'ca', pem: e.target.value })}
          multiline
          minRows={3}
          maxRows={6}
          fullWidth
          sx={{ mt: 1 }}
        />
      )}
    </Box>
  );
}
