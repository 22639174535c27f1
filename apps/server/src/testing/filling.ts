import type pg from 'pg';

/** How large a made-up site is. The same seed makes the same site, but for its times, which end now. */
export interface SiteSize {
  readonly claims: number;
  readonly namespaces: number;
  readonly classes: number;
  readonly pools: number;
  readonly seed: number;
}

const poolsEach = 10;
/** Replicas of an application, and claims of it. */
const replicas = 3;
const nodes = 48;
const GiB = 2 ** 30;
const stamp = (of: string) => `to_char((${of}) AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
const object = (kind: string, apiVersion: string, metadata: string, rest: string) =>
  `jsonb_build_object('apiVersion', '${apiVersion}', 'kind', '${kind}', 'metadata', jsonb_build_object(${metadata}, 'generation', 1), ${rest})`;
const into =
  'INSERT INTO platform_objects (plural, uid, namespace, name, version, body, class_name, phase, size_bytes, created_at)';

/** What a site is made of, one step after the other; `$` of a draw is the number of what is drawn for. */
function steps({
  claims,
  namespaces,
  classes,
  pools,
  seed,
}: SiteSize): readonly (readonly [what: string, sql: string])[] {
  const id = (what: string, of: string) => `md5('${seed} ${what} ' || ${of})::uuid::text`;
  const draw = (what: number, of: string, among: number) =>
    `((hashint8extended((${of})::bigint, ${seed * 100 + what}) & 2147483647) % ${among})::integer`;
  const backends = Math.ceil(pools / poolsEach);
  const moored = Math.min(poolsEach, pools);
  /** Every fourth backend is a cluster that keeps copies on disks which we choose. */
  const isCluster = `${'b'} % 4 = 3`;
  const version = `'1000000'`;
  return [
    [
      'backends and pools',
      `INSERT INTO backends (id, title, address, username, secret, reachable, healthy, checked_at, sites, identity)
         SELECT 'reef-' || lpad((b + 1)::text, 2, '0'), 'Reef ' || (b + 1), 'http://127.0.0.1:9', 'moorage', '', true, true, now(), '{quayside}', ${id('backend', 'b')}
         FROM generate_series(0, ${backends - 1}) b ON CONFLICT (id) DO NOTHING;
       CREATE TEMP TABLE site_pools AS SELECT p, b, 'reef-' || lpad((b + 1)::text, 2, '0') AS backend,
         'reef-' || lpad((b + 1)::text, 2, '0') || '-' || chr(97 + p % ${poolsEach}) AS id, ${isCluster} AS cluster
         FROM (SELECT p, p / ${poolsEach} AS b FROM generate_series(0, ${pools - 1}) p) s;
       CREATE TEMP TABLE site_disks AS SELECT s.p, s.id AS pool, s.backend, n, k, 'eui.00253890' || lpad(to_hex(s.p * 256 + n * 2 + k), 8, '0') AS disk,
         'hull-' || lpad((s.b + 1)::text, 2, '0') || '-' || n AS node FROM site_pools s, generate_series(0, 11) n, generate_series(0, 1) k WHERE s.cluster`,
    ],
    [
      'claims, drawn',
      `CREATE TEMP TABLE site AS SELECT i, g, k, ns, 'team-' || lpad((ns + 1)::text, 4, '0') AS namespace,
         'data-keel-' || g || '-' || k AS name, c, 'berth-' || lpad((c + 1)::text, 2, '0') AS class, s.p, s.id AS pool, s.backend, s.cluster,
         gib * ${GiB}::bigint AS bytes, (CASE WHEN s.cluster THEN 2 ELSE 1 END * gib) * ${GiB}::bigint AS raw,
         gib * ${GiB}::bigint / 100 * (20 + ${draw(5, 'i', 60)}) AS consumed, date_trunc('second', now()) - (1 + ${draw(6, 'g', 59 * 1440)}) * interval '1 minute' AS created,
         ${id('claim', 'i')} AS uid, ${id('volume', 'i')} AS volume,
         -- of a hundred applications one waits, of two hundred one was deleted and its volumes kept
         CASE WHEN g % 100 = 17 THEN 'waiting' WHEN g % 200 = 33 THEN 'adrift' ELSE 'bound' END AS state
       FROM (SELECT i, i / ${replicas} AS g, i % ${replicas} AS k, ns, ((ns * 7 + ${draw(2, `i / ${replicas}`, 5)} * 11) % ${classes}) AS c,
           1 + ${draw(3, `i / ${replicas}`, 60)} AS gib
         FROM (SELECT i, least(${namespaces - 1}, floor(${namespaces} * power(${draw(1, `i / ${replicas}`, 1_000_000)} / 1000000.0, 1.6)))::integer AS ns
           FROM generate_series(0, ${claims - 1}) i) a) d
       JOIN site_pools s ON s.p = (d.c * 3 + ${draw(4, 'd.i', moored)}) % ${pools};
       CREATE UNIQUE INDEX ON site (i); ANALYZE site`,
    ],
    [
      'namespaces, nodes, classes',
      `${into} SELECT 'namespaces', ${id('namespace', 'i')}, '', 'team-' || lpad((i + 1)::text, 4, '0'), ${version},
         ${object(
           'Namespace',
           'v1',
           `'uid', ${id('namespace', 'i')}, 'name', 'team-' || lpad((i + 1)::text, 4, '0'), 'resourceVersion', ${version}, 'creationTimestamp', ${stamp(`now() - interval '90 days'`)},
           'labels', jsonb_build_object('orrin-sound.example/team', 'crew-' || i % 40)`,
           `'status', jsonb_build_object('phase', 'Active')`,
         )}, NULL, 'Active', NULL, now() - interval '90 days'
         FROM generate_series(0, ${namespaces - 1}) i ON CONFLICT DO NOTHING;
       ${into} SELECT 'nodes', ${id('node', 'i')}, '', 'pier-' || i, ${version},
         ${object(
           'Node',
           'v1',
           `'uid', ${id('node', 'i')}, 'name', 'pier-' || i, 'resourceVersion', ${version}, 'creationTimestamp', ${stamp(`now() - interval '90 days'`)},
           'labels', jsonb_build_object('topology.kubernetes.io/zone', (ARRAY['north', 'middle', 'south'])[1 + i % 3])`,
           `'spec', '{}'::jsonb, 'status', jsonb_build_object('conditions', '[{"type": "Ready", "status": "True"}]'::jsonb, 'addresses', jsonb_build_array(jsonb_build_object('type', 'InternalIP', 'address', '10.40.' || i / 200 || '.' || 1 + i % 200)),
             'capacity', '{"cpu": "64", "memory": "512Gi", "pods": "9000"}'::jsonb, 'allocatable', '{"cpu": "64", "memory": "512Gi", "pods": "9000"}'::jsonb)`,
         )}, NULL, NULL, NULL, now() - interval '90 days'
         FROM generate_series(0, ${nodes - 1}) i ON CONFLICT DO NOTHING;
       ${into} SELECT 'csinodes', ${id('csinode', 'i')}, '', 'pier-' || i, ${version},
         ${object(
           'CSINode',
           'storage.k8s.io/v1',
           `'uid', ${id('csinode', 'i')}, 'name', 'pier-' || i, 'resourceVersion', ${version}, 'creationTimestamp', ${stamp(`now() - interval '90 days'`)}`,
           `'spec', jsonb_build_object('drivers', jsonb_build_array(jsonb_build_object('name', 'vast-moorage.example', 'nodeID', 'pier-' || i, 'topologyKeys', '["topology.kubernetes.io/zone"]'::jsonb, 'allocatable', '{"count": 9000}'::jsonb)))`,
         )}, NULL, NULL, NULL, now() - interval '90 days'
         FROM generate_series(0, ${nodes - 1}) i ON CONFLICT DO NOTHING;
       ${into} SELECT 'storageclasses', ${id('class', 'i')}, '', 'berth-' || lpad((i + 1)::text, 2, '0'), ${version},
         ${object(
           'StorageClass',
           'storage.k8s.io/v1',
           `'uid', ${id('class', 'i')}, 'name', 'berth-' || lpad((i + 1)::text, 2, '0'), 'resourceVersion', ${version}, 'creationTimestamp', ${stamp(`now() - interval '90 days'`)}`,
           `'provisioner', 'vast-moorage.example', 'parameters', jsonb_build_object('vast-moorage.example/copies', '2', 'vast-moorage.example/strategy', 'spread'), 'reclaimPolicy', 'Delete', 'volumeBindingMode', 'Immediate', 'allowVolumeExpansion', true`,
         )}, NULL, NULL, NULL, now() - interval '90 days'
         FROM generate_series(0, ${classes - 1}) i ON CONFLICT DO NOTHING`,
    ],
    [
      'claims',
      `${into} SELECT 'persistentvolumeclaims', uid, namespace, name, ${version},
         ${object(
           'PersistentVolumeClaim',
           'v1',
           `'uid', uid, 'name', name, 'namespace', namespace, 'resourceVersion', ${version}, 'creationTimestamp', ${stamp('created')}, 'labels', jsonb_build_object('app', 'keel-' || g), 'finalizers', '["kubernetes.io/pvc-protection"]'::jsonb`,
           `'spec', jsonb_build_object('accessModes', '["ReadWriteOnce"]'::jsonb, 'volumeMode', 'Filesystem', 'storageClassName', class, 'resources', jsonb_build_object('requests', jsonb_build_object('storage', bytes / ${GiB} || 'Gi')))
              || CASE state WHEN 'bound' THEN jsonb_build_object('volumeName', 'pvc-' || uid) ELSE '{}' END,
            'status', CASE state WHEN 'bound' THEN jsonb_build_object('phase', 'Bound', 'accessModes', '["ReadWriteOnce"]'::jsonb, 'capacity', jsonb_build_object('storage', bytes / ${GiB} || 'Gi')) ELSE '{"phase": "Pending"}' END`,
         )}, class, CASE state WHEN 'bound' THEN 'Bound' ELSE 'Pending' END, bytes, created FROM site WHERE state <> 'adrift' ORDER BY i`,
    ],
    [
      'persistent volumes',
      `${into} SELECT 'persistentvolumes', ${id('pv', 'i')}, '', 'pvc-' || uid, ${version},
         ${object(
           'PersistentVolume',
           'v1',
           `'uid', ${id('pv', 'i')}, 'name', 'pvc-' || uid, 'resourceVersion', ${version}, 'creationTimestamp', ${stamp('created')}, 'annotations', '{"pv.kubernetes.io/provisioned-by": "vast-moorage.example"}'::jsonb, 'finalizers', '["kubernetes.io/pv-protection"]'::jsonb`,
           `'spec', jsonb_build_object('csi', jsonb_build_object('driver', 'vast-moorage.example', 'volumeHandle', backend || '/' || volume, 'volumeAttributes', jsonb_build_object('pool', pool, 'protocol', 'iSCSI')),
              'capacity', jsonb_build_object('storage', bytes / ${GiB} || 'Gi'), 'claimRef', jsonb_build_object('apiVersion', 'v1', 'kind', 'PersistentVolumeClaim', 'name', name, 'namespace', namespace, 'uid', uid),
              'volumeMode', 'Filesystem', 'accessModes', '["ReadWriteOnce"]'::jsonb, 'storageClassName', class, 'persistentVolumeReclaimPolicy', CASE state WHEN 'adrift' THEN 'Retain' ELSE 'Delete' END),
            'status', jsonb_build_object('phase', CASE state WHEN 'adrift' THEN 'Released' ELSE 'Bound' END)`,
         )}, class, CASE state WHEN 'adrift' THEN 'Released' ELSE 'Bound' END, bytes, created FROM site WHERE state <> 'waiting' ORDER BY i`,
    ],
    [
      'applications and pods',
      // an application of ten runs here; those of the others stand still
      `${into} SELECT 'statefulsets', ${id('set', 'g')}, namespace, 'keel-' || g, ${version},
         ${object(
           'StatefulSet',
           'apps/v1',
           `'uid', ${id('set', 'g')}, 'name', 'keel-' || g, 'namespace', namespace, 'resourceVersion', ${version}, 'creationTimestamp', ${stamp('created')}, 'labels', jsonb_build_object('app', 'keel-' || g)`,
           `'spec', jsonb_build_object('replicas', ${replicas}, 'serviceName', 'keel-' || g, 'podManagementPolicy', 'Parallel', 'selector', jsonb_build_object('matchLabels', jsonb_build_object('app', 'keel-' || g)),
              'template', jsonb_build_object('metadata', jsonb_build_object('labels', jsonb_build_object('app', 'keel-' || g)), 'spec', '{"containers": [{"name": "keel", "image": "orrin-sound.example/keel:4"}]}'::jsonb),
              'volumeClaimTemplates', jsonb_build_array(jsonb_build_object('metadata', '{"name": "data"}'::jsonb, 'spec', jsonb_build_object('accessModes', '["ReadWriteOnce"]'::jsonb, 'storageClassName', class,
                'resources', jsonb_build_object('requests', jsonb_build_object('storage', bytes / ${GiB} || 'Gi')))))),
            'status', jsonb_build_object('replicas', ${replicas}, 'readyReplicas', ${replicas})`,
         )}, NULL, NULL, NULL, created FROM site WHERE k = 0 AND g % 10 = 5 AND i <= ${claims - replicas};
       ${into} SELECT 'pods', ${id('pod', 'i')}, namespace, 'keel-' || g || '-' || k, ${version},
         ${object(
           'Pod',
           'v1',
           `'uid', ${id('pod', 'i')}, 'name', 'keel-' || g || '-' || k, 'namespace', namespace, 'resourceVersion', ${version}, 'creationTimestamp', ${stamp('created')}, 'labels', jsonb_build_object('app', 'keel-' || g, 'apps.kubernetes.io/pod-index', k::text),
            'ownerReferences', jsonb_build_array(jsonb_build_object('apiVersion', 'apps/v1', 'kind', 'StatefulSet', 'name', 'keel-' || g, 'uid', ${id('set', 'g')}, 'controller', true))`,
           `'spec', jsonb_build_object('nodeName', 'pier-' || (g * 7 + k * 17) % ${nodes}, 'volumes', jsonb_build_array(jsonb_build_object('name', 'data', 'persistentVolumeClaim', jsonb_build_object('claimName', name))), 'containers', '[{"name": "keel", "image": "orrin-sound.example/keel:4"}]'::jsonb),
            'status', jsonb_build_object('phase', 'Running', 'conditions', '[{"type": "PodScheduled", "status": "True"}, {"type": "Ready", "status": "True"}]'::jsonb)`,
         )}, NULL, 'Running', NULL, created FROM site WHERE g % 10 = 5 AND g * ${replicas} <= ${claims - replicas};
       INSERT INTO applications_due (what, space, name) SELECT 'owner', '', ${id('set', 'g')} FROM site WHERE k = 0 AND g % 10 = 5 AND i <= ${claims - replicas}`,
    ],
    [
      'what is reserved',
      `INSERT INTO reservations (claim_uid, namespace, claim_name, class_name, reclaim, pool_id, bytes, raw_bytes, iops_floor, backend_iops, volume_name, volume_id, state, created_at, made_at, adrift_since, modes, volume_mode)
         SELECT uid, namespace, name, class, CASE state WHEN 'adrift' THEN 'Retain' ELSE 'Delete' END, pool, bytes, raw, 0, 0, 'pvc-' || uid, volume, state, created, created,
           CASE state WHEN 'adrift' THEN created + interval '1 minute' END, CASE state WHEN 'adrift' THEN '["ReadWriteOnce"]'::jsonb END, CASE state WHEN 'adrift' THEN 'Filesystem' END
         FROM site WHERE state <> 'waiting' ORDER BY i;
       CREATE TEMP TABLE site_copies AS SELECT s.i, s.uid, s.pool, d.disk, d.node, s.bytes FROM site s JOIN site_disks d ON d.p = s.p AND d.k = ${draw(7, 's.i', 2)}
         AND d.n IN (${draw(8, 's.i', 12)}, (${draw(8, 's.i', 12)} + 1 + ${draw(9, 's.i', 11)}) % 12) WHERE s.cluster AND s.state <> 'waiting';
       INSERT INTO reservation_copies (claim_uid, pool_id, disk, node, domain, bytes) SELECT uid, pool, disk, node, node, bytes FROM site_copies`,
    ],
    [
      'volumes, ours and those of others',
      `INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, copies, seen_at, encrypted, ours)
         SELECT s.backend, s.volume, 'pvc-' || s.uid, s.pool, s.bytes, s.raw, s.consumed, false, coalesce(c.copies, '[]'), now(), false, true
         FROM site s LEFT JOIN (SELECT i, jsonb_agg(jsonb_build_object('disk', disk, 'node', node, 'state', 'Synchronized', 'percent', 100)) AS copies FROM site_copies GROUP BY 1) c ON c.i = s.i
         WHERE s.state <> 'waiting';
       INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, copies, seen_at, encrypted)
         SELECT s.backend, ${id('foreign', 'i')}, 'survey-' || i, s.id, 4 * ${GiB}::bigint, 4 * ${GiB}::bigint, ${GiB}, false, '[]', now(), false
         FROM generate_series(0, ${Math.ceil(claims / 200) - 1}) i JOIN site_pools s ON s.p = i % ${pools} WHERE NOT s.cluster`,
    ],
    [
      'operations and decisions',
      `CREATE TEMP TABLE site_traces AS SELECT c, p, jsonb_build_object('candidates', jsonb_build_array(jsonb_build_object('pool', id, 'order', 1,
           'checks', jsonb_build_array(jsonb_build_object('have', 0, 'need', ${GiB}, 'rule', 'subscription', 'unit', 'bytes', 'passed', false))))) AS refused,
           jsonb_build_object('winner', id, 'candidates', jsonb_build_array(jsonb_build_object('pool', id, 'order', 1,
           'checks', jsonb_build_array(jsonb_build_object('have', 'enabled', 'need', 'enabled', 'rule', 'mooring', 'unit', 'text', 'passed', true))))) AS taken
         FROM (SELECT DISTINCT c, p, pool AS id FROM site) s;
       WITH decided AS (
         INSERT INTO decisions (claim_uid, made_at, took_micros, winner, trace, remedies)
           SELECT s.uid, s.created, 120, CASE s.state WHEN 'waiting' THEN NULL ELSE s.pool END, CASE s.state WHEN 'waiting' THEN t.refused ELSE t.taken END, '[]'
           FROM site s JOIN site_traces t ON t.c = s.c AND t.p = s.p WHERE s.state <> 'adrift' ORDER BY s.i RETURNING id, claim_uid
       )
       INSERT INTO operations (kind, subject, state, waiting_for, decision_id, created_at, updated_at, about, namespace, holds, resting, ended_at)
         SELECT 'bind', s.uid, CASE s.state WHEN 'waiting' THEN 'waiting' ELSE 'bound' END, CASE s.state WHEN 'waiting' THEN 'capacity' END, d.id, s.created, s.created,
           s.namespace || '/' || s.name, s.namespace, 'bind', s.state = 'waiting', CASE s.state WHEN 'bound' THEN s.created END
         FROM decided d JOIN site s ON s.uid = d.claim_uid`,
    ],
    [
      'use',
      `INSERT INTO use_keys (namespace, class_name, pool_id, application) SELECT DISTINCT namespace, class, CASE state WHEN 'waiting' THEN '' ELSE pool END, '' FROM site ON CONFLICT DO NOTHING;
       INSERT INTO used_claims (claim_uid) SELECT uid FROM site ON CONFLICT DO NOTHING;
       INSERT INTO uses (claim_uid, part, key_id, claim_name, from_at, claims, unbound, requested, provisioned, footprint, milli_iops)
         SELECT s.uid, '', k.id, s.name, s.created, (s.state <> 'adrift')::integer, (s.state = 'waiting')::integer, CASE s.state WHEN 'adrift' THEN 0 ELSE s.bytes END,
           CASE s.state WHEN 'waiting' THEN 0 ELSE s.bytes END, CASE s.state WHEN 'waiting' THEN 0 ELSE s.raw END, 0
         FROM site s JOIN use_keys k ON k.namespace = s.namespace AND k.class_name = s.class AND k.pool_id = CASE s.state WHEN 'waiting' THEN '' ELSE s.pool END AND k.application = '' ORDER BY s.created;
       INSERT INTO use_changes (at, key_id, claims, unbound, requested, provisioned, footprint, milli_iops)
         SELECT from_at, key_id, claims, unbound, requested, provisioned, footprint, milli_iops FROM uses ORDER BY from_at;
       INSERT INTO claim_mounts (claim_uid, last_at) SELECT uid, now() - ${draw(10, 'i', 40)} * interval '1 day' FROM site WHERE state = 'bound' AND g % 7 <> 3`,
    ],
    [
      'limits, grants, logbook',
      `INSERT INTO limits (namespace, class_name, bytes) SELECT namespace, '', sum(bytes) * 2 FROM site WHERE ns % 2 = 0 GROUP BY 1;
       INSERT INTO class_access (class_name, open) SELECT DISTINCT class, false FROM site WHERE c % 3 = 0;
       INSERT INTO grants (class_name, namespace, person) SELECT DISTINCT class, namespace, 'maren' FROM site WHERE c % 3 = 0;
       INSERT INTO logbook (at, person, action, kind, subject, after) SELECT created, 'maren', 'create', 'claim', namespace || '/' || name, jsonb_build_object('class', class) FROM site WHERE k = 0 ORDER BY created`,
    ],
  ];
}

/** Pools as large as what is on them asks for, with the disks of those that keep copies; moorings of every class. */
function afterwards({ classes, pools }: SiteSize): string {
  const facts = (
    more: string,
  ) => `jsonb_build_object('busy', false, 'iops', 200000, 'zones', '[]'::jsonb, 'access', '["block"]'::jsonb, 'clones', true, 'granule', ${GiB}, 'maximum', ${64 * 1024 * GiB}::bigint,
      'minimum', ${GiB}, 'offsite', false, 'readOnly', false, 'expansion', true, 'protocols', '["iSCSI"]'::jsonb, 'snapshots', true, 'encryption', false, 'throughput', 9000000000, 'compression', false,
      'sharedBlock', false, 'amplification', 1, 'deduplication', false, 'consumedRaw', coalesce(v.consumed, 0), ${more})`;
  return `
    CREATE TEMP TABLE site_held AS SELECT pool_id, sum(raw_bytes) AS raw, sum(bytes) AS bytes FROM reservations GROUP BY 1;
    CREATE TEMP TABLE site_largest AS SELECT d.pool, floor(max(coalesce(c.bytes, 0)) * 8 / 5 / ${GiB} + 64)::bigint * ${GiB} AS capacity
      FROM site_disks d LEFT JOIN (SELECT disk, sum(bytes) AS bytes FROM reservation_copies GROUP BY 1) c ON c.disk = d.disk GROUP BY 1;
    INSERT INTO pools (id, backend_id, name, path, facts, largest_usable, reserved_raw, reserved_bytes)
      SELECT s.id, s.backend, s.id, '/redfish/v1/Storage/' || s.backend || '/StoragePools/' || s.id,
        CASE WHEN s.cluster THEN ${facts(`'disks', d.disks, 'redundancy', jsonb_build_object('kind', 'spread', 'level', 'node', 'scheme', '{"kind": "copies", "copies": 2}'::jsonb, 'domains', d.domains)`)}
        ELSE ${facts(`'disks', '[]'::jsonb, 'redundancy', jsonb_build_object('kind', 'inner', 'usable', floor(coalesce(h.bytes, 0) * 8 / 5 / ${GiB} + 1024)::bigint * ${GiB}, 'survives', 2)`)} END,
        CASE WHEN s.cluster THEN l.capacity * 12 ELSE floor(coalesce(h.bytes, 0) * 8 / 5 / ${GiB} + 1024)::bigint * ${GiB} END, coalesce(h.raw, 0), coalesce(h.bytes, 0)
      FROM site_pools s LEFT JOIN site_held h ON h.pool_id = s.id LEFT JOIN site_largest l ON l.pool = s.id
      LEFT JOIN (SELECT pool_id, sum(consumed * (raw_bytes / bytes))::bigint AS consumed FROM backend_volumes GROUP BY 1) v ON v.pool_id = s.id
      LEFT JOIN LATERAL (SELECT jsonb_agg(jsonb_build_object('id', disk, 'node', node, 'rack', 'rack-' || n / 4, 'zone', (ARRAY['north', 'middle', 'south'])[1 + n / 4], 'media', 'SSD', 'works', true, 'capacity', l.capacity) ORDER BY disk) AS disks,
          (SELECT jsonb_agg(jsonb_build_object('name', node, 'live', true, 'capacity', 2 * l.capacity) ORDER BY node) FROM (SELECT DISTINCT node FROM site_disks x WHERE x.p = s.p) n) AS domains
        FROM site_disks x WHERE x.p = s.p) d ON true;
    INSERT INTO claim_states SELECT uid, namespace, name, class, bytes, created, CASE state WHEN 'bound' THEN 'bound' ELSE 'nothing-fits' END, state <> 'bound' FROM site WHERE state <> 'adrift';
    INSERT INTO backend_nodes (backend_id, name, zone, rack, up) SELECT DISTINCT backend, node, (ARRAY['north', 'middle', 'south'])[1 + n / 4], 'rack-' || n / 4, true FROM site_disks;
    INSERT INTO backend_disks (backend_id, id, node, media, capacity, works, failing, lasting, life_left, use, owner)
      SELECT d.backend, d.disk, d.node, 'SSD', l.capacity, true, false, true, 100, 'free', d.pool FROM site_disks d JOIN site_largest l ON l.pool = d.pool;
    INSERT INTO moorings (class_name, pool_id, rank) SELECT 'berth-' || lpad((c + 1)::text, 2, '0'), s.id, k + 1
      FROM generate_series(0, ${classes - 1}) c CROSS JOIN generate_series(0, ${Math.min(poolsEach, pools) - 1}) k JOIN site_pools s ON s.p = (c * 3 + k) % ${pools};
    SELECT recount_pool(id) FROM pools;
    SELECT recount_namespace(name) FROM platform_objects WHERE plural = 'namespaces'`;
}

/**
 * Fills an empty database, which has its tables, with a site: claims, and all that is kept of them, as the product would have written
 * it. Tells each step before it is done. The connection's account may turn triggers off: what they keep is written with the rest.
 */
export async function fillSite(
  client: pg.Client,
  size: SiteSize,
  tell: (what: string) => void = () => undefined,
): Promise<void> {
  await client.query(`SET session_replication_role = replica; SET work_mem = '256MB'; SET synchronous_commit = off`);
  for (const [what, sql] of steps(size)) {
    tell(what);
    await client.query(sql);
  }
  await client.query('RESET session_replication_role');
  tell('pools and moorings');
  await client.query(afterwards(size));
  tell('statistics');
  await client.query('VACUUM ANALYZE');
}
