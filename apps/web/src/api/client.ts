import { endpoints, type EndpointName } from '@moorage/contract/endpoints';
import { problemSchema, type Problem } from '@moorage/contract/problem';
import type { z } from 'zod';

/** An answer of the API that says what went wrong. */
export class ApiProblem extends Error {
  readonly status: number;
  readonly code: string;
  readonly title: string;
  readonly detail: string;
  readonly field?: string;
  readonly errors: { field: string; detail: string }[];

  constructor(problem: Problem) {
    super(problem.detail);
    this.status = problem.status;
    this.code = problem.code;
    this.title = problem.title;
    this.detail = problem.detail;
    this.field = problem.field;
    this.errors = problem.errors ?? [];
  }
}

type Table = typeof endpoints;
type NamesIn<Path> = Path extends `${string}:${infer Name}/${infer Rest}`
  ? Name | NamesIn<Rest>
  : Path extends `${string}:${infer Name}`
    ? Name
    : never;
type ParamsOf<N extends EndpointName> = NamesIn<Table[N]['path']>;

/** What is only sent may be read-only through and through. */
type Sent<T> = T extends readonly (infer E)[]
  ? readonly Sent<E>[]
  : T extends object
    ? { readonly [K in keyof T]: Sent<T[K]> }
    : T;

/** What a call of the API is given, as its endpoint says. */
export type Asked<N extends EndpointName> = ([ParamsOf<N>] extends [never]
  ? unknown
  : { readonly params: Readonly<Record<ParamsOf<N>, string>> }) &
  (Table[N] extends { readonly body: infer B extends z.ZodType } ? { readonly body: Sent<z.input<B>> } : unknown) &
  (Table[N] extends { readonly query: infer Q extends z.ZodType }
    ? {
        readonly query?: Readonly<Record<keyof z.input<Q>, string | number | undefined>> extends infer R
          ? Partial<R>
          : never;
      }
    : unknown) & {
    /** The version that was read: the change is refused when somebody was faster. */
    readonly version?: number;
    /** Makes a repeated creation answer as the first. */
    readonly key?: string;
  };

/** What a call answers. */
export type Answer<N extends EndpointName> = Table[N] extends { readonly response: infer R extends z.ZodType }
  ? z.output<R>
  : void;

interface Anything {
  readonly params?: Readonly<Record<string, string>>;
  readonly query?: Readonly<Record<string, string | number | undefined>>;
  readonly body?: unknown;
  readonly version?: number;
  readonly key?: string;
}

function addressOf(path: string, { params = {}, query = {} }: Anything): string {
  const filled = path.replace(/:(\w+)/g, (_, name: string) => encodeURIComponent(params[name] ?? ''));
  const search = new URLSearchParams();
  for (const [name, value] of Object.entries(query))
    if (value !== undefined && value !== '') search.set(name, String(value));
  return search.size > 0 ? `${filled}?${search.toString()}` : filled;
}

const unknownProblem = (status: number): Problem => ({
  type: 'about:blank',
  title: 'The server failed',
  status,
  detail: `It answered ${status} without saying why. Try again.`,
  code: 'unknown',
});

/** Calls the API by an endpoint's name. Throws ApiProblem for what it refuses, and the browser's own error when nobody answers. */
export async function ask<N extends EndpointName>(
  name: N,
  ...[asked]: Record<never, never> extends Asked<N> ? [asked?: Asked<N>] : [asked: Asked<N>]
): Promise<Answer<N>> {
  const { method, path } = endpoints[name];
  const given = (asked ?? {}) as Anything;
  const { body, version, key } = given;
  const response = await fetch(addressOf(path, given), {
    method: method.toUpperCase(),
    headers: {
      Accept: 'application/json',
      ...(body !== undefined && { 'Content-Type': 'application/json' }),
      ...(version !== undefined && { 'If-Match': `"${version}"` }),
      ...(key && { 'Idempotency-Key': key }),
    },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  if (response.status === 204) return undefined as Answer<N>;
  const text = await response.text();
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch {
    data = undefined;
  }
  if (response.ok) return data as Answer<N>;
  const problem = problemSchema.safeParse(data);
  throw new ApiProblem(problem.success ? problem.data : unknownProblem(response.status));
}
