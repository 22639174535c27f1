import { problemSchema, type Problem } from '@moorage/contract/problem';

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

export interface CallOptions {
  readonly method?: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  readonly body?: unknown;
  /** The version that was read: the change is refused when somebody was faster. */
  readonly version?: number;
  /** Makes a repeated creation answer as the first. */
  readonly key?: string;
}

/** Calls the API. Throws ApiProblem for what it refuses, and the browser's own error when nobody answers. */
export async function call<T>(path: string, { method = 'GET', body, version, key }: CallOptions = {}): Promise<T> {
  const response = await fetch(path, {
    method,
    headers: {
      Accept: 'application/json',
      ...(body !== undefined && { 'Content-Type': 'application/json' }),
      ...(version !== undefined && { 'If-Match': `"${version}"` }),
      ...(key && { 'Idempotency-Key': key }),
    },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  if (response.status === 204) return undefined as T;
  const text = await response.text();
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch {
    data = undefined;
  }
  if (response.ok) return data as T;
  const problem = problemSchema.safeParse(data);
  throw new ApiProblem(
    problem.success
      ? problem.data
      : {
          type: 'about:blank',
          title: 'The server failed',
          status: response.status,
          detail: `It answered ${response.status} without saying why. Try again.`,
          code: 'unknown',
        },
  );
}
