import { objectionWords } from '@moorage/contract/manifest-words';
import type { ManifestPlan, ManifestResult, PlannedManifest } from '@moorage/contract/manifests';
import { sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';
import { failureSentence } from '../moorings/check-words';

type Fate = PlannedManifest['fate'];

export const fateMarks: Readonly<Record<Fate, MarkKind>> = {
  new: 'settled',
  changed: 'progress',
  untouched: 'waiting',
  left: 'waiting',
  refused: 'person',
};
const kinds: Readonly<Record<string, string>> = {
  PersistentVolumeClaim: 'claim',
  PersistentVolume: 'volume',
  StorageClass: 'class',
};
export const kindWord = (kind: string): string => kinds[kind] ?? (kind || 'cannot be read');

export const nameOf = ({ namespace, name }: Pick<PlannedManifest, 'namespace' | 'name'>): string =>
  namespace ? `${namespace}/${name}` : name || '(no name)';

/** What becomes of the volume of a claim that asks for more. */
const growthWords = ({ addedRaw, failed }: NonNullable<PlannedManifest['growth']>): string =>
  failed
    ? `Its volume does not fit so yet, and waits. ${failed.pool}: ${failureSentence(failed.check)}`
    : `Its volume fits where it is: ${sizeText(addedRaw)} more of raw space.`;

/** What becomes of an object: one line for each thing there is to say. */
export function fateLines({ fate, changes, objections, growth }: PlannedManifest): string[] {
  switch (fate) {
    case 'new':
      return ['Is made.'];
    case 'untouched':
      return ['Stands so already.'];
    case 'left':
      return ['Not for us: left alone.'];
    case 'changed':
      return [
        ...changes.map((c) => `${c.path} becomes ${c.to}${c.from ? `, from ${c.from}` : ''}.`),
        ...(growth ? [growthWords(growth)] : []),
      ];
    case 'refused':
      return objections.map((o) => `Refused: ${objectionWords(o)}`);
  }
}

export const countOf = ({ objects }: ManifestPlan, fate: Fate): number => objects.filter((o) => o.fate === fate).length;

/** The whole text in one sentence. */
export function planSentence(plan: ManifestPlan): string {
  const parts: [Fate, string][] = [
    ['new', 'new'],
    ['changed', 'changed'],
    ['untouched', 'as they stand'],
    ['left', 'not for us'],
    ['refused', 'refused'],
  ];
  const said = parts.flatMap(([fate, word]) => (countOf(plan, fate) > 0 ? [`${countOf(plan, fate)} ${word}`] : []));
  const count = plan.objects.length;
  return `${count} ${count === 1 ? 'object' : 'objects'}: ${said.join(', ')}.`;
}

/** What the button says. */
export function actWords(plan: ManifestPlan): string {
  const [made, changed] = [countOf(plan, 'new'), countOf(plan, 'changed')];
  if (changed === 0) return `Make ${made}`;
  return made === 0 ? `Change ${changed}` : `Make ${made}, change ${changed}`;
}

/** What was done, as a notice. */
export function resultSentence({ made, changed, kept, refused }: ManifestResult): string {
  const some = (word: string, list: ManifestResult['made']) => {
    if (list.length === 0) return [];
    const named = list.slice(0, 5).map(nameOf).join(', ');
    return [`${word}: ${named}${list.length > 5 ? ` and ${list.length - 5} more` : ''}.`];
  };
  return [
    ...some('Made', made),
    ...some('Changed', changed),
    ...some('Left as they stand', kept),
    ...some('Left out', refused),
  ].join(' ');
}
