import { PlatformProblem, type PlatformProblemCode } from '../platform/connector';
import { Refusal, type RefusalKind } from '../refusals/refusal';

/** An error that outlives the server that met it, to be told to whoever asks how an act ended. */
export type StoredProblem =
  | {
      readonly is: 'platform';
      readonly code: PlatformProblemCode;
      readonly detail: string;
      readonly causes: PlatformProblem['causes'];
    }
  | {
      readonly is: 'refusal';
      readonly kind: RefusalKind;
      readonly code: string;
      readonly title: string;
      readonly detail: string;
      readonly field?: string;
      readonly errors?: Refusal['errors'];
    }
  /** What the room of the act makes of it. */
  | { readonly is: 'stopped'; readonly data: unknown }
  | { readonly is: 'unforeseen'; readonly detail: string };

/** An act that goes no further for a reason that its room tells as it sees fit. */
export class ActStopped extends Refusal {
  constructor(readonly data: unknown) {
    super('conflict', 'overtaken', 'Somebody was faster', 'Somebody else changed the same meanwhile.');
  }
}

export function store(error: unknown): StoredProblem {
  if (error instanceof ActStopped) return { is: 'stopped', data: error.data };
  if (error instanceof PlatformProblem) {
    const { code, message, causes } = error;
    return { is: 'platform', code, detail: message, causes };
  }
  if (error instanceof Refusal) {
    const { kind, code, title, detail, field, errors } = error;
    return { is: 'refusal', kind, code, title, detail, field, errors };
  }
  return { is: 'unforeseen', detail: error instanceof Error ? error.message : String(error) };
}

export function restore(problem: StoredProblem): Error {
  switch (problem.is) {
    case 'platform':
      return new PlatformProblem(problem.code, problem.detail, problem.causes);
    case 'refusal': {
      const { kind, code, title, detail, field, errors } = problem;
      return new Refusal(kind, code, title, detail, field, errors);
    }
    case 'stopped':
      return new ActStopped(problem.data);
    case 'unforeseen':
      return new Error(problem.detail);
  }
}
