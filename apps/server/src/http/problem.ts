import type { Problem } from '@moorage/contract/problem';
import { isDatabaseGone, metAnother } from '../database/database';
import { PlatformProblem } from '../platform/connector';
import { Refusal, type RefusalKind } from '../refusals/refusal';
import { BackendProblem } from '../swordfish/connector';

/** The one place where refusals become answers. */
export const statusOf: Readonly<Record<RefusalKind, number>> = {
  unreadable: 400,
  'not-signed-in': 401,
  forbidden: 403,
  'not-found': 404,
  conflict: 409,
  changed: 412,
  'too-large': 413,
  unsupported: 415,
  misdirected: 421,
  invalid: 422,
  'too-many': 429,
  unforeseen: 500,
  outside: 502,
  unavailable: 503,
};

/** The kind of a refusal that the parser or the file server tells by a status of its own. */
const kindOf = (status: number): RefusalKind =>
  (Object.keys(statusOf) as RefusalKind[]).find((kind) => statusOf[kind] === status) ?? 'unreadable';

/** A refusal as the body of an answer. */
export function toBody({ kind, code, title, detail, field, errors }: Refusal): Problem {
  return {
    type: `urn:moorage:problem:${code}`,
    title,
    status: statusOf[kind],
    detail,
    code,
    ...(field && { field }),
    ...(errors && { errors: [...errors] }),
  };
}

const platformKind: Record<PlatformProblem['code'], RefusalKind> = {
  unreachable: 'outside',
  'not-found': 'not-found',
  exists: 'conflict',
  conflict: 'conflict',
  invalid: 'invalid',
  forbidden: 'forbidden',
  gone: 'outside',
  'not-now': 'conflict',
  failed: 'outside',
};

/** Any error as an answer. What is not foreseen tells nothing of the inside. */
export function toRefusal(error: unknown): Refusal {
  if (error instanceof Refusal) return error;
  if (error instanceof PlatformProblem) {
    const errors = error.causes.map((c) => ({ field: c.field, detail: c.message }));
    const said =
      error.code === 'unreachable'
        ? `The platform does not answer: ${error.message}. Whether it did what it was asked last is not known: look before you try again.`
        : `The platform said: ${error.message}`;
    return new Refusal(
      platformKind[error.code],
      `platform-${error.code}`,
      'The platform did not accept it',
      said,
      errors[0]?.field,
      errors.length ? errors : undefined,
    );
  }
  if (error instanceof BackendProblem) {
    const unknown = error.code === 'unreachable' || error.code === 'timed-out';
    return new Refusal(
      'outside',
      `backend-${error.code}`,
      unknown ? 'The backend does not answer' : 'The backend did not do it',
      unknown
        ? `${error.message}. Whether it did what it was asked last is not known: look before you try again.`
        : error.message,
    );
  }
  if (isDatabaseGone(error))
    return new Refusal(
      'unavailable',
      'database-unavailable',
      'The database does not answer',
      'PostgreSQL cannot be reached, so it is not known whether this was carried out; look again when it is back. The server keeps trying and goes on by itself.',
    );
  if (metAnother(error))
    return new Refusal(
      'conflict',
      'met-another-change',
      'Two changes met',
      'Somebody changed or deleted the same thing at the same moment, and went first. Look at what stands now, then try again.',
      undefined,
      undefined,
      1,
    );
  const { type, status } = error as { type?: string; status?: number };
  if (type === 'entity.parse.failed')
    return new Refusal('unreadable', 'not-json', 'Not readable', 'The body is not valid JSON.');
  if (type === 'entity.too.large')
    return new Refusal('too-large', 'too-large', 'Too large', 'The body is larger than what is taken here.');
  if (status && status >= 400 && status < 500)
    return new Refusal(kindOf(status), 'bad-request', 'Not readable', 'The request could not be read.');
  return new Refusal(
    'unforeseen',
    'internal',
    'Something failed here',
    'The server met an error that it did not expect; it is in the server log. Whether this was carried out is not known: look before you try again.',
  );
}
