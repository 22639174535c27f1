export interface OperationError {
  readonly code: string;
  readonly detail: string;
}

/** Why nothing is done about an operation until a person says so: they paused it, or its step was refused for good. */
export type Stopped = 'paused' | 'refused';

/** What a runner knows of an operation. */
export interface Operation<State extends string = string> {
  readonly id: string;
  readonly kind: string;
  /** What it is done to, by an identifier that never changes: the uid of a claim, the id of a change. */
  readonly subject: string;
  readonly state: State;
  readonly attempts: number;
  readonly stopped: Stopped | null;
  /** Who called it off. */
  readonly cancelledBy: string | null;
}

const longestPauseS = 300;

/** Seconds until the next try after `attempts` failures: doubling from one, at most five minutes, spread by `random` in [0, 1). */
export const pauseAfter = (attempts: number, random: number): number =>
  Math.min(longestPauseS, 2 ** Math.max(0, attempts - 1)) * (0.75 + random / 2);
