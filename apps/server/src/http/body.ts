import express, { type Request, type Response } from 'express';
import { isKeepable } from '../database/keepable';
import { Refusal } from '../refusals/refusal';

/** Bytes of a body where its endpoint does not say otherwise. */
const usualLimit = 64 * 1024;
/** Commas and brackets: parsing and checking cost by the number of values, not by their bytes alone. */
const mostValues = 50_000;

const tooMany = () =>
  new Refusal(
    'too-large',
    'too-large',
    'Too large',
    `The body holds more than ${mostValues.toLocaleString('en-GB')} values. Send it in parts.`,
  );

/** Counts what separates values, strings included: cheap, and never too few. */
function assertFew(bytes: Buffer): void {
  let count = 0;
  for (const byte of bytes)
    if ((byte === 0x2c || byte === 0x5b || byte === 0x7b) && ++count > mostValues) throw tooMany();
}

function findUnkeepable(value: unknown): string | undefined {
  const open: [path: string, value: unknown][] = [['', value]];
  for (let next = open.pop(); next; next = open.pop()) {
    const [path, of] = next;
    if (typeof of === 'string' && !isKeepable(of)) return path;
    if (of === null || typeof of !== 'object') continue;
    for (const [key, member] of Object.entries(of)) {
      const at = path === '' ? key : `${path}.${key}`;
      if (!isKeepable(key)) return path;
      open.push([at, member]);
    }
  }
  return undefined;
}

const parsers = new Map<number, ReturnType<typeof express.json>>();
function parserFor(limit: number) {
  const known = parsers.get(limit);
  if (known) return known;
  const made = express.json({ limit, strict: false, verify: (_request, _response, bytes) => assertFew(bytes) });
  parsers.set(limit, made);
  return made;
}

/** Reads the JSON body of a request, once it is known who asks and what for. */
export async function readBody(request: Request, response: Response, limit = usualLimit): Promise<unknown> {
  await new Promise<void>((resolve, reject) =>
    parserFor(limit)(request, response, (error?: unknown) => {
      if (error === undefined) return resolve();
      const { type } = error as { type?: string };
      if (type === 'entity.too.large')
        return reject(
          new Refusal(
            'too-large',
            'too-large',
            'Too large',
            `The body is larger than ${Math.round(limit / 1024).toLocaleString('en-GB')} KiB, the most that is taken here.`,
          ),
        );
      return reject(error as Error);
    }),
  );
  const body = request.body as unknown;
  const wrong = findUnkeepable(body);
  if (wrong !== undefined)
    throw Refusal.invalid(wrong, 'A text holds a NUL or half of a surrogate pair, which cannot be kept.');
  return body;
}
