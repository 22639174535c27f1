import { usualCopies } from '@moorage/contract/pool-state';
import { explainCapacity, type DomainCapacity } from '@moorage/core/capacity/usable';
import { endangers } from '@moorage/core/drift/drift';
import { provisioner } from '@moorage/core/classes/manifest';
import type { Finding, FindingKind } from '@moorage/core/findings/finding';
import { thinState } from '@moorage/core/pools/pool';
import { findDefaults } from '../classes/listing';
import type { Database } from '../database/database';
import { jumps } from '../forecast/forecast-model';
import { endingSoon } from '../forecast/forecast.sql';
import { corePools, livePools, type LivePool } from '../pools/pools';
import { readiness } from '../readiness/readiness';
import { reserveBytes } from '../usage/room-left';
import { samplingStops } from '../usage/sample-model';
import { bucketFinding, bucketsInNeed } from './buckets.sql';
import {
  adriftVolumes,
  backendStates,
  claimsOnPools,
  countClasses,
  driftsByKind,
  largestEver,
  limitsAsked,
  lostNodes,
  missingCopies,
  stalledChanges,
  standingTogether,
  unwellDisks,
  wasteByKind,
} from './detect.sql';
import { stuckFinding } from './stuck';
import { mostNamed, stuckClaims } from './stuck.sql';

const finding = (
  kind: FindingKind,
  subject: string,
  weight: number,
  facts: Finding['facts'] = {},
  part = '',
): Finding => ({ id: [kind, subject, part].filter(Boolean).join(':'), kind, subject, weight, facts });

async function ofBackends(database: Database): Promise<Finding[]> {
  const rows = await backendStates(database);
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

async function ofPools(database: Database): Promise<Finding[]> {
  const [pools, held, gone] = await Promise.all([
    livePools(database, 'all'),
    claimsOnPools(database),
    largestEver(database),
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
    const empty = (pool.instances ?? []).filter((i) => i.used === 0 && !i.leaving);
    if (empty.length > 0) {
      const bytes = empty.reduce((sum, i) => sum + i.bytes, 0);
      found.push(finding('instances-empty', pool.id, bytes, { instances: empty.length, bytes, backend: pool.backend }));
    }
    return found;
  });
}

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
    unwellDisks(database),
    lostNodes(database),
    missingCopies(database),
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
    stuckClaims(database, null),
    findDefaults(database),
    adriftVolumes(database),
  ]);
  const [classes] = await countClasses(database, provisioner);
  const found = [...stuck.map(stuckFinding), ...(await bucketsInNeed(database, null)).map(bucketFinding)];
  if (defaults.length === 0 && (classes?.count ?? 0) > 0) found.push(finding('no-default-class', 'classes', 0));
  if (defaults.length > 1) found.push(finding('two-default-classes', 'classes', defaults.length, { some: defaults }));
  for (const { kind, actual, count, some } of await driftsByKind(database)) {
    const what = endangers({ kind, actual }) ? 'volumes-endangered' : 'volumes-drifted';
    found.push(finding(what, kind, count, { volumes: count, some }));
  }
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

async function ofWaste(database: Database): Promise<Finding[]> {
  return (await wasteByKind(database)).map(({ kind, count, raw, saved, some }) =>
    finding('waste-found', kind, raw, { count, bytes: raw, saved, some }),
  );
}

async function ofSampling(database: Database): Promise<Finding[]> {
  const stop = await samplingStops.in(database).findByPk(1);
  return stop ? [finding('samples-stopped', 'database', 1, { free: stop.free, reserve: reserveBytes })] : [];
}

async function ofLimits(database: Database): Promise<Finding[]> {
  return (await limitsAsked(database)).map((r) =>
    finding('limits-asked', r.namespace, r.count, { requests: r.count, some: r.some, since: r.since.toISOString() }),
  );
}

/** Days within which what comes to its end is told of. */
const wishedDays = 30;

/** What comes to its end soon, and what changed unlike the days before it. */
async function ofForecasts(database: Database): Promise<Finding[]> {
  const [ending, changed] = await Promise.all([
    endingSoon(database, wishedDays),
    jumps.in(database).findAll({ raw: true, limit: 500 }),
  ]);
  return [
    ...ending.flatMap((r) => {
      // a pool above its hard mark is told of as full
      if (r.kind === 'pool' && r.against === 'hard' && r.state === 'over') return [];
      const facts: Finding['facts'] = {
        ...{ of: r.kind, className: r.class_name, against: r.against, used: r.used, end: r.ends_at },
        ...(r.meets_at !== null && { meets: r.meets_at.getTime() }),
      };
      const isNear = r.kind === 'namespace' && (r.state === 'over' || r.used >= 0.9 * r.ends_at);
      const weight = r.ends_at > 0 ? r.used / r.ends_at : 1;
      return [finding(isNear ? 'limit-near' : 'runway-short', r.name, weight, facts, `${r.kind}:${r.class_name}`)];
    }),
    ...changed.map((j) => {
      const kind = j.kind === 'price' ? 'price-risen' : j.change >= j.usual ? 'growth-sudden' : 'drop-sudden';
      return finding(kind, j.namespace, Math.abs(j.change - j.usual), { change: j.change, usual: j.usual });
    }),
  ];
}

async function ofReshapes(database: Database): Promise<Finding[]> {
  const rows = await stalledChanges(database);
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

/** What stands together, one finding for each kind of place. */
export async function togetherFindings(database: Database, namespaces: readonly string[] | null): Promise<Finding[]> {
  return (await standingTogether(database, namespaces)).map(({ of, level, count, some }) =>
    finding(
      of === 'replicas' ? 'replicas-together' : 'copies-together',
      level,
      count,
      { applications: count, some, of },
      of,
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
    ofLimits(database),
    ofWaste(database),
    ofSampling(database),
    ofForecasts(database),
    ofReshapes(database),
    ofNodes(database, site),
    togetherFindings(database, null),
  ]);
  const lost = platformProblems.map((p) => finding('platform-lost', p.part, 1, { detail: p.detail }));
  return [...parts.flat(), ...lost];
}
