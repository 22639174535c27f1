import { planDeletion, type Deletable, type DeletionPlan, type Replicated } from '@moorage/core/claims/deletion';
import { ordinalOf } from '@moorage/core/claims/static';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { claimsOfSets, claimsToDelete, podsOfMany } from './deletion.sql';

interface At {
  readonly namespace: string;
  readonly name: string;
}

type Pods = Awaited<ReturnType<typeof podsOfMany>>;

/** Applications of which claims hold the data of replicas: by the names that the platform gives claims of a template. */
async function replicatedOf(database: Database, claims: readonly At[], pods: Pods): Promise<Replicated[]> {
  const sets = new Map<string, { namespace: string; set: string; application: string; replicas: number | null }>();
  for (const { namespace, name } of claims) {
    const at = ordinalOf(name);
    if (!at) continue;
    const owner = pods.find((p) => p.namespace === namespace && p.claim === name && p.owner !== null);
    const key = `${namespace}/${at.set}`;
    const known = sets.get(key);
    sets.set(key, {
      ...{ namespace, set: at.set, application: owner?.owner ?? known?.application ?? at.set },
      replicas: owner?.replicas ?? known?.replicas ?? null,
    });
  }
  const all = [...sets.values()];
  if (all.length === 0) return [];
  const rows = await claimsOfSets(
    database,
    all.map((s) => s.namespace),
    all.map((s) => s.set),
  );
  return all.flatMap(({ namespace, set, application, replicas }): Replicated[] => {
    const own = rows.filter((r) => r.namespace === namespace && r.set === set);
    // one claim whose name happens to end in a number is no set of replicas
    if (own.length < 2 && (replicas ?? 1) < 2) return [];
    const holding = own.filter((r) => r.has_volume).map((r) => r.name);
    return [{ namespace, application, holding, replicas: Math.max(replicas ?? 0, own.length) }];
  });
}

/** The whole consequence of deleting claims together, as things stand; claims that are not there are left out. */
export async function deletionOf(database: Database, claims: readonly At[]): Promise<DeletionPlan> {
  const namespaces = claims.map((c) => c.namespace);
  const names = claims.map((c) => c.name);
  const rows = await claimsToDelete(database, namespaces, names);
  const pods = await podsOfMany(database, [...new Set(namespaces)], names);
  const deletable = rows.map((row): Deletable => {
    const using = pods.filter((p) => p.namespace === row.namespace && p.claim === row.name);
    return {
      ...{ namespace: row.namespace, name: row.name, pods: using.map((p) => p.pod) },
      application: using.find((p) => p.owner !== null)?.owner ?? null,
      volume:
        row.bytes === null
          ? null
          : {
              ...{ bytes: row.bytes, used: row.used, reclaim: row.reclaim, graceDays: row.grace_days ?? 0 },
              ...{ adopted: row.adopted ?? false, copiesOn: row.copies_on },
            },
    };
  });
  return planDeletion(deletable, await replicatedOf(database, rows, pods));
}

/** The same for one claim that a person sees. */
export async function planDeletionOf(database: Database, sight: Sight, at: At): Promise<DeletionPlan> {
  const plan = sight.sees(at.namespace) ? await deletionOf(database, [at]) : undefined;
  if (!plan || plan.claims.length === 0) throw Refusal.notFound('claim', `${at.namespace}/${at.name}`);
  return plan;
}
