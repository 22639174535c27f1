/** How a server's mirror and list of claims carry a large platform, in an empty database: `node listing-harness.mjs URL CLAIMS SECONDS`. Prints JSON. */
import { claimQuerySchema } from '@moorage/contract/claims';
import { setTimeout as pause } from 'node:timers/promises';
import pg from 'pg';
import pino from 'pino';
import { onClaims } from '../binder/begin';
import { listClaims } from '../claims/claims';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { onClaims as onGrowingClaims } from '../growth/begin';
import { Mirror } from '../mirror/mirror';
import { Sight } from '../people/sight';
import type { PlatformConnector, PlatformEvent, PlatformObject, Plural } from '../platform/connector';
import { onClaims as onTunedClaims } from '../tuning/begin';

const [url = '', count = '100000', seconds = '60'] = process.argv.slice(2);
const claims = Number(count);
const perSecond = 500;

const namespaces = Array.from({ length: 200 }, (_, i) => `team-${i}`);
const claim = (i: number, version: number): PlatformObject => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: {
    ...{ name: `claim-${i}`, namespace: namespaces[i % namespaces.length]!, uid: `uid-${i}` },
    ...{ resourceVersion: String(version), labels: { touched: String(version) } },
    creationTimestamp: new Date(1_700_000_000_000 + i * 1000).toISOString(),
  },
  spec: {
    ...{ accessModes: ['ReadWriteOnce'], volumeMode: 'Filesystem', storageClassName: `class-${i % 40}` },
    ...{ volumeName: `pvc-uid-${i}`, resources: { requests: { storage: `${1 + (i % 90)}Gi` } } },
  },
  status: { phase: 'Bound', capacity: { storage: `${1 + (i % 90)}Gi` } },
});

let tell: ((event: PlatformEvent) => void) | undefined;
/** A platform of claims alone, which answers at once. */
const platform: Pick<PlatformConnector, 'pages' | 'watch'> = {
  async *pages(plural: Plural) {
    const count = plural === 'persistentvolumeclaims' ? claims : 0;
    for (let from = 0; from < Math.max(1, count); from += 500)
      yield await Promise.resolve({
        items: Array.from({ length: Math.min(500, count - from) }, (_, i) => claim(from + i, 1)),
        version: '1',
      });
  },
  watch: async (plural, _version, onEvent, signal) => {
    if (plural === 'persistentvolumeclaims') tell = onEvent;
    await new Promise<void>((resolve) => signal.addEventListener('abort', () => resolve(), { once: true }));
  },
};

const database = new Database(url);
const byHand = new pg.Client({ connectionString: url });
const one = async <T extends object>(text: string, values: unknown[] = []): Promise<T> =>
  (await byHand.query<T>(text, values)).rows[0]!;

async function until(what: () => Promise<boolean>): Promise<void> {
  while (!(await what())) await pause(50);
}

const percentile = (all: readonly number[], share: number): number =>
  all.toSorted((a, b) => a - b)[Math.min(all.length - 1, Math.floor(all.length * share))]!;

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return performance.now() - began;
}

/** The first listing, then changes at a rate, and how far behind the mirror is when they end. */
async function mirror() {
  const log = pino({ level: 'silent' });
  const hears = {
    persistentvolumeclaims: async (changed: readonly PlatformObject[], gone: readonly PlatformObject[]) => {
      await onClaims(database, changed, gone);
      await onGrowingClaims(database, changed, gone);
      await onTunedClaims(database, changed);
    },
  };
  const running = new Mirror(database, platform as PlatformConnector, hears, () => undefined, log);
  const listMs = await timed(async () => {
    running.start();
    const known = async () =>
      (await one<{ n: string }>(`SELECT count(*) AS n FROM platform_objects WHERE plural = 'persistentvolumeclaims'`))
        .n;
    await until(async () => Number(await known()) === claims && tell !== undefined);
  });
  let version = 2;
  const total = perSecond * Number(seconds);
  const began = performance.now();
  for (let sent = 0; sent < total;) {
    const due = Math.min(total, Math.floor(((performance.now() - began) / 1000) * perSecond));
    for (; sent < due; sent++) tell!({ type: 'MODIFIED', object: claim((sent * 7919) % claims, version++) });
    await pause(20);
  }
  const sentMs = performance.now() - began;
  const behindMs = await timed(() =>
    until(async () => {
      const { version: last } = await one<{ version: string }>(
        `SELECT version FROM mirror_state WHERE plural = 'persistentvolumeclaims'`,
      );
      return Number(last) === version - 1;
    }),
  );
  await running.stop();
  return { listMs, changes: total, perSecond: total / (sentMs / 1000), behindMs };
}

