import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

export type CopiesState =
  'deciding' | 'telling' | 'asking' | 'returning' | 'changed' | 'refused' | 'returned' | 'abandoned';

/** A bound claim whose volume keeps one copy more, or one fewer. Its size stays meanwhile: how much it holds depends on both. */
export const changingCopies: Kind<CopiesState> = {
  kind: 'copies',
  title: 'Changing the copies of a claim',
  begins: 'deciding',
  holds: 'size',
  undo: 'returning',
  callsOff: 'What is reserved, what the claim says and where its copies lie go back to what they were.',
  steered: claiming,
  states: {
    deciding: { words: 'looks whether it fits', to: ['telling', 'refused', 'returning', 'abandoned'] },
    // what is added is reserved; whoever finds it here tells and asks again, which comes to the same
    telling: { words: 'the claim says so on the platform', to: ['asking', 'returning', 'abandoned'] },
    asking: { words: 'the backend is asked', to: ['changed', 'returning', 'abandoned'] },
    returning: { words: 'goes back to what it was', to: ['returned', 'abandoned'] },
    changed: { words: 'changed; what is new is brought up to date', to: [], stays: 'end' },
    refused: { words: 'it does not fit any more', to: [], stays: 'end' },
    returned: { words: 'called off', to: [], stays: 'end' },
    abandoned: { words: 'given up: the claim is gone', to: [], stays: 'end' },
  },
};
