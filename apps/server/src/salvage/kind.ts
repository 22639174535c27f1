import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

export type SalvageState = 'freeing' | 'asking' | 'seeing' | 'keeping' | 'undoing' | 'given' | 'undone';

/** A volume that no claim holds, on its way to a claim. Its data is not touched. */
export const salvaging: Kind<SalvageState> = {
  kind: 'salvage',
  title: 'Giving a volume back',
  begins: 'freeing',
  holds: 'salvage',
  undo: 'undoing',
  callsOff: 'The volume stays adrift, as it was. A claim that was made for it is taken away again.',
  steered: claiming,
  states: {
    freeing: { words: 'its persistent volume is kept for the claim', to: ['asking', 'undoing'] },
    asking: { words: 'the claim is made', to: ['seeing', 'undoing'] },
    seeing: { words: 'the platform binds it', to: ['keeping', 'undoing'] },
    // bound: what is reserved is the claim's from here on
    keeping: { words: 'what is reserved goes over', to: ['given'] },
    undoing: { words: 'is left adrift', to: ['undone', 'keeping'] },
    given: { words: 'held by its claim', to: [], stays: 'end' },
    undone: { words: 'left adrift', to: [], stays: 'end' },
  },
};
