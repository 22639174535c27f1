import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

export type TuningState =
  'deciding' | 'telling' | 'asking' | 'returning' | 'tuned' | 'refused' | 'returned' | 'abandoned';

/** A bound claim whose ceilings and floors are changed within its class: at once, nothing of its data moves. */
export const tuning: Kind<TuningState> = {
  kind: 'tune',
  title: 'Tuning a claim',
  begins: 'deciding',
  holds: 'rates',
  undo: 'returning',
  callsOff: 'What is reserved, what the claim says and the ceilings on the backend go back to what they were.',
  steered: claiming,
  states: {
    deciding: { words: 'looks whether its pool can promise it', to: ['telling', 'refused', 'returning', 'abandoned'] },
    // reserved; whoever finds it here tells and asks again, which comes to the same
    telling: { words: 'the claim says so on the platform', to: ['asking', 'returning', 'abandoned'] },
    asking: { words: 'the backend is asked', to: ['tuned', 'returning', 'abandoned'] },
    returning: { words: 'goes back to what it was', to: ['returned', 'abandoned'] },
    tuned: { words: 'tuned', to: [], stays: 'end' },
    refused: { words: 'cannot be tuned so', to: [], stays: 'end' },
    returned: { words: 'called off', to: [], stays: 'end' },
    abandoned: { words: 'given up: the claim is gone', to: [], stays: 'end' },
  },
};
