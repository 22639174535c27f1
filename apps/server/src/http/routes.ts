import { endpoints, type EndpointName } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import type { Person } from '@moorage/contract/people';
import type { Express, Request, Response } from 'express';
import type { z } from 'zod';
import { isKeepable } from '../database/keepable';
import type { Idempotency } from '../idempotency/idempotency';
import { Refusal } from '../refusals/refusal';
import { readBody } from './body';

type BodyOf<K extends EndpointName> = (typeof endpoints)[K] extends { body: infer B extends z.ZodType }
  ? z.infer<B>
  : undefined;
type QueryOf<K extends EndpointName> = (typeof endpoints)[K] extends { query: infer Q extends z.ZodType }
  ? z.infer<Q>
  : undefined;
type AnswerOf<K extends EndpointName> = (typeof endpoints)[K] extends { response: infer R extends z.ZodType }
  ? z.input<R>
  : unknown;

export interface Call<K extends EndpointName> {
  readonly params: Readonly<Record<string, string>>;
  readonly body: BodyOf<K>;
  readonly query: QueryOf<K>;
  /** The one signed in; routes for everyone get whoever is there, if anyone. */
  readonly person: Person;
  /** Version from If-Match, when the caller gave one. */
  readonly version: number | undefined;
  readonly request: Request;
  readonly response: Response;
}

/** A handler for every endpoint of the contract: one that is missing does not compile. A handler that answers by itself returns `answered`. */
export type Handlers = {
  readonly [K in EndpointName]: (
    call: Call<K>,
  ) => Promise<AnswerOf<K> | typeof answered> | AnswerOf<K> | typeof answered;
};
export const answered = Symbol('answered');

const nobody: Person = { name: '', title: '', role: 'viewer', namespaces: [] };

function checkAccess(endpoint: Endpoint, person: Person | undefined, namespace: string | undefined): void {
  if (endpoint.allowed === 'everyone') return;
  if (!person)
    throw new Refusal('not-signed-in', 'not-signed-in', 'Not signed in', 'Sign in first; the session may have ended.');
  if (!endpoint.allowed.includes(person.role))
    throw new Refusal(
      'forbidden',
      'not-allowed',
      'Not allowed',
      `"${endpoint.summary}" is not for the role ${person.role}. Ask for one of: ${endpoint.allowed.join(', ')}.`,
    );
  if (
    person.role === 'namespace-owner' &&
    endpoint.method !== 'get' &&
    namespace !== undefined &&
    !person.namespaces.includes(namespace)
  )
    throw new Refusal(
      'forbidden',
      'not-allowed',
      'Not allowed',
      `You may change claims in ${person.namespaces.join(', ') || 'no namespace'}, not in ${namespace}.`,
    );
}

function parse<T extends z.ZodType>(schema: T, value: unknown): z.infer<T> {
  const result = schema.safeParse(value);
  if (result.success) return result.data;
  const errors = result.error.issues.map((issue) => ({ field: issue.path.join('.'), detail: issue.message }));
  const first = errors[0]!;
  throw new Refusal(
    'invalid',
    'invalid',
    'Not accepted',
    `${first.field ? `${first.field}: ` : ''}${first.detail} Nothing was changed.`,
    first.field || undefined,
    errors,
  );
}

function readVersion(request: Request): number | undefined {
  const match = /^"(\d+)"$/.exec(request.header('If-Match') ?? '');
  return match ? Number(match[1]) : undefined;
}

/** Parts of an address that no name can be: told as not there. */
function checkParams(endpoint: Endpoint, params: Readonly<Record<string, string>>): void {
  for (const [name, value] of Object.entries(params))
    if (value.length > 300 || !isKeepable(value)) throw Refusal.notFound(name, value.slice(0, 100));
  const read = endpoint.params?.safeParse(params);
  if (read && !read.success) {
    const name = String(read.error.issues[0]!.path[0]);
    throw Refusal.notFound(`${name} that reads`, params[name] ?? '');
  }
}

function checkQuery(query: Request['query']): void {
  for (const [name, value] of Object.entries(query))
    if (typeof value !== 'string' || !isKeepable(value))
      throw Refusal.invalid(name, `The parameter "${name}" is one text, given once.`);
}

/** Binds the contract's endpoints to their handlers: access, then the body, its shape, then work. */
export function bindRoutes(
  app: Express,
  keys: Idempotency,
  handlers: Handlers,
  personOf: (request: Request) => Person | undefined,
): void {
  for (const [name, endpoint] of Object.entries(endpoints) as [EndpointName, Endpoint][]) {
    const handler = handlers[name] as (call: Call<EndpointName>) => Promise<unknown>;
    app[endpoint.method](endpoint.path, async (request: Request, response: Response) => {
      const person = endpoint.allowed === 'everyone' ? undefined : personOf(request);
      const params = request.params as Record<string, string>;
      checkAccess(endpoint, person, params.namespace);
      checkParams(endpoint, params);
      checkQuery(request.query);
      const given = endpoint.body ? await readBody(request, response, endpoint.bodyLimit) : undefined;
      if (params.namespace === undefined)
        checkAccess(endpoint, person, (given as { namespace?: string } | null | undefined)?.namespace);
      const call = {
        params,
        person: person ?? nobody,
        version: readVersion(request),
        request,
        response,
        body: endpoint.body ? parse(endpoint.body, given) : undefined,
        query: endpoint.query ? parse(endpoint.query, request.query) : undefined,
      } as unknown as Call<EndpointName>;
      const status = endpoint.status ?? 200;
      const result = await keys.once(request, call.person.name, async () => ({ status, body: await handler(call) }));
      if (result.body === answered) return;
      if (status === 204) {
        response.status(204).end();
        return;
      }
      const version = (result.body as { version?: unknown } | null)?.version;
      if (typeof version === 'number') response.setHeader('ETag', `"${version}"`);
      response.status(result.status).json(result.body);
    });
  }
}
