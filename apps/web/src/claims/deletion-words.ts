import type { ClaimDetail } from '@moorage/contract/claims';
import type { ApplicationAfter, DeletionPlan } from '@moorage/contract/deletion';
import { sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';

interface Line {
  readonly mark: MarkKind;
  readonly text: string;
}

type Row = DeletionPlan['claims'][number];

function volumeLine({ fate, used, graceDays }: Row): Line {
  const written = used > 0 ? `its ${sizeText(used)} of written data` : 'it';
  switch (fate) {
    case 'nothing':
      return { mark: 'settled', text: 'It has no volume yet: no data goes with it.' };
    case 'kept':
      return {
        mark: 'adrift',
        text: `Its volume stays behind, adrift, with ${written === 'it' ? 'nothing written' : written.slice(4)}: nothing is destroyed, it still counts, and Salvage gives it back.`,
      };
    case 'grace':
      return {
        mark: 'degraded',
        text: `Its volume is kept offline for ${graceDays} ${graceDays === 1 ? 'day' : 'days'}, and then ${written} ${written === 'it' ? 'is' : 'are'} destroyed for good. Until then Salvage gives it back.`,
      };
    case 'destroyed':
      return {
        mark: used > 0 ? 'lost' : 'degraded',
        text:
          used > 0
            ? `Its volume is destroyed for good, and ${sizeText(used)} of written data with it.`
            : 'Its volume, on which nothing was written, is destroyed.',
      };
  }
}

/** What is left of an application, and whether more than half of its replicas keep their data. */
export function applicationLine({
  application,
  replicas,
  after,
  before,
  keepsMajority,
  losesAll,
}: ApplicationAfter): Line {
  if (losesAll) return { mark: 'lost', text: `No replica of ${application} is left with data of its own.` };
  const left = `${after} of ${replicas} replicas of ${application} ${after === 1 ? 'keeps its' : 'keep their'} data`;
  if (keepsMajority) return { mark: 'settled', text: `${left}: more than half, it can go on.` };
  const had = 2 * before > replicas ? 'It loses its majority' : 'It had no majority before';
  return { mark: 'person', text: `${left}. ${had}: what decides by votes stands still.` };
}

function copiesLine({ fate, copiesOn }: Row): Line[] {
  if (copiesOn.length === 0 || fate === 'kept' || fate === 'nothing') return [];
  const on = copiesOn.join(', and on ');
  return [
    {
      mark: 'degraded',
      text: `Its ${copiesOn.length === 1 ? 'copy' : 'copies'} on ${on} ${copiesOn.length === 1 ? 'shares' : 'share'} that fate.`,
    },
  ];
}

/** Who still uses a claim, and what the platform waits for. */
export function usersLine({ pods }: ClaimDetail['usedBy'], fate: Row['fate']): Line {
  if (pods.length === 0) return { mark: 'settled', text: 'No pod uses it: the platform lets it go at once.' };
  const names = pods.slice(0, 3).map(({ pod, node }) => (node ? `${pod} on ${node}` : pod));
  const more = pods.length > 3 ? ` and ${pods.length - 3} more` : '';
  return {
    mark: 'waiting',
    text: `${names.join(', ')}${more} ${pods.length === 1 ? 'uses' : 'use'} it: the platform keeps claim and volume until ${pods.length === 1 ? 'that pod is' : 'those pods are'} gone.${fate === 'destroyed' || fate === 'grace' ? ' Until then its volume can still be kept.' : ''}`,
  };
}

/** The whole consequence of deleting one claim, what weighs most first. */
export function deletionLines({ claims, applications }: DeletionPlan, usedBy: ClaimDetail['usedBy']): Line[] {
  const [row] = claims;
  if (!row) return [];
  return [volumeLine(row), ...copiesLine(row), ...applications.map(applicationLine), usersLine(usedBy, row.fate)];
}

/** What was asked for, once the platform took it: never that it is done. */
export const deletionAsked = (claim: string, { pods }: ClaimDetail['usedBy']): string =>
  pods.length === 0
    ? `The platform was asked to delete ${claim}.`
    : `The platform was asked to delete ${claim}; it does so when ${pods.length === 1 ? `${pods[0]!.pod} is` : `its ${pods.length} pods are`} gone.`;
