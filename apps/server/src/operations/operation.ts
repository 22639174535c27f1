import type { ReshapeState } from '@moorage/contract/reshapes';

/**
 * The lifecycles of our operations, each declared here and nowhere else.
 *
 * bind:    deciding → making → made → written → bound; deciding ⇄ waiting while nothing fits.
 *          `making` is written with the reservation, before the backend is asked: whoever finds it there looks for the
 *          volume by its name first.
 * reshape: preparing → taking → giving → settling → settled; from any of the first four to undoing → undone.
 *          `taking` adds the disks of one node after the other, `giving` takes the leaving ones out.
 * release: releasing → unmade → cleared → released; a volume that is kept goes from releasing straight to released.
 */
export type BindState = 'deciding' | 'waiting' | 'making' | 'made' | 'written' | 'bound' | 'abandoned';
export type ReleaseState = 'releasing' | 'unmade' | 'cleared' | 'released';
/** As the contract names them to the outside. */
export type OperationState = BindState | ReleaseState | ReshapeState;

export interface OperationError {
  readonly code: string;
  readonly detail: string;
}

export interface Operation {
  readonly id: string;
  readonly kind: 'bind' | 'release' | 'reshape';
  /** Uid of the claim; id of the reshape. */
  readonly subject: string;
  readonly state: OperationState;
  readonly attempts: number;
}

/** What to do next, as data; a runner does it and records it. */
export type Step =
  | { readonly do: 'decide' }
  | { readonly do: 'make-volume' }
  | { readonly do: 'write-volume' }
  | { readonly do: 'see-bound' }
  | { readonly do: 'unmake-volume' }
  | { readonly do: 'clear-volume' }
  | { readonly do: 'free-reservation' }
  | { readonly do: 'prepare-pool' }
  | { readonly do: 'take-disks' }
  | { readonly do: 'give-disks' }
  | { readonly do: 'see-settled' }
  | { readonly do: 'undo-reshape' }
  /** Nothing until somebody wakes it. */
  | { readonly do: 'rest' };

/** The next step of an operation. Pure and total: a state without a step fails to compile. */
export function nextStep(state: OperationState): Step {
  switch (state) {
    case 'deciding':
    case 'waiting':
      return { do: 'decide' };
    case 'making':
      return { do: 'make-volume' };
    case 'made':
      return { do: 'write-volume' };
    case 'written':
      return { do: 'see-bound' };
    case 'releasing':
      return { do: 'unmake-volume' };
    case 'unmade':
      return { do: 'clear-volume' };
    case 'cleared':
      return { do: 'free-reservation' };
    case 'preparing':
      return { do: 'prepare-pool' };
    case 'taking':
      return { do: 'take-disks' };
    case 'giving':
      return { do: 'give-disks' };
    case 'settling':
      return { do: 'see-settled' };
    case 'undoing':
      return { do: 'undo-reshape' };
    case 'settled':
    case 'undone':
    case 'bound':
    case 'abandoned':
    case 'released':
      return { do: 'rest' };
  }
}

const longestPauseS = 300;

/** Seconds until the next try after `attempts` failures: doubling from one, at most five minutes, spread by `random` in [0, 1). */
export const pauseAfter = (attempts: number, random: number): number =>
  Math.min(longestPauseS, 2 ** Math.max(0, attempts - 1)) * (0.75 + random / 2);
