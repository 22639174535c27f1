import type { Problem } from '@moorage/contract/problem';
import { PlatformProblem } from '../platform/connector';
import { BackendProblem } from '../backends/connector';
import { isDatabaseGone, metAnother } from '../database/database';

/** An error with its answer: what happened, to what, why, and what to do. */
export class HttpProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    readonly title: string,
    readonly detail: string,
    readonly field?: string,
    readonly errors?: Problem['errors'],
    /** Seconds after which it is worth trying again. */
    readonly retryAfterS?: number,
  ) {
    super(detail);
  }

  static notFound(kind: string, name: string): HttpProblem {
    return new HttpProblem(
      404,
      'not-found',
      'Not found',
      `There is no ${kind} "${name}". It may have been deleted; reload the list.`,
    );
  }

  static invalid(field: string, detail: string): HttpProblem {
    return new HttpProblem(422, 'invalid', 'Not accepted', detail, field, [{ field, detail }]);
  }

  static changedMeanwhile(kind: string, name: string): HttpProblem {
    return new HttpProblem(
      412,
      'changed-meanwhile',
      'Changed by someone else',
      `The ${kind} "${name}" was changed since you read it. Nothing was written; look at the new state and decide again.`,
    );
  }

  static inUse(kind: string, name: string, by: string): HttpProblem {
    return new HttpProblem(409, 'in-use', 'Still in use', `The ${kind} "${name}" cannot be deleted: ${by}.`);
  }

  toJSON(): Problem {
    const { status, code, title, detail, field, errors } = this;
    return {
      type: `urn:moorage:problem:${code}`,
      title,
      status,
      detail,
      code,
      ...(field && { field }),
      ...(errors && { errors }),
    };
  }
}

const platformStatus: Record<PlatformProblem['code'], number> = {
  unreachable: 502,
  'not-found': 404,
  exists: 409,
  conflict: 409,
  invalid: 422,
  forbidden: 403,
  gone: 502,
  failed: 502,
};

/** Any error as an answer. What is not foreseen tells nothing of the inside. */
export function toProblem(error: unknown): HttpProblem {
  if (error instanceof HttpProblem) return error;
  if (error instanceof PlatformProblem) {
    const errors = error.causes.map((c) => ({ field: c.field, detail: c.message }));
    const said =
      error.code === 'unreachable'
        ? `The platform does not answer: ${error.message}. Whether it did what it was asked last is not known: look before you try again.`
        : `The platform said: ${error.message}`;
    return new HttpProblem(
      platformStatus[error.code],
      `platform-${error.code}`,
      'The platform did not accept it',
      said,
      errors[0]?.field,
      errors.length ? errors : undefined,
    );
  }
  if (error instanceof BackendProblem) {
    const unknown = error.code === 'unreachable' || error.code === 'timed-out';
    return new HttpProblem(
      502,
      `backend-${error.code}`,
      unknown ? 'The backend does not answer' : 'The backend did not do it',
      unknown
        ? `${error.message}. Whether it did what it was asked last is not known: look before you try again.`
        : error.message,
    );
  }
  if (isDatabaseGone(error))
    return new HttpProblem(
      503,
      'database-unavailable',
      'The database does not answer',
      'PostgreSQL cannot be reached, so it is not known whether this was carried out; look again when it is back. The server keeps trying and goes on by itself.',
    );
  if (metAnother(error))
    return new HttpProblem(
      409,
      'met-another-change',
      'Two changes met',
      'Somebody changed or deleted the same thing at the same moment, and went first. Look at what stands now, then try again.',
      undefined,
      undefined,
      1,
    );
  const { type, status } = error as { type?: string; status?: number };
  if (type === 'entity.parse.failed')
    return new HttpProblem(400, 'not-json', 'Not readable', 'The body is not valid JSON.');
  if (type === 'entity.too.large')
    return new HttpProblem(413, 'too-large', 'Too large', 'The body is larger than what is taken here.');
  if (status && status >= 400 && status < 500)
    return new HttpProblem(status, 'bad-request', 'Not readable', 'The request could not be read.');
  return new HttpProblem(
    500,
    'internal',
    'Something failed here',
    'The server met an error that it did not expect; it is in the server log. Whether this was carried out is not known: look before you try again.',
  );
}
