import { Box, Button, Paper, Typography } from '@mui/material';
import type { ClassChange } from '@moorage/core/placement/outlook';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { Mark } from '../marks/Mark';
import { useAct } from '../parts/useAct';
import { refreshPlacement } from './acts';
import { keyOf, useDraft } from './draft';
import { changeText, consequencesOfDraft, theirsText } from './draft-words';
import { Column, Plain, Row } from '../parts/layout';

/** The draft: what it changes, what that brings about, who was faster, and the way to apply it or throw it away. */
export function DraftPanel({ compared }: { compared?: readonly ClassChange[] }) {
  const { changes, conflicts, drop, setConflicts, keepMine, clear } = useDraft();
  const apply = useAct(async () => {
    const { applied, conflicts: found } = await ask('applyDraft', { body: { changes } });
    await refreshPlacement();
    if (found.length > 0) {
      setConflicts(found);
      return;
    }
    clear();
    await refresh('classes');
    return { text: `${applied} ${applied === 1 ? 'change is' : 'changes are'} made.` };
  }, 'draft');
  const consequences = (compared ?? []).flatMap(consequencesOfDraft).sort((a, b) => Number(b.grave) - Number(a.grave));
  return (
    <Paper
      component="section"
      aria-label="Draft"
      sx={{
        p: 1.25,
        display: 'grid',
        gridTemplateColumns: '1fr 1.2fr auto',
        gap: 3,
        borderStyle: 'dashed',
        flex: 'none',
        maxHeight: 220,
        overflow: 'auto',
      }}
    >
      <Box>
        <Typography variant="h2">
          {changes.length === 0
            ? 'Nothing is drafted yet'
            : `${changes.length} drafted ${changes.length === 1 ? 'change' : 'changes'}`}
        </Typography>
        {changes.length === 0 && (
          <Typography variant="body2" color="text.secondary">
            Turn moorings on or off, reorder and weigh them; nothing is made until you apply it.
          </Typography>
        )}
        <Plain>
          {changes.map((change, index) => {
            const conflict = conflicts.find((c) => c.index === index);
            return (
              <Box component="li" key={keyOf(change)} sx={{ py: 0.25 }}>
                <Row align="baseline">
                  <span style={{ flex: 1 }}>{changeText(change)}</span>
                  <Button
                    size="small"
                    sx={{ minHeight: 22, py: 0, border: 0 }}
                    aria-label={`Leave out: ${changeText(change)}`}
                    onClick={() => drop(change)}
                  >
                    Leave out
                  </Button>
                </Row>
                {conflict && (
                  <Row role="alert" align="center" wraps sx={{ color: 'error.main' }}>
                    <Mark kind="person" />
                    <Typography variant="body2" sx={{ flex: 1 }}>
                      {theirsText(change, conflict)}
                    </Typography>
                    <Button onClick={() => drop(change)}>Keep theirs</Button>
                    {change.kind !== 'class' && !(change.kind === 'class-change' && conflict.now === null) && (
                      <Button onClick={() => keepMine(conflict)}>Mean mine</Button>
                    )}
                  </Row>
                )}
              </Box>
            );
          })}
        </Plain>
      </Box>
      <Box aria-live="polite">
        <Typography variant="h2">What it brings about</Typography>
        {consequences.length === 0 && (
          <Typography variant="body2" color="text.secondary">
            {changes.length === 0
              ? 'Nothing yet.'
              : 'No class takes more or fewer claims, and no volume loses a way out.'}
          </Typography>
        )}
        <Plain>
          {consequences.map(({ text, grave }) => (
            <Row
              component="li"
              key={text}
              align="baseline"
              sx={{ fontSize: 13, color: grave ? 'warning.main' : undefined }}
            >
              <span style={{ width: 12, flex: 'none' }}>{grave ? <Mark kind="degraded" size={10} /> : '–'}</span>
              <span>{text}.</span>
            </Row>
          ))}
        </Plain>
      </Box>
      <Column>
        <Button
          variant="contained"
          disabled={changes.length === 0 || conflicts.length > 0 || apply.isPending}
          onClick={() => apply.mutate(undefined)}
        >
          Apply the draft
        </Button>
        <Button disabled={changes.length === 0} onClick={clear}>
          Throw it away
        </Button>
      </Column>
    </Paper>
  );
}
