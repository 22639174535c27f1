import type { Request, Response } from 'express';
import { RedfishError } from './errors';
import { collection, link } from './service-views';

/** A resource of a collection: where it is, and what it looks like when it is shown whole. */
export interface Member {
  readonly path: string;
  readonly whole: () => object;
}

const supported = new Set(['$expand', '$filter', '$top', '$skip']);

/** Refuses what is asked of an address and not understood: passing over it would answer something else. */
export function assertKnownQuery(request: Request): void {
  for (const name of Object.keys(request.query))
    if ((name.startsWith('$') || name === 'only') && !supported.has(name))
      throw new RedfishError(501, 'QueryNotSupported', `Querying by '${name}' is not supported by the implementation.`);
}

const wrongValue = (name: string, value: string) =>
  new RedfishError(
    400,
    'QueryParameterValueFormatError',
    `The value '${value}' for the parameter ${name} is of a different format than the parameter can accept.`,
  );

function count(request: Request, name: '$top' | '$skip'): number | undefined {
  const given = request.query[name];
  if (given === undefined) return undefined;
  if (typeof given !== 'string' || !/^\d{1,9}$/.test(given)) throw wrongValue(name, String(given));
  return Number(given);
}

type Literal = string | number | boolean | null;

function literal(text: string, whole: string): Literal {
  if (/^'(?:[^']|'')*'$/.test(text)) return text.slice(1, -1).replaceAll("''", "'");
  if (/^-?\d+(\.\d+)?$/.test(text)) return Number(text);
  if (text === 'true' || text === 'false') return text === 'true';
  if (text === 'null') return null;
  throw wrongValue('$filter', whole);
}

const member = (of: object, path: string): unknown =>
  path.split('/').reduce<unknown>((at, part) => (at as Record<string, unknown> | undefined)?.[part], of);

/** Reads `Property operator value`, joined by `and`; the rest of the grammar is refused, never passed over. */
export function filterFrom(text: string): (resource: object) => boolean {
  const term = /^\s*([A-Za-z@][\w@./]*)\s+(eq|ne|gt|ge|lt|le)\s+('(?:[^']|'')*'|[^\s()]+)\s*/;
  const tests: ((resource: object) => boolean)[] = [];
  let rest = text;
  for (;;) {
    const match = term.exec(rest);
    if (!match) throw wrongValue('$filter', text);
    const [found, path, operator] = match as unknown as [string, string, string];
    const wanted = literal(match[3]!, text);
    tests.push((resource) => {
      const value = (member(resource, path) ?? null) as Literal;
      if (operator === 'eq') return value === wanted;
      if (operator === 'ne') return value !== wanted;
      if (value === null || wanted === null || typeof value !== typeof wanted) return false;
      if (operator === 'gt') return value > wanted;
      if (operator === 'ge') return value >= wanted;
      return operator === 'lt' ? value < wanted : value <= wanted;
    });
    rest = rest.slice(found.length);
    if (rest === '') return (resource) => tests.every((test) => test(resource));
    const joined = /^and\s+/.exec(rest);
    if (!joined) throw wrongValue('$filter', text);
    rest = rest.slice(joined[0].length);
  }
}

/** Answers a collection as the query asks: filtered, a part of it, its members as links or whole. */
export function answerCollection(
  request: Request,
  response: Response,
  type: string,
  name: string,
  members: readonly Member[],
  more: object = {},
): void {
  const { $filter } = request.query;
  const expand = request.query.$expand;
  if (expand !== undefined && (typeof expand !== 'string' || !/^[.*~](\(\$levels=\d\))?$/.test(expand)))
    throw wrongValue('$expand', String(expand));
  if ($filter !== undefined && typeof $filter !== 'string') throw wrongValue('$filter', String($filter));
  const [top, skip] = [count(request, '$top'), count(request, '$skip') ?? 0];
  const selects = $filter === undefined ? undefined : filterFrom($filter);
  const found = selects ? members.filter((m) => selects(m.whole())) : members;
  const shown = found.slice(skip, top === undefined ? undefined : skip + top);
  const path = request.path.replace(/\/$/, '');
  const answer = collection(
    type,
    path,
    name,
    shown.map((m) => (expand === undefined ? link(m.path) : m.whole())),
  );
  const end = skip + shown.length;
  const further = new URLSearchParams(
    Object.entries({ ...request.query, $skip: String(end) }).map(([k, v]) => [k, String(v)] as [string, string]),
  );
  response.json({
    ...answer,
    ...more,
    // of all that match, whatever part of them is shown
    'Members@odata.count': found.length,
    ...(end < found.length && { 'Members@odata.nextLink': `${path}?${decodeURIComponent(further.toString())}` }),
  });
}
