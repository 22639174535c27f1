import { explainCapacity, type DomainCapacity } from '@moorage/core/capacity/usable';
import { leastLifePercent } from '@moorage/core/clusters/disk';
import type { Finding, FindingKind } from '@moorage/core/findings/finding';
import { corePools, livePools, type LivePool } from '../pools/pools';
import { thinState } from '@moorage/core/pools/pool';
import { provisioner } from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { Sight } from '../people/sight';
import { readiness } from '../readiness/readiness';
import { findStuckClaims, mostNamed, stuckFinding } from './stuck';

const finding = (
  kind: FindingKind,
  subject: string,
  weight: number,
  facts: Finding['facts'] = {},
  part = '',
): Finding => ({ id: [kind, subject, part].filter(Boolean).join(':'), kind, subject, weight, facts });

interface BackendState {
  id: string;
  reachable: boolean;
  problem: { code: string; detail: string } | null;
  checked_at: Date | null;
  claims: number;
  cap: number | null;
  taken: number;
}

async function ofBackends(database: Database): Promise<Finding[]> {
  const rows = await database.rows<BackendState>(
    `SELECT b.id, b.reachable, b.problem, b.checked_at, b.cap,
       (SELECT count(*) FROM reservations r JOIN pools p ON p.id = r.pool_id WHERE p.backend_id = b.id) AS claims,
       coalesce((SELECT sum(p.reserved_raw) FROM pools p WHERE p.backend_id = b.id), 0)::bigint AS taken
     FROM backends b LIMIT 500`,
  );
  return rows.flatMap((b) => {
    const found: Finding[] = [];
    if (!b.reachable && b.problem) {
      const kind = b.problem.code === 'nonsense' ? 'backend-nonsense' : 'backend-unreachable';
      found.push(finding(kind, b.id, b.claims, { code: b.problem.code, detail: b.problem.detail, claims: b.claims }));
    }
    if (b.cap !== null && b.taken >= 0.9 * b.cap)
      found.push(finding('cap-near', b.id, b.taken / b.cap, { taken: b.taken, cap: b.cap }));
    return found;
  });
}

interface PoolClaims {
  pool_id: string;
  claims: number;
  some: string[];
}

async function ofPools(database: Database): Promise<Finding[]> {
  const [pools, held, gone] = await Promise.all([
    livePools(database, 'all'),
    database.rows<PoolClaims>(
      `SELECT pool_id, count(*) AS claims, (array_agg(namespace || '/' || claim_name ORDER BY namespace, claim_name))[1:${mostNamed}] AS some
       FROM reservations GROUP BY pool_id`,
    ),
    database.rows<{ id: string; largest_usable: number; explained: boolean }>(
      // a change that is under way, or a node that is down, explains why a pool keeps less: it is told there
      `SELECT p.id, p.largest_usable,
         EXISTS (SELECT 1 FROM reshapes r WHERE r.backend_id = p.backend_id AND r.pool = p.name AND r.ended_at IS NULL)
         OR EXISTS (SELECT 1 FROM backend_nodes n JOIN backend_disks d ON d.backend_id = n.backend_id AND d.node = n.name
           WHERE n.backend_id = p.backend_id AND NOT n.up AND d.owner = p.name) AS explained
       FROM pools p LIMIT 5000`,
    ),
  ]);
  const core = corePools(pools);
  const claimsOn = new Map(held.map((h) => [h.pool_id, h]));
  const largest = new Map(gone.map((g) => [g.id, g.explained ? 0 : g.largest_usable]));
  return pools.flatMap((pool) => {
    const on = claimsOn.get(pool.id);
    const claims = { claims: on?.claims ?? 0, some: on?.some ?? [], backend: pool.backend };
    if (pool.goneSince !== null) return [finding('pool-gone', pool.id, claims.claims, claims)];
    const found: Finding[] = [];
    if (pool.facts.readOnly) found.push(finding('pool-read-only', pool.id, claims.claims, claims));
    const copies = usualCopies(pool);
    const thin = thinState(core.get(pool.id)!, copies);
    const most = largest.get(pool.id) ?? 0;
    if (thin.usable < most * 0.995)
      found.push(finding('pool-shrunk', pool.id, most - thin.usable, { ...claims, before: most, now: thin.usable }));
    const fill = thin.usable > 0 ? thin.consumed / thin.usable : 0;
    const facts = {
      fill,
      soft: thin.softMark,
      hard: thin.hardMark,
      consumed: thin.consumed,
      usable: thin.usable,
      ...claims,
    };
    if (fill >= thin.hardMark) found.push(finding('pool-full', pool.id, fill, facts));
    else if (fill >= thin.softMark) found.push(finding('pool-filling', pool.id, fill, facts));
    const stranded = strandedIn(pool);
    if (stranded) found.push(stranded);
    return found;
  });
}

