/** Something that the outside did not do: the platform or a backend. */
export abstract class OutsideProblem extends Error {
  abstract readonly world: 'platform' | 'backend';
  abstract readonly code: string;
}
