import { engineering } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

export type ShiftState = 'moving' | 'returning' | 'moved' | 'returned' | 'abandoned';

/** A share on its way to another instance of its pool. Its size stays meanwhile; it holds its room in both. */
export const shifting: Kind<ShiftState> = {
  kind: 'shift',
  title: 'Moving a share to another instance',
  begins: 'moving',
  holds: 'size',
  undo: 'returning',
  callsOff: 'The share goes back to the instance that it came from.',
  steered: engineering,
  states: {
    moving: { words: 'its data is moving', to: ['moved', 'returning', 'abandoned'] },
    returning: { words: 'it goes back', to: ['returned', 'abandoned'] },
    moved: { words: 'moved', to: [], stays: 'end' },
    returned: { words: 'called off', to: [], stays: 'end' },
    abandoned: { words: 'given up: the share is gone', to: [], stays: 'end' },
  },
};

export type GiveBackState = 'emptying' | 'giving' | 'keeping' | 'given' | 'kept';

/** An instance that is given back to its backend once nothing lies in it any more. Nothing more is carved out of it meanwhile. */
export const givingBack: Kind<GiveBackState> = {
  kind: 'give-back',
  title: 'Giving an instance back',
  begins: 'emptying',
  holds: 'instance',
  undo: 'keeping',
  callsOff: 'The instance stays bought, and shares are carved out of it again. Those that are on their way arrive.',
  steered: engineering,
  states: {
    emptying: { words: 'waits for its shares to move', to: ['giving', 'keeping', 'given'] },
    giving: { words: 'the backend takes it back', to: ['given', 'keeping'] },
    // it may have been given back already, and nobody heard of it
    keeping: { words: 'stays bought', to: ['kept', 'given'] },
    given: { words: 'given back', to: [], stays: 'end' },
    kept: { words: 'kept', to: [], stays: 'end' },
  },
};
