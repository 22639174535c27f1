/** What is behind a refusal, for whoever answers with it. */
export type RefusalKind =
  | 'unreadable'
  | 'not-signed-in'
  | 'forbidden'
  | 'not-found'
  | 'conflict'
  /** Somebody changed it since it was read. */
  | 'changed'
  | 'too-large'
  | 'unsupported'
  | 'misdirected'
  | 'invalid'
  | 'too-many'
  | 'unforeseen'
  /** The platform or a backend did not do it. */
  | 'outside'
  | 'unavailable';

/** Something that is not done: what happened, to what, why, and what to do. */
export class Refusal extends Error {
  constructor(
    readonly kind: RefusalKind,
    readonly code: string,
    readonly title: string,
    readonly detail: string,
    readonly field?: string,
    readonly errors?: readonly { readonly field: string; readonly detail: string }[],
    /** Seconds after which it is worth trying again. */
    readonly retryAfterS?: number,
  ) {
    super(detail);
  }

  static notFound(kind: string, name: string): Refusal {
    return new Refusal(
      'not-found',
      'not-found',
      'Not found',
      `There is no ${kind} "${name}". It may have been deleted; reload the list.`,
    );
  }

  static invalid(field: string, detail: string): Refusal {
    return new Refusal('invalid', 'invalid', 'Not accepted', detail, field, [{ field, detail }]);
  }

  static changedMeanwhile(kind: string, name: string): Refusal {
    return new Refusal(
      'changed',
      'changed-meanwhile',
      'Changed by someone else',
      `The ${kind} "${name}" was changed since you read it. Nothing was written; look at the new state and decide again.`,
    );
  }

  static inUse(kind: string, name: string, by: string): Refusal {
    return new Refusal('conflict', 'in-use', 'Still in use', `The ${kind} "${name}" cannot be deleted: ${by}.`);
  }
}
