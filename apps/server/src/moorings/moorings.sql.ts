import { statement } from '../database/statement';

/** Which sites reach some pools. */
export const sitesOf = statement<{ id: string; sites: string[] }, [pools: readonly string[]]>(
  'SELECT p.id, b.sites FROM pools p JOIN backends b ON b.id = p.backend_id WHERE p.id = ANY($1)',
);

/** Puts the moored pools of a class in order; only what moves is touched. */
export const orderPools = statement<object, [className: string, pools: readonly string[]]>(
  `UPDATE moorings m SET rank = o.rank, version = version + 1 FROM unnest($2::text[]) WITH ORDINALITY AS o(pool, rank)
   WHERE m.class_name = $1 AND m.pool_id = o.pool AND m.rank <> o.rank`,
);
