/** Something that the outside did not do: the platform or a backend. */
export abstract class OutsideProblem extends Error {
  abstract readonly world: 'platform' | 'backend';
  abstract readonly code: string;
  /** Whether it was refused at its word: the same once more is refused again. */
  abstract readonly isForGood: boolean;
}
