import type { Conflict, DraftedChange } from '@moorage/contract/moorings';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { differences, quarrels } from '@moorage/core/classes/succession';
import { needs, type ClassChange, type Need } from '@moorage/core/placement/outlook';
import { sizeText } from '@moorage/core/sizes/display';
import dayjs from 'dayjs';
import { settingWords, strategyWords } from '../classes/words';
import { countText } from './outlook-words';

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
export function theirsText(change: DraftedChange, { now, person, at }: Conflict): string {
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
