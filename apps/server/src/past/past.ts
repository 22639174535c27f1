import type { Past, PastClaims, pastClaimsQuerySchema } from '@moorage/contract/past';
import type { z } from 'zod';
import { anywhere, cursorText, readCursor } from '../database/cursor';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { ageOf, momentOf } from '../usage/use';
import {
  claimsThen,
  claimsThenTotal,
  heldThen,
  mooringsNoted,
  mooringsThen,
  poolsThen,
  type HeldThenRow,
} from './past.sql';

const most = 100;

/** What is on each pool together. */
function byPool(held: readonly HeldThenRow[]) {
  const found = new Map<string, { claims: number; provisioned: number; footprint: number; reserved: number }>();
  for (const h of held) {
    const sum = found.get(h.pool_id) ?? { claims: 0, provisioned: 0, footprint: 0, reserved: 0 };
    found.set(h.pool_id, {
      claims: sum.claims + h.claims,
      provisioned: sum.provisioned + h.provisioned,
      footprint: sum.footprint + h.footprint,
      reserved: sum.reserved + h.milli_iops / 1000,
    });
  }
  return found;
}

/** Pools and moorings as they were at a moment. What is on a pool is of everybody; what classes keep there as far as a person sees it. */
export async function getPast(database: Database, sight: Sight, asked: string): Promise<Past> {
  const { at, now, since } = await momentOf(database, asked);
  const pools = await poolsThen[ageOf(now.getTime() - at.getTime())](database, at);
  const all = await heldThen(database, at, null);
  const seen = sight.isWhole ? all : await heldThen(database, at, sight.namespaces);
  const onPool = byPool(all);
  const noted = await first(mooringsNoted(database));
  return {
    at: at.toISOString(),
    since: since?.toISOString() ?? null,
    pools: pools.map(({ id, fact, is_guess, tier, written, iops, latency }) => ({
      ...{ id, ...fact, isGuess: is_guess, tier, written, operations: iops, latency },
      ...(onPool.get(id) ?? { claims: 0, provisioned: 0, footprint: 0, reserved: 0 }),
    })),
    moorings: (await mooringsThen(database, at)).map(({ name, fact }) => {
      const slash = name.indexOf('/');
      return { className: name.slice(0, slash), pool: name.slice(slash + 1), ...fact };
    }),
    mooringsSince: noted?.since?.toISOString() ?? null,
    held: seen.map((h) => ({
      ...{ className: h.class_name, pool: h.pool_id, claims: h.claims, bytes: h.provisioned, raw: h.footprint },
    })),
  };
}

/** Claims of a namespace as they were at a moment. */
export async function listPastClaims(
  database: Database,
  sight: Sight,
  query: z.infer<typeof pastClaimsQuerySchema>,
): Promise<PastClaims> {
  const { at } = await momentOf(database, query.at);
  const after = readCursor(query.cursor, 'name', (value) => value.length <= 253);
  const { namespace, q, pool, backend, application } = query;
  const asked = [
    ...([at, sight.sees(namespace) ? namespace : ''] as const),
    ...([query.class ?? null, pool ?? null, backend ?? null, application ?? null, q ? anywhere(q) : null] as const),
  ] as const;
  const rows = await claimsThen(database, ...asked, after?.value ?? '', after?.uid ?? '', most + 1);
  const page = rows.slice(0, most);
  const last = page.at(-1);
  return {
    at: at.toISOString(),
    claims: page.map((c) => ({
      ...{ uid: c.uid, name: c.name, className: c.class_name, pool: c.pool_id || null, application: c.application },
      ...{ isBound: c.unbound === 0, requested: c.requested, provisioned: c.provisioned, footprint: c.footprint },
      ...{ reserved: c.milli_iops / 1000, isThere: c.is_there },
    })),
    next: rows.length > most && last ? cursorText({ sort: 'name', value: last.name, uid: last.uid }) : null,
    total: (await first(claimsThenTotal(database, ...asked)))!,
  };
}
