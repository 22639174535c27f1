import type { WasteKind, WasteRow } from '@moorage/contract/waste';
import { sizeText } from '@moorage/core/sizes/display';

export const kindTitles: Readonly<Record<WasteKind, string>> = {
  unmounted: 'mounted by no pod',
  oversized: 'far larger than written',
  'too-fast': 'faster than needed',
  'class-unused': 'classes nobody uses',
};
const iops = (value: number): string => `${Math.round(value).toLocaleString('en-GB')} IOPS`;

/** Why something is taken for waste, as it was measured. */
export function whyText(row: WasteRow, daysSince: number): string {
  switch (row.kind) {
    case 'unmounted':
      return `No pod has mounted it for ${daysSince} days.`;
    case 'oversized':
      return `At most ${sizeText(row.facts.written ?? 0)} of ${sizeText(row.bytes)} were written in 14 days.`;
    case 'too-fast':
      return `${iops(row.facts.p95 ?? 0)} in 95 of 100 samples of 14 days, at most: ${row.facts.better ?? ''} would have served it.`;
    case 'class-unused':
      return `No claim has used it for ${daysSince} days.`;
  }
}

/** The act that helps, and where it is done. */
export function actOf({ kind, namespace, name }: WasteRow): readonly [words: string, path: string] {
  const claim = `/claims/${encodeURIComponent(namespace)}/${encodeURIComponent(name)}`;
  switch (kind) {
    case 'unmounted':
      return ['Keep or delete it', claim];
    case 'oversized':
      return ['See the claim', claim];
    case 'too-fast':
      return ['See the claim', claim];
    case 'class-unused':
      return ['See the class', `/classes/${encodeURIComponent(name)}`];
  }
}
