import type { Kind } from '../operations/kind';
import { operating } from '@moorage/contract/endpoints/endpoint';

export type MendState = 'mending' | 'leaving' | 'mended' | 'left';

/** What differs of one volume, put right as it was asked for. */
export const mending: Kind<MendState> = {
  kind: 'mend',
  title: 'Putting a volume right',
  begins: 'mending',
  holds: 'drift',
  undo: 'leaving',
  callsOff: 'What is not put right yet stays as it is, and is told again.',
  steered: operating,
  states: {
    mending: { words: 'asks its backend and the platform', to: ['mending', 'mended', 'leaving'] },
    leaving: { words: 'leaves the rest', to: ['left'] },
    mended: { words: 'as it is declared', to: [], stays: 'end' },
    left: { words: 'called off', to: [], stays: 'end' },
  },
};
