import type { Trust } from '@moorage/contract/backends';
import {
  bulkhead,
  circuitBreaker,
  ConsecutiveBreaker,
  ExponentialBackoff,
  handleWhen,
  isBrokenCircuitError,
  isBulkheadRejectedError,
  retry,
  wrap,
} from 'cockatiel';
import { fetch, type Agent, type Response as Answer } from 'undici';
import type { z } from 'zod';
import type { Metrics } from '../metrics/metrics';
import { BackendProblem, type BackendProblemCode } from './connector';
import { errorSchema } from './schemas';
import { agentFor } from './trust';

export interface Access {
  readonly name: string;
  readonly address: string;
  readonly username: string;
  readonly password: string;
  readonly trust: Trust;
}

/** Answers larger than this are refused unread: no backend needs more for what is asked of it. */
const largestAnswer = 64 * 1024 * 1024;

const troubles: ReadonlySet<BackendProblemCode> = new Set(['unreachable', 'timed-out', 'nonsense']);
const isTrouble = (error: Error): boolean => error instanceof BackendProblem && troubles.has(error.code);

/** The body of an answer as text, within the limits of size and time; whatever breaks it off is told as a problem of the backend. */
export async function boundedText(response: Answer, timeoutMs: number): Promise<string> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  try {
    for await (const chunk of response.body ?? []) {
      size += (chunk as Uint8Array).byteLength;
      if (size > largestAnswer)
        throw new BackendProblem('nonsense', `the answer is larger than ${largestAnswer} bytes`);
      chunks.push(chunk as Uint8Array);
    }
  } catch (error) {
    if (error instanceof BackendProblem) throw error;
    if ((error as { name?: string }).name === 'TimeoutError')
      throw new BackendProblem('timed-out', `the answer was not complete within ${timeoutMs / 1000} s`, {
        cause: error,
      });
    throw new BackendProblem('unreachable', 'the connection broke before the answer was complete', { cause: error });
  }
  return Buffer.concat(chunks).toString('utf8');
}

/** Why no answer came, as a problem of the backend. */
export function connectionProblem(error: unknown, address: string, timeoutMs: number): BackendProblem {
  if ((error as { name?: string }).name === 'TimeoutError')
    return new BackendProblem('timed-out', `no answer within ${timeoutMs / 1000} s`, { cause: error });
  const { cause } = error as { cause?: { code?: string; message?: string } };
  const reason = cause?.code ?? cause?.message ?? (error as Error).message;
  return new BackendProblem('unreachable', `no connection to ${address} (${reason})`, { cause: error });
}

function problemCode(status: number, messageId: string): BackendProblemCode {
  if (status === 401 || status === 403) return 'unauthorised';
  if (status === 404) return 'not-found';
  if (status === 507 || messageId.endsWith('InsufficientStorage')) return 'full';
  if (messageId.endsWith('ResourceAlreadyExists')) return 'exists';
  return status >= 500 ? 'unreachable' : 'refused';
}

/**
 * Speaks to one backend over HTTP: a session that is renewed, a time limit on every call, a few retries of reads, at most
 * sixteen calls at once, and a rest after five failures in a row. Each backend has its own, so that none holds up another.
 */
export class BackendHttp {
  private token?: string;
  private session?: string;
  private readonly agent: Agent;
  private readonly breaker = circuitBreaker(handleWhen(isTrouble), {
    halfOpenAfter: 3000,
    breaker: new ConsecutiveBreaker(5),
  });
  private readonly width = bulkhead(16, 5000);
  private readonly rereads = retry(handleWhen(isTrouble), {
    maxAttempts: 2,
    backoff: new ExponentialBackoff({ initialDelay: 100, maxDelay: 1000 }),
  });

  constructor(
    readonly access: Access,
    readonly timeoutMs: number,
    readonly metrics: Metrics,
  ) {
    this.agent = agentFor(access.trust);
  }

  private async send(method: string, path: string, body: unknown, token: string | undefined): Promise<Answer> {
    try {
      return await fetch(new URL(path, this.access.address), {
        method,
        headers: {
          Accept: 'application/json',
          'OData-Version': '4.0',
          ...(body !== undefined && { 'Content-Type': 'application/json' }),
          ...(token && { 'X-Auth-Token': token }),
        },
        body: body === undefined ? undefined : JSON.stringify(body),
        signal: AbortSignal.timeout(this.timeoutMs),
        // a token must not be carried to another address
        redirect: 'error',
        dispatcher: this.agent,
      });
    } catch (error) {
      throw connectionProblem(error, this.access.address, this.timeoutMs);
    }
  }

