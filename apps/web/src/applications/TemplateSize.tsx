import { MenuItem, TextField, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { useState } from 'react';
import { Round } from '../claims/Round';
import { Column, Sheet } from '../parts/layout';
import { templateSentence } from './words';

/** Another size for what a template asks for: what the platform will and will not do, and its claims grown in one round. */
export function TemplateSize({ seen, close }: { seen: ApplicationSeen; close: () => void }) {
  const { templates, application, claims } = seen;
  const [chosen, choose] = useState(templates[0]?.name ?? '');
  const template = templates.find((t) => t.name === chosen);
  if (!template) return null;
  const own = new Set(template.claims);
  return (
    <Column gap={1.5}>
      <Sheet>
        <Column gap={1.5}>
          <Typography variant="h2">Another size</Typography>
          {templates.length > 1 && (
            <TextField
              select
              label="Template"
              value={chosen}
              onChange={(e) => choose(e.target.value)}
              sx={{ width: 260 }}
            >
              {templates.map((t) => (
                <MenuItem key={t.name} value={t.name}>
                  {t.name}
                </MenuItem>
              ))}
            </TextField>
          )}
          <Typography variant="body2">
            {templateSentence(
              template,
              claims.filter((c) => own.has(c.name)),
            )}
          </Typography>
        </Column>
      </Sheet>
      {template.claims.length > 0 && (
        <Round
          key={template.name}
          act="grow"
          claims={template.claims.map((name) => ({ namespace: application.namespace, name }))}
          close={close}
          back="Leave"
        />
      )}
    </Column>
  );
}