/** What the claims hold, as the binder would have written it. */
async function reserve(): Promise<void> {
  await byHand.query(`INSERT INTO backends (id, title, address, username, secret) VALUES ('b', 'b', 'x', 'x', '')`);
  await byHand.query(
    `INSERT INTO pools (id, backend_id, name, path, facts) SELECT 'pool-' || i, 'b', 'pool-' || i, '/p' || i, '{}' FROM generate_series(0, 199) i`,
  );
  await byHand.query(
    `INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor, backend_iops,
       volume_name, volume_id, state)
     SELECT o.uid, o.namespace, o.name, o.class_name, 'Delete', 'pool-' || (hashtext(o.uid) & 127), o.size_bytes, o.size_bytes, 0, 0,
       'pvc-' || o.uid, 'v-' || o.uid, 'bound' FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims'`,
  );
  await byHand.query(
    `INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, copies, seen_at)
     SELECT 'b', r.volume_id, r.volume_name, r.pool_id, r.bytes, r.bytes, r.bytes / 3, false, '[]', now() FROM reservations r`,
  );
  await byHand.query('VACUUM ANALYZE');
}

/** What the page shows, by hand: no more joined than it takes. */
const page = (where: string): string =>
  `SELECT o.uid, o.namespace, o.name, o.class_name, o.size_bytes, o.phase, o.created_at, o.body, r.bytes, r.pool_id, r.volume_name,
     r.volume_id, v.consumed
   FROM platform_objects o LEFT JOIN reservations r ON r.claim_uid = o.uid LEFT JOIN pools p ON p.id = r.pool_id
   LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
   WHERE o.plural = 'persistentvolumeclaims' ${where} ORDER BY o.created_at DESC, o.uid DESC LIMIT 101`;
const counts = (where: string): string =>
  `SELECT count(*) FILTER (WHERE o.phase = 'Bound') FROM platform_objects o LEFT JOIN reservations r ON r.claim_uid = o.uid
   WHERE o.plural = 'persistentvolumeclaims' ${where}`;
const matches = `AND (o.namespace ILIKE $1 OR o.name ILIKE $1 OR o.class_name ILIKE $1 OR r.pool_id ILIKE $1 OR o.uid ILIKE $1
   OR r.volume_name ILIKE $1 OR r.volume_id ILIKE $1)`;

async function list() {
  const rounds = 40;
  const ways: Record<string, [object, string, unknown[]]> = {
    'first page': [{}, '', []],
    'of one namespace': [{ namespace: 'team-7' }, 'AND o.namespace = $1', ['team-7']],
    'by a part of a name': [{ q: 'laim-4242' }, matches, ['%laim-4242%']],
  };
  const results: { name: string; ours: number; byHand: number }[] = [];
  for (const [name, [query, where, values]] of Object.entries(ways)) {
    const asked = claimQuerySchema.parse({ limit: '100', ...query });
    const [own, hand]: [number[], number[]] = [[], []];
    // in turns, so that both meet the same machine
    for (let i = -5; i < rounds; i++) {
      const mine = await timed(() => listClaims(database, Sight.everything, asked));
      const theirs = await timed(async () => {
        await byHand.query(page(where), values);
        await byHand.query(counts(where), values);
      });
      if (i < 0) continue;
      own.push(mine);
      hand.push(theirs);
    }
    results.push({ name, ours: percentile(own, 0.99), byHand: percentile(hand, 0.99) });
  }
  return results;
}

await migrate(database, Buffer.alloc(32));
await byHand.connect();
const mirrored = await mirror();
await reserve();
const listed = await list();
await byHand.end();
await database.close();
console.log(JSON.stringify({ claims, ...mirrored, listed }));
process.exit(0);
