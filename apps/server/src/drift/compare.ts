import { fromManifest, readTuned } from '@moorage/core/classes/manifest';
import { tunedClass } from '@moorage/core/classes/allowance';
import { driftsOf, type Declared, type Drift, type OnBackend, type OnPlatform } from '@moorage/core/drift/drift';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { Database } from '../database/database';
import { asRecords } from '../database/statement';
import { announce } from '../live/announce';
import { comparedAfter, comparedOf, takeDrifts, type Compared } from './drift.sql';

/** Volumes compared in one turn: what a turn costs does not grow with their number. */
const perTurn = 500;

function declaredOf(row: Compared): Declared {
  const cls = row.class && tunedClass(fromManifest(row.class).storageClass, readTuned(row.annotations ?? undefined));
  // copies are ours to count where the backend lists them; an array's inner ones are its own affair
  const counts = cls && !cls.shards && (row.seen_copies ?? 0) > 0 && !row.adopted;
  return {
    pool: row.pool_id,
    allowed: row.allowed || row.adopted,
    bytes: row.bytes,
    copies: counts ? cls.copies : null,
    encrypted: cls?.encrypted ?? false,
    iopsCeiling: row.iops_ceiling,
    throughputCeiling: row.throughput_ceiling,
    handle: `${row.backend_id}/${row.volume_id}`,
    reclaim: row.reclaim,
    underWay: row.under_way,
  };
}

/** A volume that is not listed yet, and not known to be gone, is as it is declared. */
function onBackendOf(row: Compared, declared: Declared): OnBackend | undefined {
  if (!row.listed) return undefined;
  if (row.seen_bytes === null) return { ...declared, copies: declared.copies ?? 0 };
  return {
    pool: row.seen_pool!,
    bytes: row.seen_bytes,
    copies: row.seen_copies ?? 0,
    encrypted: row.seen_encrypted,
    iopsCeiling: row.seen_iops_ceiling,
    throughputCeiling: row.seen_throughput_ceiling,
  };
}

interface VolumeSpec {
  readonly capacity?: { readonly storage?: string };
  readonly persistentVolumeReclaimPolicy?: string;
  readonly csi?: { readonly volumeHandle?: string };
}

function onPlatformOf({ pv }: Compared): OnPlatform | undefined {
  if (!pv) return undefined;
  const { capacity, persistentVolumeReclaimPolicy = '', csi } = (pv.spec ?? {}) as VolumeSpec;
  const size = parseQuantity(capacity?.storage ?? '');
  return {
    bytes: size.ok ? size.bytes : 0,
    handle: csi?.volumeHandle ?? '',
    reclaim: persistentVolumeReclaimPolicy,
  };
}

/** What differs of one volume. */
export function compareOne(row: Compared): Drift[] {
  const declared = declaredOf(row);
  return driftsOf(declared, onBackendOf(row, declared), onPlatformOf(row));
}

async function keep(database: Database, rows: readonly Compared[]): Promise<void> {
  const found = rows.flatMap((row) =>
    compareOne(row).map(({ by, ...drift }) => ({
      ...{ claim_uid: row.claim_uid, namespace: row.namespace, made_by: by },
      ...drift,
    })),
  );
  await database.transaction(async () => {
    const news = await takeDrifts(
      database,
      rows.map((r) => r.claim_uid),
      asRecords(found),
    );
    if (news.length > 0) await announce(database, [{ topic: 'claims' }, { topic: 'findings' }]);
  });
}

/** Compares some claims' volumes at once. */
export async function compareClaims(database: Database, claims: readonly string[]): Promise<void> {
  const rows = await comparedOf(database, claims);
  if (rows.length > 0) await keep(database, rows);
}

/** Compares the next volumes after one; gives the last of them, or nothing when the round is over and begins anew. */
export async function compareSome(database: Database, after = ''): Promise<string | undefined> {
  const rows = await comparedAfter(database, after, perTurn);
  if (rows.length > 0) await keep(database, rows);
  return rows.length < perTurn ? undefined : rows[rows.length - 1]!.claim_uid;
}
