import type { ClaimRow } from '@moorage/contract/claims';
import type { SalvagePage, SalvageRow } from '@moorage/contract/salvage';
import { refusedBy, type StaticClaim, type StaticVolume } from '@moorage/core/claims/static';
import { sizeText } from '@moorage/core/sizes/display';

const day = 86_400_000;
const many = (count: number, word: string) => `${count.toLocaleString('en-GB')} ${word}${count === 1 ? '' : 's'}`;

/** What a volume is called by people: its last claim, or its name on the backend. */
export const calledOf = ({
  namespace,
  name,
  volumeName,
}: Pick<SalvageRow, 'namespace' | 'name' | 'volumeName'>): string =>
  name === null ? volumeName : `${namespace}/${name}`;

/** Time that is left until its data is destroyed; `urgent` within a day. */
export function countdown(destroyedAt: string, now: number): { words: string; urgent: boolean } {
  const left = Date.parse(destroyedAt) - now;
  if (left <= 0) return { words: 'now', urgent: true };
  if (left < 2 * 3_600_000) return { words: `in ${Math.max(1, Math.round(left / 60_000))} min`, urgent: true };
  if (left < 2 * day) return { words: `in ${Math.round(left / 3_600_000)} h`, urgent: left < day };
  return { words: `in ${Math.round(left / day)} days`, urgent: false };
}

export const originWords: Record<SalvageRow['origin'], string> = {
  kept: 'kept by its class',
  grace: 'in its grace',
  foreign: 'made by others',
};

export const copyWords: Record<
  SalvageRow['copies'],
  { mark: 'adrift' | 'degraded' | 'person' | 'lost'; words: string }
> = {
  whole: { mark: 'adrift', words: 'whole' },
  degraded: { mark: 'degraded', words: 'a copy is missing' },
  unreachable: { mark: 'person', words: 'no copy answers' },
  missing: { mark: 'lost', words: 'its backend lists it no more' },
};

/** All of the list, in one sentence. */
export function totalsSentence({ total, bytes, rows }: SalvagePage, now: number): string {
  if (total === 0) return 'Every volume is held by a claim.';
  const soon = rows.filter((r) => r.destroyedAt !== null && Date.parse(r.destroyedAt) - now < 7 * day).length;
  const ends =
    soon > 0 ? ` ${soon.toLocaleString('en-GB')} of these ${soon === 1 ? 'is' : 'are'} destroyed within 7 days.` : '';
  return `${many(total, 'volume')}, ${sizeText(bytes)} promised, held by no claim.${ends}`;
}

const volumeOf = (row: SalvageRow, claim: Pick<ClaimRow, 'namespace' | 'name'>): StaticVolume => ({
  ...{ name: row.volumeName, className: row.className ?? '', modes: row.modes, volumeMode: row.volumeMode },
  ...{ capacity: row.bytes, labels: {}, createdAt: row.since, phase: 'Available' },
  reservedFor: { namespace: claim.namespace, name: claim.name },
});

/** Claims of its own namespace that wait and that this volume would satisfy: the data of one team is not offered to another. */
export function takers(row: SalvageRow, waiting: readonly ClaimRow[]): ClaimRow[] {
  return waiting
    .filter((c) => c.namespace === row.namespace)
    .filter(({ state, reason }) => state === 'nothing-fits' || state === 'waiting-pod' || reason?.asks === 'selector')
    .filter((c) => {
      const claim = {
        ...{ namespace: c.namespace, name: c.name, uid: c.uid, className: c.className ?? '', size: c.requested },
        ...{ modes: c.modes as StaticClaim['modes'], volumeMode: c.volumeMode as StaticClaim['volumeMode'] },
      };
      return refusedBy(volumeOf(row, c), claim).length === 0;
    });
}

/** The volumes of one set, in the order of their ordinals; those that can go to their old names. */
export const setOf = (row: SalvageRow, rows: readonly SalvageRow[]): SalvageRow[] =>
  row.set === null
    ? []
    : rows
        .filter((r) => r.set === row.set && r.namespace === row.namespace && !r.nameTaken && r.operation === null)
        .sort((a, b) => a.ordinal! - b.ordinal!);
