import type { ReshapeState } from '@moorage/contract/reshapes';

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

interface Lifecycle<State extends string> {
  /** Where an operation may go from each state. Zero rows of a move is an answer; a move that is not here is a mistake of ours. */
  readonly moves: Readonly<Record<State, readonly State[]>>;
  /** Where it rests for good, unless something from outside opens it again. */
  readonly ends: readonly State[];
}

/** The lifecycle of each kind of operation, declared here and nowhere else. */
export const lifecycles: {
  readonly bind: Lifecycle<BindState>;
  readonly release: Lifecycle<ReleaseState>;
  readonly reshape: Lifecycle<ReshapeState>;
} = {
  bind: {
    moves: {
      deciding: ['waiting', 'making', 'abandoned'],
      // decided again when something changed that could have helped
      waiting: ['waiting', 'making', 'abandoned'],
      // written with the reservation, before the backend is asked: whoever finds it here looks for the volume by its name first
      making: ['made', 'deciding', 'abandoned'],
      made: ['written', 'abandoned'],
      written: ['bound', 'abandoned'],
      bound: [],
      // the claim was thought to be gone and is there: decided anew, or gone on with where a volume may have been made
      abandoned: ['waiting', 'making'],
    },
    ends: ['bound', 'abandoned'],
  },
  release: {
    moves: {
      // a volume that is kept goes straight to the end
      releasing: ['unmade', 'released'],
      unmade: ['cleared'],
      cleared: ['released'],
      // the grace of a volume that was kept has ended
      released: ['releasing'],
    },
    ends: ['released'],
  },
  reshape: {
    moves: {
      preparing: ['taking', 'undoing', 'undone'],
      // one node after the other
      taking: ['taking', 'giving', 'undoing', 'undone'],
      giving: ['settling', 'undoing', 'undone'],
      settling: ['settled', 'undoing', 'undone'],
      settled: [],
      undoing: ['undone'],
      undone: [],
    },
    ends: ['settled', 'undone'],
  },
};

/** States in which an operation of any kind rests for good. */
export const ends: readonly OperationState[] = Object.values(lifecycles).flatMap((l) => l.ends);

/** Whether an operation may go from one state to another. Each state belongs to one kind. */
export const mayMove = (from: OperationState, to: OperationState): boolean =>
  Object.values(lifecycles).some(({ moves }) => (moves as Record<string, readonly string[]>)[from]?.includes(to));

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
