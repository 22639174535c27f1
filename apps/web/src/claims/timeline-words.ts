import { durationText } from '../clusters/words';

/** How long a step took; what is not over has no time yet. */
export const tookText = (seconds: number | null): string =>
  seconds === null ? '–' : seconds < 10 ? `${seconds.toFixed(seconds < 0.1 ? 3 : 2)} s` : durationText(seconds);
