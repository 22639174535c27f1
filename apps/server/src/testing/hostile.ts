import fc from 'fast-check';
import { endpoints } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import { z } from 'zod';

/** Requests made from the contract: right, nearly right and hostile ones, the same for the same seed. */
export interface HostileRequest {
  readonly name: string;
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: string;
}

interface Schema {
  readonly type?: string | string[];
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly items?: Schema;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly additionalProperties?: Schema | boolean;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly minItems?: number;
}

const strange = fc.constantFrom<unknown>(
  null,
  true,
  0,
  -1,
  1.5,
  1e308,
  2 ** 53,
  '',
  ' ',
  '\u0000',
  'a\u0000b',
  '\ud800',
  '../../etc/passwd',
  "'; DROP TABLE people; --",
  '%00',
  '9223372036854775808',
  'x'.repeat(5000),
  '-9999-99-99',
  '2026-02-31',
  '80Gi',
  '-1Gi',
  '1e400',
  [],
  [[[[[]]]]],
  {},
  { __proto__: null, constructor: { prototype: {} } },
);

const strangeText = strange.map((v) => (typeof v === 'string' ? v : JSON.stringify(v)));

/** Names that are there, so that requests get past the first look. */
const known = fc.constantFrom(
  ...['general', 'ledger', 'basalt', 'kelp', 'kelp-nvme', 'kelp-deep', 'basalt-broad', 'basalt-swift'],
  ...['tide-gauges', 'ferry-desk', 'wave-model', 'quay-01', 'a', 'b', 'c'],
);
const word = fc.oneof(
  { weight: 4, arbitrary: known },
  { weight: 1, arbitrary: fc.string({ unit: 'binary', maxLength: 20 }) },
);

function valueOf(schema: Schema, depth = 0): fc.Arbitrary<unknown> {
  const right = rightOf(schema, depth);
  return fc.oneof({ weight: 12, arbitrary: right }, { weight: 1, arbitrary: strange });
}

function rightOf(schema: Schema, depth: number): fc.Arbitrary<unknown> {
  if (schema.const !== undefined) return fc.constant(schema.const);
  if (schema.enum) return fc.constantFrom(...schema.enum);
  const among = schema.anyOf ?? schema.oneOf;
  if (among) return fc.oneof(...among.map((s) => valueOf(s, depth + 1)));
  const type = Array.isArray(schema.type) ? schema.type[0] : schema.type;
  switch (type) {
    case 'object': {
      const members = Object.entries(schema.properties ?? {});
      if (members.length > 0)
        return fc.record(Object.fromEntries(members.map(([key, of]) => [key, valueOf(of, depth + 1)])), {
          requiredKeys: [...(schema.required ?? [])],
        });
      const of = typeof schema.additionalProperties === 'object' ? schema.additionalProperties : {};
      return fc.dictionary(word, valueOf(of, depth + 1), { maxKeys: 3 });
    }
    case 'array':
      return fc.array(valueOf(schema.items ?? {}, depth + 1), { minLength: schema.minItems ?? 0, maxLength: 3 });
    case 'integer':
      return fc.oneof(
        fc.integer({
          min: Math.max(schema.minimum ?? 0, -(2 ** 31)),
          max: Math.min(schema.maximum ?? 1000, 2 ** 31 - 1),
        }),
        fc.constantFrom(0, 1, 2 ** 40, 2 ** 53 - 1),
      );
    case 'number':
      return fc.double({ noNaN: true });
    case 'boolean':
      return fc.boolean();
    case 'null':
      return fc.constant(null);
    case 'string':
      return fc.oneof(
        { weight: 5, arbitrary: word },
        { weight: 1, arbitrary: fc.constantFrom('10Gi', '2027-01-01', 'ReadWriteOnce') },
      );
    default:
      return depth > 4 ? fc.constant(null) : fc.oneof(word, strange);
  }
}

const schemaOf = (schema: z.ZodType) => z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as Schema;

/** Never asked: signing in and out would end the run's own sessions, a stream never ends. */
const leftOut = new Set(['signIn', 'signOut', 'events']);
const asked = (Object.entries(endpoints) as [string, Endpoint][]).filter(([name]) => !leftOut.has(name));

