import { objectionWords } from '@moorage/contract/manifest-words';
import type { ManifestPlan, ManifestResult, PlannedManifest } from '@moorage/contract/manifests';
import { sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';
import { priceWords } from '../claims/words';
import { failureSentence } from '../moorings/check-words';
import type { Landing, TextLanding } from './landing';

type Fate = PlannedManifest['fate'];

const fateMarks: Readonly<Record<Fate, MarkKind>> = {
  new: 'settled',
  changed: 'progress',
  untouched: 'waiting',
  left: 'waiting',
  refused: 'person',
};
/** An object of a plan, and where it lands when it is a new claim. */
export type Foreseen = PlannedManifest & { readonly landing?: Landing };

/** The objects of a plan with where they land. */
export const foreseen = ({ objects }: ManifestPlan, landing: TextLanding | undefined): Foreseen[] =>
  objects.map((o, i) => {
    const at = landing?.get(i);
    return at ? { ...o, landing: at } : o;
  });

/** Whether somebody has to do something about an object, and how far it is otherwise. */
export const markOf = ({ fate, landing, growth }: Foreseen): MarkKind =>
  (landing && landing.kind !== 'lands') || growth?.failed ? 'person' : fateMarks[fate];

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

/** Where a new claim lands, or why nowhere. */
function landingWords(landing: Landing, currency: string): string {
  switch (landing.kind) {
    case 'lands': {
      const { pool, price, waits } = landing;
      const cost = price === null ? '' : ` ${priceWords(price, currency)}`;
      return `Is made. ${waits ? 'Once its first pod is scheduled, it' : 'It'} would land on ${pool}.${cost}`;
    }
    case 'no-class':
      return 'Is made, and would wait: it names no class, and there is no default class.';
    case 'unmoored':
      return 'Is made, and would wait: its class is moored to no pool.';
    case 'refused':
      return `Is made, and would wait: nothing fits. ${landing.pool}: ${failureSentence(landing.check)}`;
  }
}

/** What becomes of an object: one line for each thing there is to say. */
export function fateLines({ fate, changes, objections, growth, landing }: Foreseen, currency = ''): string[] {
  switch (fate) {
    case 'new':
      return [landing ? landingWords(landing, currency) : 'Is made.'];
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

/** Where all new claims of a text land, in one sentence, with their price. */
export function allLandings(of: TextLanding, currency: string): string {
  const lands = [...of.values()].filter((l) => l.kind === 'lands');
  const counts = new Map<string, number>();
  for (const { pool } of lands) counts.set(pool, (counts.get(pool) ?? 0) + 1);
  const landed = [...counts].map(([pool, count]) => `${count} on ${pool}`).join(', ');
  const waiting = of.size > lands.length ? `${of.size - lands.length} would wait` : '';
  const prices = lands.flatMap((l) => (l.price === null ? [] : [l.price]));
  const price =
    prices.length > 0
      ? ` ${priceWords(
          prices.reduce((sum, p) => sum + p, 0),
          currency,
        )}`
      : '';
  return `New claims: ${[landed, waiting].filter((t) => t !== '').join('; ')}.${price}`;
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
