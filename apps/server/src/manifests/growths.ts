import type { PlannedManifest } from '@moorage/contract/manifests';
import type { PlannedObject } from '@moorage/core/acts/manifest-plan';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { Database } from '../database/database';
import { growthVerdicts } from '../rounds/plan';
import { claimsNamed } from '../rounds/rounds.sql';

/** Claims whose growth is reckoned beforehand; of more in one text nothing is said. */
const mostReckoned = 500;

const sizePath = 'spec.resources.requests.storage';

/** What becomes of the volumes of claims that a text lets ask for more, by the place of the object in it. */
export async function growthsIn(
  database: Database,
  site: string,
  planned: readonly PlannedObject[],
): Promise<Map<number, PlannedManifest['growth']>> {
  const asking = planned.flatMap(({ fate, manifest, changes }, at) => {
    const to = changes.find((c) => c.path === sizePath)?.to;
    const size = fate === 'changed' && manifest.kind === 'PersistentVolumeClaim' && to ? parseQuantity(to) : undefined;
    return size?.ok ? [{ at, size: size.bytes, ...manifest.metadata }] : [];
  });
  if (asking.length === 0 || asking.length > mostReckoned) return new Map();
  const known = await claimsNamed(
    database,
    asking.map((a) => a.namespace ?? ''),
    asking.map((a) => a.name),
  );
  const found = asking.flatMap((a) => {
    const row = known.find((k) => k.namespace === a.namespace && k.name === a.name);
    return row ? [{ ...a, uid: row.uid }] : [];
  });
  const verdicts = await growthVerdicts(database, site, found);
  return new Map(
    found.flatMap(({ at, uid }) => {
      const { failed = null, refusal = null, addedRaw = 0 } = verdicts.get(uid)!;
      // no volume of ours, or nothing added: there is nothing to say
      if (refusal !== null && refusal !== 'does-not-fit') return [];
      return [[at, { addedRaw, failed }] as const];
    }),
  );
}
