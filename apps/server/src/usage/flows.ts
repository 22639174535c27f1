import { mostOnShore, type flowsQuerySchema, type UseFlows, type UseMeasure } from '@moorage/contract/usage';
import type { z } from 'zod';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { ageOf, momentOf } from './use';
import { flowsAt, type UseFlow } from './use.sql';

const mostFlows = 400_000;

const valueOf = (flow: UseFlow, measure: UseMeasure): number | null =>
  measure === 'iops' ? flow.milli_iops / 1000 : measure === 'price' ? flow.micros : flow[measure];

/** Names of one shore by what they use, and the place of each: those that use least share the last. */
function shoreOf(values: ReadonlyMap<string, number>) {
  const names = [...values.keys()].sort((a, b) => values.get(b)! - values.get(a)! || (a < b ? -1 : 1));
  const merged = names.length > mostOnShore ? names.length - mostOnShore + 1 : 0;
  const shown = names.slice(0, names.length - merged);
  const place = new Map(names.map((name, i) => [name, Math.min(i, shown.length)]));
  return { shore: { names: merged > 0 ? [...shown, ''] : shown, merged }, place };
}

/** What namespaces use of which class on which pool at a moment, as far as a person sees it. */
export async function getFlows(
  database: Database,
  sight: Sight,
  { measure, at: asked }: z.infer<typeof flowsQuerySchema>,
  currency: string,
): Promise<UseFlows> {
  const { at, now } = await momentOf(database, asked);
  const rows = await flowsAt[ageOf(now.getTime() - at.getTime())](database, at, sight.namespaces, mostFlows + 1);
  if (rows.length > mostFlows)
    throw Refusal.invalid('measure', `More than ${mostFlows} flows: look at the grid, by class or pool.`);
  const known = rows.flatMap((row) => {
    const value = valueOf(row, measure);
    return value === null || value === 0 ? [] : [{ ...row, value }];
  });
  const sums = [new Map<string, number>(), new Map<string, number>(), new Map<string, number>()] as const;
  const namesOf = (row: UseFlow) => [row.namespace, row.class_name, row.pool_id] as const;
  for (const row of known) namesOf(row).forEach((name, i) => sums[i]!.set(name, (sums[i]!.get(name) ?? 0) + row.value));
  const shores = sums.map(shoreOf);
  const flows = new Map<string, UseFlows['flows'][number]>();
  for (const row of known) {
    const [namespace, of, pool] = namesOf(row).map((name, i) => shores[i]!.place.get(name)!);
    const key = `${namespace}/${of}/${pool}`;
    const flow = flows.get(key) ?? { namespace: namespace!, class: of!, pool: pool!, value: 0, claims: 0 };
    flow.value += row.value;
    flow.claims += row.claims;
    flows.set(key, flow);
  }
  return {
    ...{ at: at.toISOString(), isPast: asked !== undefined, currency, measure },
    namespaces: shores[0]!.shore,
    classes: shores[1]!.shore,
    pools: shores[2]!.shore,
    flows: [...flows.values()],
    unknown: rows.reduce((sum, row) => sum + (valueOf(row, measure) === null ? row.claims : 0), 0),
  };
}