/** Nothing outside of this machine is ever spoken to, whatever the dice say. */
const nearby = (body: unknown): unknown =>
  body !== null && typeof body === 'object' && 'address' in body ? { ...body, address: 'http://127.0.0.1:1' } : body;

function requestTo([name, endpoint]: [string, Endpoint]): fc.Arbitrary<HostileRequest> {
  const names = [...endpoint.path.matchAll(/:(\w+)/g)].map(([, param]) => param!);
  const params = fc.tuple(
    ...names.map(() =>
      fc.oneof(
        { weight: 6, arbitrary: known },
        { weight: 2, arbitrary: fc.uuid() },
        { weight: 1, arbitrary: strangeText },
      ),
    ),
  );
  const query = endpoint.query
    ? fc.dictionary(fc.constantFrom(...Object.keys(endpoint.query.shape), 'other'), fc.oneof(word, strangeText), {
        maxKeys: 4,
      })
    : fc.constant({});
  const schema = endpoint.body ? schemaOf(endpoint.body) : undefined;
  const body = schema
    ? fc.oneof(
        { weight: 10, arbitrary: valueOf(schema).map((v) => JSON.stringify(nearby(v))) },
        { weight: 1, arbitrary: fc.constantFrom('', '{', 'null', '[1,', '"x"', '{"a":'.repeat(3000), '[]') },
      )
    : fc.constant(undefined);
  const headers = fc.record(
    {
      'If-Match': fc.constantFrom('"1"', '"0"', '"99999999999999999999"', '*', 'W/"1"', '"\\"'),
      'Idempotency-Key': fc.constantFrom('k1', 'k2', 'k3', 'x'.repeat(300), 'a b'),
    },
    { requiredKeys: [] },
  );
  return fc.tuple(params, query, body, headers).map(([values, queries, text, heads]): HostileRequest => {
    let path = endpoint.path;
    names.forEach((param, i) => (path = path.replace(`:${param}`, safeEncode(String(values[i])) || 'x')));
    const search = Object.entries(queries)
      .map(([key, value]) => `${key}=${safeEncode(String(value))}`)
      .join('&');
    return {
      name,
      method: endpoint.method.toUpperCase(),
      path: search ? `${path}?${search}` : path,
      headers: heads,
      ...(text !== undefined && { body: text }),
    };
  });
}

function safeEncode(text: string): string {
  try {
    return encodeURIComponent(text);
  } catch {
    return '%ED%A0%80'; // half of a surrogate pair, as a hostile client would send it
  }
}

/** `count` requests over all routes. */
export const hostileRequests = (seed: number, count: number): HostileRequest[] =>
  fc.sample(fc.oneof(...asked.map(requestTo)), { seed, numRuns: count });

export interface Outcome {
  readonly statuses: Readonly<Record<string, number>>;
  /** What must never be: an error of ours, or no answer. */
  readonly wrong: readonly string[];
}

/** Answers that are the fault of the outside: a backend or platform that is not there, or too much at once. */
const excused = /^(backend-|platform-|busy$)/;

/** Sends requests, a few at once, as several people. */
export async function sendHostile(
  url: string,
  cookies: readonly string[],
  requests: readonly HostileRequest[],
  atOnce = 8,
): Promise<Outcome> {
  const statuses: Record<string, number> = {};
  const wrong: string[] = [];
  let next = 0;
  const lane = async () => {
    for (let i = next++; i < requests.length; i = next++) {
      const { method, path, headers, body, name } = requests[i]!;
      const told = `${name}: ${method} ${path.slice(0, 200)} ${(body ?? '').slice(0, 300)}`;
      try {
        const response = await fetch(url + path, {
          method,
          headers: {
            Cookie: cookies[i % cookies.length]!,
            ...(body !== undefined && { 'Content-Type': 'application/json' }),
            ...headers,
          },
          body,
          signal: AbortSignal.timeout(20_000),
        });
        const text = await response.text();
        statuses[response.status] = (statuses[response.status] ?? 0) + 1;
        const code = /"code":"([^"]*)"/.exec(text)?.[1] ?? '';
        if (response.status >= 500 && name !== 'health' && !excused.test(code))
          wrong.push(`${response.status} ${code} ${told}`);
      } catch (error) {
        wrong.push(`${(error as Error).message} ${told}`);
      }
    }
  };
  await Promise.all(Array.from({ length: atOnce }, lane));
  return { statuses, wrong };
}
