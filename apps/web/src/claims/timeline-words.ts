import type { ClaimDetail, ClaimSayings } from '@moorage/contract/claims';
import { durationText } from '../clusters/words';

type Step = ClaimDetail['timeline'][number];
type Saying = ClaimSayings['sayings'][number];
/** A step of ours, or what the platform said. */
export interface Line extends Step {
  readonly saying?: Saying;
}

/** How long a step took; what is not over has no time yet. */
export const tookText = (seconds: number | null): string =>
  seconds === null ? '–' : seconds < 10 ? `${seconds.toFixed(seconds < 0.1 ? 3 : 2)} s` : durationText(seconds);

/** How often the platform said it, where it was more than once. */
export const sayingTook = ({ count }: Saying): string =>
  count > 1 ? `said ${count.toLocaleString('en-GB')} times` : '';

/** Steps and sayings together, the first first; of what was said many times, when it was said first. */
export const merged = (steps: readonly Step[], sayings: readonly Saying[]): Line[] =>
  [
    ...steps,
    ...sayings.map((saying): Line => ({
      at: saying.first,
      title: saying.of === 'pod' ? `Platform, of ${saying.name}` : 'Platform',
      words: '',
      seconds: null,
      saying,
    })),
  ].sort((a, b) => Date.parse(a.at) - Date.parse(b.at));

/** What the platform has a class name where nothing makes its volumes. */
const makesNone = 'kubernetes.io/no-provisioner';

/** What a class of others means for a claim: whether anything will ever make its volume. */
export function driverSentence({ driver }: Pick<ClaimSayings, 'driver'>): string | undefined {
  if (!driver) return undefined;
  if (driver.name === makesNone)
    return 'Its class makes no volumes: the claim gets one that was made beforehand, and waits until one fits.';
  return driver.nodes === 0
    ? `Its class asks for the driver ${driver.name}, which is on no node of this site: nothing will make its volume. Install the driver, or delete the claim and name another class.`
    : `Its class asks for the driver ${driver.name}, which is on ${driver.nodes} ${driver.nodes === 1 ? 'node' : 'nodes'} of this site; that one has to make its volume.`;
}
