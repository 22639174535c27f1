import type { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import { reservations } from '../reservations/reservation-model';
import type { BackendVolume } from '../swordfish/connector';
import { takeMinuteOf } from '../usage/sampling';

const GiB = 2 ** 30;
const minuteMs = 60_000;

/** Two backends with a pool each, and three claims of two namespaces: two on the one and one on the other, as if made at a moment. */
export async function seedUse(database: Database, madeAt: Date): Promise<void> {
  await database.rows(`INSERT INTO backends (id, title, address, username, secret)
    VALUES ('basalt', 'B', 'http://b', 'u', ''), ('kelp', 'K', 'http://k', 'u', '')`);
  await database.rows(`INSERT INTO pools (id, backend_id, name, path, facts)
    VALUES ('p0', 'basalt', 'p0', '/p0', '{"consumedRaw": 900}'), ('p1', 'kelp', 'p1', '/p1', '{"consumedRaw": 500}')`);
  for (const [i, pool, namespace] of [
    [0, 'p0', 'n0'],
    [1, 'p0', 'n1'],
    [2, 'p1', 'n1'],
  ] as const) {
    await platformObjects.in(database).create({
      ...({ plural: 'persistentvolumeclaims', uid: `u${i}`, namespace, name: `c${i}`, version: '1' } as const),
      ...{ body: { metadata: {} } as never, className: 'general', phase: 'Bound', sizeBytes: GiB, createdAt: madeAt },
    });
    await reservations.in(database).create({
      ...{ claimUid: `u${i}`, namespace, claimName: `c${i}`, className: 'general', reclaim: 'Delete', poolId: pool },
      ...{ bytes: GiB, rawBytes: GiB, iopsFloor: 0, backendIops: 0, volumeName: `v${i}`, volumeId: `id${i}` },
      createdAt: madeAt,
    } as never);
  }
  const moment = madeAt.toISOString();
  await database.rows(
    `UPDATE uses SET from_at = '${moment}', until_at = CASE WHEN until_at IS NOT NULL THEN '${moment}'::timestamptz END`,
  );
  await database.rows(`UPDATE use_changes SET at = '${moment}'`);
}

/** The volume of the claim of a number, as its backend tells of it. */
export const usedVolume = (i: number, consumed: number, counted?: BackendVolume['counted']): BackendVolume => ({
  ...{ id: `id${i}`, name: `v${i}`, pool: 'p0', bytes: GiB, consumed, ready: true, degraded: false, offline: false },
  ...(counted && { counted }),
  copies: [],
});

/** The minute of a number since a moment, told by a backend. */
export const tellOf =
  (database: Database, begin: Date) =>
  (backend: string, n: number, volumes: readonly BackendVolume[]): Promise<void> => {
    const at = new Date(begin.getTime() + n * minuteMs);
    return takeMinuteOf(database, backend, volumes, at, at);
  };
