import { operating } from '@moorage/contract/endpoints/endpoint';
import type { Role } from '@moorage/contract/people';
import type { Kind } from '../operations/kind';

export type ActState = 'asking' | 'writing' | 'done' | 'undoing' | 'undone';

/** A kind of act across two worlds: the platform is asked step by step, then everything of ours is written at once. */
export const actKind = (kind: string, title: string, steered: readonly Role[] = operating): Kind<ActState> => ({
  kind,
  title,
  begins: 'asking',
  holds: 'act',
  undo: 'undoing',
  mostTries: 1,
  steered,
  states: {
    asking: { words: 'asks the platform, step by step', to: ['asking', 'writing', 'undoing'] },
    writing: { words: 'writes what is ours', to: ['done', 'undoing'] },
    done: { words: 'done', to: [], stays: 'end' },
    undoing: { words: 'takes back what was done', to: ['undone'] },
    undone: { words: 'taken back', to: [], stays: 'end' },
  },
});