const usualCopies = ({ facts: { redundancy } }: LivePool): number =>
  redundancy.kind === 'spread' && redundancy.scheme.kind === 'copies' ? redundancy.scheme.copies : 1;

function strandedIn(pool: LivePool): Finding | undefined {
  const { redundancy } = pool.facts;
  // while a node is down its disks are missing, not stranded by design
  if (redundancy.kind !== 'spread' || redundancy.domains.some((d) => !d.live)) return undefined;
  const { stranded, raw, strandedBy } = explainCapacity(
    redundancy.domains as (DomainCapacity & { live: boolean })[],
    redundancy.scheme,
  );
  if (stranded < raw * 0.05) return undefined;
  return finding('capacity-stranded', pool.id, stranded, {
    stranded,
    raw,
    backend: pool.backend,
    domains: strandedBy.slice(0, mostNamed).map((d) => d.name),
  });
}

async function ofDisks(database: Database): Promise<Finding[]> {
  const [disks, nodes, volumes] = await Promise.all([
    database.rows<{
      backend_id: string;
      id: string;
      node: string;
      works: boolean;
      failing: boolean;
      life_left: number;
      owner: string;
      copies: number;
      up: boolean | null;
    }>(
      `SELECT d.backend_id, d.id, d.node, d.works, d.failing, d.life_left, d.owner, n.up,
         (SELECT count(*) FROM reservation_copies c WHERE c.disk = d.id) AS copies
       FROM backend_disks d LEFT JOIN backend_nodes n ON n.backend_id = d.backend_id AND n.name = d.node
       WHERE (NOT d.works OR d.failing OR d.life_left < ${leastLifePercent}) AND d.owner IS NOT NULL ORDER BY d.id LIMIT 500`,
    ),
    database.rows<{ backend_id: string; name: string; disks: number; volumes: number; some: string[] | null }>(
      `SELECT n.backend_id, n.name, count(d.id) AS disks, v.volumes, v.some FROM backend_nodes n
       JOIN backend_disks d ON d.backend_id = n.backend_id AND d.node = n.name AND d.owner IS NOT NULL
       CROSS JOIN LATERAL (
         SELECT count(DISTINCT v.volume_id) AS volumes,
           (array_agg(DISTINCT coalesce(r.namespace || '/' || r.claim_name, v.name)))[1:${mostNamed}] AS some
         FROM backend_volumes v CROSS JOIN jsonb_array_elements(v.copies) c LEFT JOIN reservations r ON r.volume_name = v.name
         WHERE v.backend_id = n.backend_id AND v.degraded AND c ->> 'node' = n.name AND c ->> 'state' <> 'Synchronized') v
       WHERE NOT n.up GROUP BY 1, 2, 4, 5 LIMIT 500`,
    ),
    database.rows<{
      pool_id: string;
      backend_id: string;
      count: number;
      syncing: number;
      bytes: number;
      some: string[];
    }>(
      `SELECT v.pool_id, v.backend_id, count(DISTINCT v.volume_id) AS count,
         count(DISTINCT v.volume_id) FILTER (WHERE c ->> 'state' = 'Synchronizing') AS syncing,
         coalesce(sum(v.consumed * (100 - (c ->> 'percent')::numeric) / 100), 0)::bigint AS bytes,
         (array_agg(DISTINCT coalesce(r.namespace || '/' || r.claim_name, v.name)))[1:${mostNamed}] AS some
       FROM backend_volumes v CROSS JOIN jsonb_array_elements(v.copies) c LEFT JOIN reservations r ON r.volume_name = v.name
       LEFT JOIN backend_nodes n ON n.backend_id = v.backend_id AND n.name = c ->> 'node'
       -- what a node that is down keeps is that node's finding
       WHERE v.degraded AND v.reachable AND c ->> 'state' <> 'Synchronized' AND coalesce(n.up, true) GROUP BY 1, 2`,
    ),
  ]);
  return [
    ...disks
      // a disk in a node that is down is the node's finding
      .filter((d) => d.up !== false)
      .map((d) => {
        const facts = { node: d.node, pool: d.owner, copies: d.copies, backend: d.backend_id, lifeLeft: d.life_left };
        if (!d.works) return finding('disk-failed', d.id, d.copies, facts);
        return finding(d.failing ? 'disk-failing' : 'disk-worn', d.id, d.copies, facts);
      }),
    ...nodes.map((n) =>
      finding(
        'node-lost',
        n.name,
        n.disks,
        { disks: n.disks, backend: n.backend_id, volumes: n.volumes, some: n.some ?? [] },
        n.backend_id,
      ),
    ),
    ...volumes.map((v) =>
      finding('copies-missing', v.pool_id, v.count, {
        volumes: v.count,
        syncing: v.syncing,
        bytes: v.bytes,
        backend: v.backend_id,
        some: v.some,
      }),
    ),
  ];
}

