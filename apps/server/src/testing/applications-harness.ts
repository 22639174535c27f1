/** How many applications are reckoned and listed, in an empty database: `node applications-harness.js URL COUNT`. Prints JSON. */
import { applicationQuerySchema } from '@moorage/contract/applications';
import pg from 'pg';
import { listApplications } from '../applications/applications';
import { reckonApplications } from '../applications/reckon';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { Sight } from '../people/sight';

const [url = '', count = '10000'] = process.argv.slice(2);
const applications = Number(count);
const database = new Database(url);
const byHand = new pg.Client({ connectionString: url });

/** Sets of three replicas, each with a claim on a pool of 200, on 400 nodes of three zones. */
async function fill(): Promise<void> {
  const object = (plural: string, more: string, from: string) =>
    `INSERT INTO platform_objects (plural, uid, namespace, name, version, body, class_name, phase, size_bytes, created_at) SELECT '${plural}', ${more} FROM ${from}`;
  const sets = `generate_series(0, ${applications - 1}) i`;
  const each = `${sets}, generate_series(0, 2) k`;
  const meta = (name: string) => `'metadata', jsonb_build_object('name', ${name}, 'namespace', 'team-' || i % 200`;
  await byHand.query(
    object(
      'nodes',
      `'node-' || i, '', 'node-' || i, '1', jsonb_build_object('metadata', jsonb_build_object('name', 'node-' || i, 'labels',
         jsonb_build_object('topology.kubernetes.io/zone', 'zone-' || i % 3, 'example/rack', 'rack-' || i % 12))), NULL, NULL, NULL, now()`,
      'generate_series(0, 399) i',
    ),
  );
  await byHand.query(
    object(
      'statefulsets',
      `'set-' || i, 'team-' || i % 200, 'store-' || i, '1', jsonb_build_object(${meta(`'store-' || i`)}), 'spec', jsonb_build_object('replicas', 3,
         'volumeClaimTemplates', jsonb_build_array(jsonb_build_object('metadata', jsonb_build_object('name', 'data'))))), NULL, NULL, NULL,
         now() - i * interval '1 minute'`,
      sets,
    ),
  );
  await byHand.query(
    object(
      'pods',
      `'pod-' || i || '-' || k, 'team-' || i % 200, 'store-' || i || '-' || k, '1', jsonb_build_object(${meta(`'store-' || i || '-' || k`)},
         'ownerReferences', jsonb_build_array(jsonb_build_object('kind', 'StatefulSet', 'name', 'store-' || i, 'uid', 'set-' || i))),
         'spec', jsonb_build_object('nodeName', 'node-' || (i * 7 + k * 131) % 400, 'volumes', jsonb_build_array(jsonb_build_object(
           'persistentVolumeClaim', jsonb_build_object('claimName', 'data-store-' || i || '-' || k)))),
         'status', jsonb_build_object('conditions', jsonb_build_array(jsonb_build_object('type', 'Ready', 'status', CASE WHEN (i + k) % 50 = 0 THEN 'False' ELSE 'True' END)))),
         NULL, 'Running', NULL, now()`,
      each,
    ),
  );
  await byHand.query(
    object(
      'persistentvolumeclaims',
      `'claim-' || i || '-' || k, 'team-' || i % 200, 'data-store-' || i || '-' || k, '1', jsonb_build_object(${meta(`'data-store-' || i || '-' || k`)})),
         'class-' || i % 40, 'Bound', (1 + i % 90) * 1073741824::bigint, now()`,
      each,
    ),
  );
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
     SELECT 'b', r.volume_id, r.volume_name, r.pool_id, r.bytes, r.bytes, r.bytes / 3, false, (SELECT jsonb_agg(jsonb_build_object('disk',
       'd-' || (hashtext(r.claim_uid || c) & 1023), 'node', 'node-' || (hashtext(r.claim_uid || c) & 255), 'state', 'Synchronized', 'percent', 100))
       FROM generate_series(0, 2) c), now() FROM reservations r`,
  );
  await byHand.query('VACUUM ANALYZE');
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return performance.now() - began;
}
const percentile = (all: readonly number[], share: number): number =>
  all.toSorted((a, b) => a - b)[Math.min(all.length - 1, Math.floor(all.length * share))]!;

async function list() {
  const ways: Record<string, [object, string, unknown[], string]> = {
    'first page': [{}, 'true', [], `namespace || '/' || name, uid`],
    'of one namespace': [{ namespace: 'team-7' }, 'namespace = $1', ['team-7'], `namespace || '/' || name, uid`],
    'largest first': [{ sort: 'bytes', direction: 'desc' }, 'true', [], 'bytes DESC, uid DESC'],
    'by a part of a name': [
      { q: 'tore-424' },
      `(namespace ILIKE $1 OR name ILIKE $1 OR array_to_string(classes || pools || nodes || zones, ' ') ILIKE $1)`,
      ['%tore-424%'],
      `namespace || '/' || name, uid`,
    ],
  };
  const results: { name: string; ours: number; byHand: number }[] = [];
  for (const [name, [query, where, values, order]] of Object.entries(ways)) {
    const asked = applicationQuerySchema.parse({ limit: '100', ...query });
    const [own, hand]: [number[], number[]] = [[], []];
    // in turns, so that both meet the same machine
    for (let i = -5; i < 40; i++) {
      const mine = await timed(() => listApplications(database, Sight.everything, asked));
      const theirs = await timed(async () => {
        await byHand.query(`SELECT * FROM applications WHERE ${where} ORDER BY ${order} LIMIT 101`, values);
        await byHand.query(
          `SELECT count(*), count(*) FILTER (WHERE ready < coalesce(wanted, pods)), count(*) FILTER (WHERE worst > 0) FROM applications WHERE ${where}`,
          values,
        );
      });
      if (i < 0) continue;
      own.push(mine);
      hand.push(theirs);
    }
    results.push({ name, ours: percentile(own, 0.95), byHand: percentile(hand, 0.95) });
  }
  return results;
}

await migrate(database, Buffer.alloc(32));
await byHand.connect();
await fill();
const reckonMs = await timed(() => reckonApplications(database));
const [{ n } = { n: '0' }] = (await byHand.query<{ n: string }>('SELECT count(*) AS n FROM applications')).rows;
// one pod changes, with everything there
await byHand.query('VACUUM ANALYZE');
const onceMs = await timed(async () => {
  await byHand.query(`UPDATE platform_objects SET version = '2' WHERE plural = 'pods' AND uid = 'pod-77-1'`);
  await reckonApplications(database);
});
const listed = await list();
await byHand.end();
await database.close();
console.log(JSON.stringify({ applications: Number(n), reckonMs, onceMs, listed }));
process.exit(0);
