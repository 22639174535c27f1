import { Box, Button, Paper, Typography } from '@mui/material';
import type { Applied, Conflict, DraftedChange } from '@moorage/contract/moorings';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { differences, quarrels } from '@moorage/core/classes/succession';
import { needs, type ClassChange, type Need } from '@moorage/core/placement/outlook';
import { sizeText } from '@moorage/core/sizes/display';
import dayjs from 'dayjs';
import { call } from '../api/client';
import { queryClient } from '../api/queries';
import { Mark } from '../marks/Mark';
import { useAct } from '../parts/useAct';
import { settingWords, strategyWords } from '../classes/words';
import { refreshPlacement } from './acts';
import { keyOf, useDraft } from './draft';
import { countText } from './Grid';

const settingsText = (settings: readonly (keyof StorageClass)[]): string =>
  settings.flatMap((s) => (s === 'name' ? [] : [settingWords[s]])).join(', ');

/** A drafted change in one line. */
export function changeText(change: DraftedChange): string {
  switch (change.kind) {
    case 'mooring': {
      const weight = change.weight === 1 ? '' : `, weight ${change.weight}`;
      return change.enabled
        ? `${change.className} may use ${change.pool}${weight}`
        : `${change.className} no longer uses ${change.pool}`;
    }
    case 'order':
      return `${change.className}: ${change.pools.join(', then ')}`;
    case 'default':
      return `${change.className} becomes the default class`;
    case 'class':
      return `New class ${change.storageClass.name}`;
    case 'class-change': {
      const { name, strategy } = change.storageClass;
      const differ = differences(change.was, change.storageClass);
      if (differ.length === 1 && differ[0] === 'strategy') return `${name} chooses ${strategyWords[strategy]}`;
      return `${name} is changed: ${settingsText(differ)}`;
    }
  }
}

/** What somebody else made of the thing. */
function theirsText(change: DraftedChange, { now, person, at }: Conflict): string {
  const who = `${person ?? 'Somebody'}${at ? ` at ${dayjs(at).format('HH:mm')}` : ''}`;
  switch (change.kind) {
    case 'mooring': {
      const mooring = now as { enabled: boolean; weight: number } | null;
      if (!mooring) return `${who} took the mooring away.`;
      return `${who} changed it: ${mooring.enabled ? 'on' : 'off'}, weight ${mooring.weight}.`;
    }
    case 'order':
      return `${who} put them in this order: ${(now as string[]).join(', then ')}.`;
    case 'default':
      return `${who} made ${now === null ? 'no class' : String(now)} the default.`;
    case 'class':
      return `${who} made a class of this name.`;
    case 'class-change':
      if (now === null) return `${who} deleted the class.`;
      return `${who} changed it too: ${settingsText(quarrels(change.was, change.storageClass, (now as { storageClass: StorageClass }).storageClass))}.`;
  }
}

const lostWords: Record<Need, (n: number) => string> = {
  growing: (n) => `${n} of its volumes could no longer grow by a quarter where they are`,
  cloning: (n) => `${n} of its volumes could no longer be cloned`,
  remaking: (n) => `${n} of its volumes would find no other pool if theirs were lost`,
};

/** What a draft does to one class, in sentences; those that want a second thought first. */
export function consequencesOfDraft(change: ClassChange): { text: string; grave: boolean }[] {
  const { className, before, after, poolsAfter, poolsBefore, lost } = change;
  const found: { text: string; grave: boolean }[] = [];
  if (poolsAfter === 0)
    found.push({ text: `${className} is left with no pool: its claims would stay pending`, grave: true });
  else if (poolsAfter === 1 && poolsBefore !== 1)
    found.push({ text: `${className} is left with one pool: when it is full or down, nothing binds`, grave: true });
  for (const need of needs)
    if (lost[need] > 0) found.push({ text: `${className}: ${lostWords[need](lost[need])}`, grave: true });
  const { landsBefore, landsAfter } = change;
  if (landsAfter !== undefined && before && landsAfter !== landsBefore)
    found.push({
      text: `${className}: the next claim of ${sizeText(after!.usual)} lands on ${landsAfter}; it was ${landsBefore ?? 'nowhere'}`,
      grave: false,
    });
  if (after && before && (after.claims !== before.claims || after.bytes !== before.bytes))
    found.push({
      text: `${className} takes ${countText(after.claims)} more claims of ${sizeText(after.usual)}, ${sizeText(after.bytes)}; it was ${countText(before.claims)}, ${sizeText(before.bytes)}`,
      grave: false,
    });
  else if (after && !before)
    found.push({
      text: `${className} would take ${countText(after.claims)} claims of ${sizeText(after.usual)}`,
      grave: after.claims === 0,
    });
  return found;
}

/** The draft: what it changes, what that brings about, who was faster, and the way to apply it or throw it away. */
export function DraftPanel({ compared }: { compared?: readonly ClassChange[] }) {
  const { changes, conflicts, drop, setConflicts, keepMine, clear } = useDraft();
  const apply = useAct(async () => {
    const { applied, conflicts: found } = await call<Applied>('/api/drafts', { method: 'POST', body: { changes } });
    await refreshPlacement();
    if (found.length > 0) {
      setConflicts(found);
      return;
    }
    clear();
    await queryClient.invalidateQueries({ queryKey: ['classes'] });
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
        <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
          {changes.map((change, index) => {
            const conflict = conflicts.find((c) => c.index === index);
            return (
              <Box component="li" key={keyOf(change)} sx={{ py: 0.25 }}>
                <Box sx={{ display: 'flex', gap: 1, alignItems: 'baseline' }}>
                  <span style={{ flex: 1 }}>{changeText(change)}</span>
                  <Button
                    size="small"
                    sx={{ minHeight: 22, py: 0, border: 0 }}
                    aria-label={`Leave out: ${changeText(change)}`}
                    onClick={() => drop(change)}
                  >
                    Leave out
                  </Button>
                </Box>
                {conflict && (
                  <Box
                    role="alert"
                    sx={{ display: 'flex', gap: 1, alignItems: 'center', color: 'error.main', flexWrap: 'wrap' }}
                  >
                    <Mark kind="person" />
                    <Typography variant="body2" sx={{ flex: 1 }}>
                      {theirsText(change, conflict)}
                    </Typography>
                    <Button onClick={() => drop(change)}>Keep theirs</Button>
                    {change.kind !== 'class' && !(change.kind === 'class-change' && conflict.now === null) && (
                      <Button onClick={() => keepMine(conflict)}>Mean mine</Button>
                    )}
                  </Box>
                )}
              </Box>
            );
          })}
        </Box>
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
        <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
          {consequences.map(({ text, grave }) => (
            <Box
              component="li"
              key={text}
              sx={{
                display: 'flex',
                gap: 1,
                alignItems: 'baseline',
                fontSize: 13,
                color: grave ? 'warning.main' : undefined,
              }}
            >
              <span style={{ width: 12, flex: 'none' }}>{grave ? <Mark kind="degraded" size={10} /> : '–'}</span>
              <span>{text}.</span>
            </Box>
          ))}
        </Box>
      </Box>
      <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1 }}>
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
      </Box>
    </Paper>
  );
}