  private async signIn(sessionsPath: string): Promise<string> {
    const response = await this.send(
      'POST',
      sessionsPath,
      { UserName: this.access.username, Password: this.access.password },
      undefined,
    );
    await boundedText(response, this.timeoutMs);
    const token = response.headers.get('X-Auth-Token');
    this.session = response.headers.get('Location') ?? undefined;
    if (response.status === 401 || response.status === 403)
      throw new BackendProblem('unauthorised', `the backend refused user "${this.access.username}"`);
    if (!response.ok || !token)
      throw new BackendProblem('nonsense', `signing in answered ${response.status} without a token`);
    this.token = token;
    return token;
  }

  /** Ends the session, so that nothing of these credentials is left open. Never fails. */
  async close(): Promise<void> {
    if (this.token && this.session)
      await this.send('DELETE', this.session, undefined, this.token)
        .then((response) => response.arrayBuffer())
        .catch(() => undefined);
    this.token = undefined;
    await this.agent.close().catch(() => undefined);
  }

  private async attempt(
    method: string,
    path: string,
    body: unknown,
  ): Promise<{ status: number; location?: string; data: unknown }> {
    const sessions = '/redfish/v1/SessionService/Sessions';
    let response = await this.send(method, path, body, this.token ?? (await this.signIn(sessions)));
    if (response.status === 401) {
      await boundedText(response, this.timeoutMs);
      response = await this.send(method, path, body, await this.signIn(sessions));
    }
    const text = await boundedText(response, this.timeoutMs);
    let data: unknown;
    try {
      data = text === '' ? undefined : JSON.parse(text);
    } catch {
      throw new BackendProblem('nonsense', `${method} ${path} answered something that is not JSON`);
    }
    if (response.ok) return { status: response.status, location: response.headers.get('Location') ?? undefined, data };
    const said = errorSchema.safeParse(data);
    const messageId = said.success ? said.data.error.code : '';
    throw new BackendProblem(
      problemCode(response.status, messageId),
      said.success ? said.data.error.message : `${method} ${path} answered ${response.status}`,
    );
  }

  /** One unsigned look at a path, without retries. */
  async peek(path: string): Promise<{ status: number; data: unknown }> {
    const response = await this.send('GET', path, undefined, undefined);
    const text = await boundedText(response, this.timeoutMs);
    try {
      return { status: response.status, data: JSON.parse(text) };
    } catch {
      return { status: response.status, data: undefined };
    }
  }

  /** The session that is open, as the backend tells of it; undefined when it tells nothing. */
  async openSession(): Promise<string | undefined> {
    if (!this.token) await this.signIn('/redfish/v1/SessionService/Sessions');
    return this.session;
  }

  /** One call. Reads are tried three times; writes once, since only the caller knows how to find lost work again. */
  async call(name: string, method: 'GET' | 'POST' | 'PATCH' | 'DELETE', path: string, body?: unknown) {
    const policy = method === 'GET' ? wrap(this.rereads, this.breaker, this.width) : wrap(this.breaker, this.width);
    try {
      return await policy.execute(() =>
        this.metrics.timed(this.access.name, name, () => this.attempt(method, path, body)),
      );
    } catch (error) {
      if (isBrokenCircuitError(error))
        throw new BackendProblem('resting', 'calls are held back for a moment after several failures');
      if (isBulkheadRejectedError(error))
        throw new BackendProblem('resting', 'too many calls are waiting for this backend');
      throw error;
    }
  }

  /** A resource in the shape expected; anything else is nonsense, and says which member. */
  async get<T extends z.ZodType>(path: string, schema: T): Promise<z.infer<T>> {
    const { data } = await this.call('get', 'GET', path);
    return this.shaped(path, data, schema);
  }

  shaped<T extends z.ZodType>(path: string, data: unknown, schema: T): z.infer<T> {
    const result = schema.safeParse(data);
    if (result.success) return result.data;
    const issue = result.error.issues[0];
    throw new BackendProblem(
      'nonsense',
      `${path}: ${issue?.path.join('.') ?? ''} ${issue?.message ?? 'is not as the standard has it'}`,
    );
  }
}
