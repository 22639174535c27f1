import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

export type RoundState = 'carrying' | 'leaving' | 'carried' | 'left';

/** One change that is made to many claims, one after the other. Called off, those that are not reached yet stay as they are. */
export const goingRound: Kind<RoundState> = {
  kind: 'round',
  title: 'Changing many claims',
  begins: 'carrying',
  holds: 'round',
  undo: 'leaving',
  callsOff: 'Claims that are not reached yet stay as they are. What was asked for the others is not taken back.',
  steered: claiming,
  states: {
    carrying: { words: 'claim after claim', to: ['carried', 'leaving'] },
    leaving: { words: 'leaves the rest', to: ['left'] },
    carried: { words: 'done', to: [], stays: 'end' },
    left: { words: 'called off; the rest was left', to: [], stays: 'end' },
  },
};
