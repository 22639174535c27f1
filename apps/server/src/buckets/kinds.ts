import { claiming, operating } from '@moorage/contract/endpoints/endpoint';
import type { Kind } from '../operations/kind';

/** A bucket claim on its way to a bucket. */
export const making: Kind<'deciding' | 'waiting' | 'making' | 'telling' | 'ready' | 'abandoned'> = {
  kind: 'bucket',
  title: 'Making a bucket',
  begins: 'deciding',
  holds: 'bucket',
  once: true,
  steered: operating,
  states: {
    deciding: { words: 'chooses its pool', to: ['waiting', 'making', 'telling', 'abandoned'] },
    waiting: { words: 'waits', to: ['waiting', 'making', 'telling', 'abandoned'], stays: 'wait' },
    // reserved; the bucket is named after the claim, and found again by that name
    making: { words: 'bucket is being made', to: ['telling', 'abandoned'] },
    telling: { words: 'the platform is told', to: ['ready', 'abandoned'] },
    ready: { words: 'ready', to: ['abandoned'], stays: 'end' },
    // its claim was thought to be gone, and is there
    abandoned: { words: 'given up: the claim is gone', to: ['deciding'], stays: 'end' },
  },
};

/** A bucket that may hold more, or less, than before. */
export const limiting: Kind<'deciding' | 'waiting' | 'set' | 'abandoned'> = {
  kind: 'bucket-limit',
  title: 'Changing what a bucket may hold',
  begins: 'deciding',
  holds: 'bucket-limit',
  steered: claiming,
  states: {
    deciding: { words: 'looks whether its pool can promise it', to: ['waiting', 'set', 'abandoned'] },
    waiting: { words: 'waits until its pool can promise it', to: ['waiting', 'set', 'abandoned'], stays: 'wait' },
    set: { words: 'set', to: [], stays: 'end' },
    abandoned: { words: 'given up: the claim is gone', to: [], stays: 'end' },
  },
};

/** A bucket whose claim is gone: kept, or emptied and removed. */
export const letting: Kind<'closing' | 'emptying' | 'kept' | 'removed' | 'mistaken'> = {
  kind: 'bucket-end',
  title: 'Letting go of a bucket',
  begins: 'closing',
  holds: 'bucket-end',
  steered: operating,
  states: {
    closing: { words: 'its keys are taken back', to: ['emptying', 'kept', 'removed', 'mistaken'] },
    emptying: { words: 'what lies in it is being destroyed', to: ['removed'] },
    kept: { words: 'kept', to: [], stays: 'end' },
    removed: { words: 'removed', to: [], stays: 'end' },
    mistaken: { words: 'nothing to let go of: the claim is there', to: [], stays: 'end' },
  },
};

/** An access that asks for a key to a bucket. */
export const granting: Kind<'looking' | 'waiting' | 'admitting' | 'granted' | 'abandoned'> = {
  kind: 'bucket-key',
  title: 'Giving a key to a bucket',
  begins: 'looking',
  holds: 'bucket-key',
  once: true,
  steered: claiming,
  states: {
    looking: { words: 'looks for its bucket', to: ['waiting', 'admitting', 'abandoned'] },
    waiting: { words: 'waits for its bucket', to: ['waiting', 'admitting', 'abandoned'], stays: 'wait' },
    // a secret that may not have reached the platform is never used: another one is made
    admitting: { words: 'its account and its secret are made', to: ['granted', 'waiting', 'abandoned'] },
    // its bucket was kept without a claim meanwhile, and is there again
    granted: { words: 'granted', to: ['looking', 'abandoned'], stays: 'end' },
    abandoned: { words: 'given up: the access is gone', to: [], stays: 'end' },
  },
};

/** A key whose access is gone. */
export const revoking: Kind<'revoking' | 'revoked' | 'mistaken'> = {
  kind: 'bucket-key-end',
  title: 'Taking a key back',
  begins: 'revoking',
  holds: 'bucket-key-end',
  steered: claiming,
  states: {
    revoking: { words: 'its account is taken away', to: ['revoked', 'mistaken'] },
    revoked: { words: 'taken back', to: [], stays: 'end' },
    mistaken: { words: 'nothing to take back: the access is there', to: [], stays: 'end' },
  },
};
