import { engineering } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

export type BindState = 'deciding' | 'waiting' | 'making' | 'made' | 'written' | 'bound' | 'abandoned';
export type ReleaseState = 'releasing' | 'unmade' | 'cleared' | 'released';

/** A claim on its way to its volume. Its way back is to delete the claim. */
export const binding: Kind<BindState> = {
  kind: 'bind',
  title: 'Binding a claim',
  begins: 'deciding',
  holds: 'bind',
  once: true,
  steered: engineering,
  states: {
    deciding: { words: 'chooses its pool', to: ['waiting', 'making', 'abandoned'] },
    // decided again when something changed that could have helped
    waiting: { words: 'waits', to: ['waiting', 'making', 'abandoned'], stays: 'wait' },
    // written with the reservation, before the backend is asked: whoever finds it here looks for the volume by its name first
    making: { words: 'volume is being made', to: ['made', 'deciding', 'abandoned'] },
    made: { words: 'persistent volume is being written', to: ['written', 'abandoned'] },
    written: { words: 'the platform binds it', to: ['bound', 'abandoned'], stays: 'wait' },
    bound: { words: 'bound', to: [], stays: 'end' },
    // the claim was thought to be gone and is there: decided anew, or gone on with where a volume may have been made
    abandoned: { words: 'given up: the claim is gone', to: ['waiting', 'making'], stays: 'end' },
  },
};

/** Why a volume may come after it was let go of: its backend was asked for it, and the answer was heard by nobody. */
export const neverBound = 'never bound';

/** What was reserved for a claim that is gone, on its way to being free again. */
export const releasing: Kind<ReleaseState> = {
  kind: 'release',
  title: 'Letting a volume go',
  begins: 'releasing',
  holds: 'release',
  once: true,
  steered: engineering,
  states: {
    // a volume that is kept goes straight to the end
    releasing: { words: 'volume is being destroyed, or kept', to: ['unmade', 'released'] },
    unmade: { words: 'persistent volume is being taken away', to: ['cleared'] },
    cleared: { words: 'room is being given back', to: ['released'] },
    // the grace of a volume that was kept has ended
    released: { words: 'done', to: ['releasing'], stays: 'end' },
  },
};