async function ofClaims(database: Database): Promise<Finding[]> {
  const [stuck, defaults, adrift] = await Promise.all([
    findStuckClaims(database, Sight.everything),
    database.rows<{ name: string }>(
      `SELECT name FROM platform_objects WHERE plural = 'storageclasses'
         AND body #>> ARRAY['metadata', 'annotations', 'storageclass.kubernetes.io/is-default-class'] = 'true' ORDER BY name`,
    ),
    database.rows<{ backend_id: string; count: number; bytes: number; consumed: number; some: string[] }>(
      `SELECT v.backend_id, count(*) AS count, sum(v.bytes)::bigint AS bytes, sum(v.consumed)::bigint AS consumed,
         (array_agg(v.name ORDER BY v.name))[1:${mostNamed}] AS some
       FROM backend_volumes v WHERE v.name LIKE 'pvc-%' AND NOT EXISTS (
         SELECT 1 FROM reservations r WHERE r.volume_name = v.name AND r.state <> 'adrift')
         AND v.seen_at < now() - interval '1 minute' GROUP BY 1`,
    ),
  ]);
  const classes = await database.one<{ count: number }>(
    `SELECT count(*) FROM platform_objects WHERE plural = 'storageclasses' AND body ->> 'provisioner' = $1`,
    [provisioner],
  );
  const found = stuck.map(stuckFinding);
  if (defaults.length === 0 && (classes?.count ?? 0) > 0) found.push(finding('no-default-class', 'classes', 0));
  if (defaults.length > 1)
    found.push(finding('two-default-classes', 'classes', defaults.length, { some: defaults.map((d) => d.name) }));
  for (const a of adrift)
    found.push(
      finding('volumes-adrift', a.backend_id, a.bytes, {
        volumes: a.count,
        bytes: a.bytes,
        consumed: a.consumed,
        some: a.some,
      }),
    );
  return found;
}

async function ofReshapes(database: Database): Promise<Finding[]> {
  const rows = await database.rows<{
    id: string;
    backend_id: string;
    pool: string;
    kind: string;
    error: { detail: string };
  }>(
    `SELECT r.id, r.backend_id, r.pool, r.kind, op.error FROM reshapes r JOIN operations op ON op.kind = 'reshape' AND op.subject = r.id::text
     WHERE r.ended_at IS NULL AND op.error IS NOT NULL AND op.attempts >= 2 LIMIT 100`,
  );
  return rows.map((r) =>
    finding('change-stalled', r.pool, 1, { backend: r.backend_id, kind: r.kind, detail: r.error.detail }, r.id),
  );
}

/** Nodes that cannot use a backend, one finding for each backend and reason. */
async function ofNodes(database: Database, site: string): Promise<Finding[]> {
  const { cells, nodes } = await readiness(database, site);
  const groups = new Map<string, { kind: FindingKind; backend: string; check: string; of: string; nodes: string[] }>();
  for (const cell of cells)
    for (const check of cell.checks) {
      if (check.state === 'passed') continue;
      // one way missing of several that work is a matter of time, not of claims
      const kind: FindingKind =
        check.check === 'export' ? 'export-misses-node' : cell.state === 'unready' ? 'node-unready' : 'paths-missing';
      const key = [kind, cell.backend, check.check, check.of ?? ''].join(':');
      const group = groups.get(check.check === 'export' ? `${kind}:${cell.backend}` : key) ?? {
        kind,
        backend: cell.backend,
        check: check.check,
        of: check.check === 'export' ? '' : (check.of ?? ''),
        nodes: [],
      };
      group.nodes.push(cell.node);
      groups.set(check.check === 'export' ? `${kind}:${cell.backend}` : key, group);
    }
  const addressOf = new Map(nodes.map((n) => [n.name, n.addresses[0] ?? '']));
  return [...groups.values()].map((g) =>
    finding(
      g.kind,
      g.backend,
      g.nodes.length,
      {
        check: g.check,
        of: g.of,
        nodes: g.nodes.slice(0, mostNamed),
        addresses: g.nodes.slice(0, mostNamed).map((n) => addressOf.get(n) ?? ''),
      },
      [g.check, g.of].filter(Boolean).join(':'),
    ),
  );
}

/** Everything that needs a person now, from the mirrored state of both worlds. */
export async function detectFindings(
  database: Database,
  site: string,
  platformProblems: readonly { readonly part: string; readonly detail: string }[],
): Promise<Finding[]> {
  const parts = await Promise.all([
    ofBackends(database),
    ofPools(database),
    ofDisks(database),
    ofClaims(database),
    ofReshapes(database),
    ofNodes(database, site),
  ]);
  const lost = platformProblems.map((p) => finding('platform-lost', p.part, 1, { detail: p.detail }));
  return [...parts.flat(), ...lost];
}
