import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

export type GrowthState =
  'deciding' | 'waiting' | 'asking' | 'writing' | 'seeing' | 'returning' | 'grown' | 'returned' | 'abandoned';

/** A claim that asks for more, on its way to a larger volume. Called off, the room is given back as far as the backend did not use it. */
export const growing: Kind<GrowthState> = {
  kind: 'grow',
  title: 'Growing a claim',
  begins: 'deciding',
  holds: 'size',
  undo: 'returning',
  callsOff:
    'What is reserved goes back as far as the backend did not use it. The claim goes on asking for the larger size on the platform, which takes no smaller one; it is not tried again until it asks for another.',
  steered: claiming,
  states: {
    deciding: { words: 'looks whether it fits', to: ['waiting', 'asking', 'grown', 'returning', 'abandoned'] },
    // decided again when something changed that could have helped
    waiting: { words: 'waits', to: ['waiting', 'asking', 'grown', 'returning', 'abandoned'], stays: 'wait' },
    // the room is reserved; whoever finds it here asks the backend, which takes being asked twice
    asking: { words: 'volume is being made larger', to: ['writing', 'returning', 'abandoned'] },
    writing: { words: 'the platform is told', to: ['seeing', 'grown', 'abandoned'] },
    seeing: { words: 'waits for its node to grow the file system', to: ['grown', 'abandoned'], stays: 'wait' },
    returning: { words: 'room is being given back', to: ['returned', 'writing', 'abandoned'] },
    grown: { words: 'grown', to: [], stays: 'end' },
    returned: { words: 'called off', to: [], stays: 'end' },
    abandoned: { words: 'given up: the claim is gone', to: [], stays: 'end' },
  },
};
