import { probeBackend } from './probe';
import { followCopies, noteMissing, storeInventory } from './inventory';
import { HttpProblem } from '../http/problem';
import type { Access, Probe } from '@moorage/contract/registration';
import type { Trust } from '@moorage/contract/backends';
import { usable } from '@moorage/core/capacity/usable';
import type { PoolFacts } from '@moorage/contract/backends';
import type { BackendRow } from '@moorage/contract/backends';
import type { Estate } from '../config';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { listPools } from '../pools/pools';
import type { Vault } from '../secrets/vault';
import { BackendProblem, type BackendConnector, type BackendView } from './connector';
import { BackendHttp } from './http';
import { SwordfishConnector } from './swordfish';

interface StoredBackend {
  id: string;
  title: string;
  address: string;
  username: string;
  secret: Buffer;
  sites: string[];
  trust: Trust;
  cap: number | null;
  version: number;
  reachable: boolean;
  healthy: boolean;
  problem: BackendRow['problem'];
  checked_at: Date | null;
}

/** Adds the estate's backends that are missing; credentials are sealed before they reach the database. */
export async function ensureBackends(database: Database, vault: Vault, estate: Estate): Promise<void> {
  for (const { id, title, address, username, password, sites } of estate.backends)
    await database.rows(
      `INSERT INTO backends (id, title, address, username, secret, sites) SELECT $1, $2, $3, $4, $5, $6
       -- one that a person has forgotten stays so
       WHERE NOT EXISTS (SELECT 1 FROM logbook WHERE kind = 'backend' AND action = 'delete' AND subject = $1)
       ON CONFLICT (id) DO UPDATE SET address = excluded.address`,
      [id, title, address, username, vault.seal(password), sites ?? [estate.site]],
    );
}

/** What a pool can keep, by its own scheme. */
const usableOf = ({ redundancy }: PoolFacts): number =>
  redundancy.kind === 'inner'
    ? redundancy.usable
    : usable(
        redundancy.domains.map((d) => d.capacity),
        redundancy.scheme,
      );

/** Whether enough of a volume's copies answer to read it: one whole copy, or as many shards as data was cut into. */
function isReachable(
  copies: readonly { readonly state: string }[],
  redundancy: PoolFacts['redundancy'] | undefined,
): boolean {
  if (copies.length === 0) return true;
  const needed = redundancy?.kind === 'spread' && redundancy.scheme.kind === 'erasure' ? redundancy.scheme.data : 1;
  // a new volume's copies may all be filling; one that replaces a failed copy has nothing to read yet
  return copies.filter((c) => c.state === 'Synchronized').length >= needed || copies.every((c) => c.state !== 'Failed');
}

/** One connector for each backend, made when first needed and kept. */
export class Backends {
  private readonly connectors = new Map<string, BackendConnector>();
  /** Looks in a row that were not answered in time. */
  private readonly late = new Map<string, number>();

  constructor(
    private readonly database: Database,
    private readonly vault: Vault,
    private readonly metrics: Metrics,
    private readonly timeoutMs: number,
  ) {}

  async connector(id: string): Promise<BackendConnector> {
    const known = this.connectors.get(id);
    if (known) return known;
    const row = await this.database.one<StoredBackend>('SELECT * FROM backends WHERE id = $1', [id]);
    if (!row) throw new BackendProblem('not-found', `backend ${id} is not registered`);
    const { address, username, trust } = row;
    const access = { name: id, address, username, trust, password: this.vault.open(row.secret) };
    const connector = new SwordfishConnector(new BackendHttp(access, this.timeoutMs, this.metrics));
    this.connectors.set(id, connector);
    return connector;
  }

  /** Forgets the connection to a backend, so that the next call opens one with what is then stored. Calls under way end by themselves. */
  async renew(id: string): Promise<void> {
    const old = this.connectors.get(id);
    this.connectors.delete(id);
    await old?.close();
  }

  async ids(): Promise<string[]> {
    return (await this.database.rows<{ id: string }>('SELECT id FROM backends ORDER BY id')).map((b) => b.id);
  }

  /** Whether an address can be used as a backend with these credentials, and what is there. */
  probe = (access: Access): Promise<Probe> => probeBackend(access, this.metrics, this.timeoutMs);

  /** Looks at one backend and writes down what it says. Never throws for the backend's own faults. */
  async sync(id: string): Promise<void> {
    const { at: began } = (await this.database.one<{ at: Date }>('SELECT clock_timestamp() AS at'))!;
    let view: BackendView;
    try {
      view = await (await this.connector(id)).fetchView();
    } catch (error) {
      if (!(error instanceof BackendProblem)) throw error;
      // a busy moment is no outage: one answer that is late says nothing yet
      const late = error.code === 'timed-out' ? (this.late.get(id) ?? 0) + 1 : 0;
      this.late.set(id, late);
      if (late !== 1) await this.noteProblem(id, error);
      return;
    }
    this.late.delete(id);
    await this.store(id, view, began);
  }

  private async noteProblem(id: string, { code, message }: BackendProblem): Promise<void> {
    const changed = await this.database.rows(
      `UPDATE backends SET reachable = false, problem = $2::jsonb, checked_at = now()
       WHERE id = $1 AND (reachable OR problem IS DISTINCT FROM $2::jsonb) RETURNING id`,
      [id, JSON.stringify({ code, detail: message })],
    );
    if (changed.length > 0) await announce(this.database, [{ topic: 'backends', subject: id }]);
  }

  /** Identifiers of its pools: their names, unless a pool of another backend has that one already. */
  private async poolIds(id: string, names: readonly string[]): Promise<ReadonlyMap<string, string>> {
    const known = await this.database.rows<{ id: string; backend_id: string; name: string }>(
      'SELECT id, backend_id, name FROM pools WHERE backend_id = $1 OR id = ANY($2)',
      [id, names],
    );
    const own = new Map(known.filter((p) => p.backend_id === id).map((p) => [p.name, p.id]));
    const taken = new Set(known.filter((p) => p.backend_id !== id).map((p) => p.id));
    return new Map(names.map((name) => [name, own.get(name) ?? (taken.has(name) ? `${id}.${name}` : name)]));
  }

  /** `began`: when the backend was asked. What was made since is not in its answer. */
  private async store(id: string, view: BackendView, began: Date): Promise<void> {
    await this.database.transaction(async () => {
      // backends that tell of themselves at the same moment must not take one identifier for two pools
      await this.database.rows('SELECT pg_advisory_xact_lock(4416, 1)');
      const idOf = await this.poolIds(
        id,
        view.pools.map((p) => p.name),
      );
      const pools = view.pools.map((p) => ({
        id: idOf.get(p.name)!,
        name: p.name,
        path: p.path,
        facts: p.facts,
        usable: usableOf(p.facts),
      }));
      const changedPools = await this.database.rows(
        `INSERT INTO pools (id, backend_id, name, path, facts, largest_usable)
         SELECT id, $1, name, path, facts, usable FROM jsonb_to_recordset($2::jsonb)
           AS p(id text, name text, path text, facts jsonb, usable bigint)
         -- a pool that is being commissioned is there when it is whole
         WHERE NOT EXISTS (SELECT 1 FROM reshapes r WHERE r.backend_id = $1 AND r.pool = p.name AND r.kind = 'commission' AND r.ended_at IS NULL)
         ORDER BY id
         ON CONFLICT (id) DO UPDATE SET facts = excluded.facts, path = excluded.path, seen_at = now(), gone_since = NULL,
           largest_usable = greatest(pools.largest_usable, excluded.largest_usable)
         WHERE pools.backend_id = $1 AND (pools.facts IS DISTINCT FROM excluded.facts OR pools.gone_since IS NOT NULL
           OR pools.largest_usable < excluded.largest_usable) RETURNING id`,
        [id, JSON.stringify(pools)],
      );
      const gonePools = await this.database.rows(
        `UPDATE pools SET gone_since = now() WHERE backend_id = $1 AND gone_since IS NULL AND NOT id = ANY($2) RETURNING id`,
        [id, pools.map((p) => p.id)],
      );
      await this.database.rows(
        `DELETE FROM pools p WHERE backend_id = $1 AND gone_since IS NOT NULL
           AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.pool_id = p.id)
           AND NOT EXISTS (SELECT 1 FROM further_copies f WHERE f.pool_id = p.id)
           AND NOT EXISTS (SELECT 1 FROM moorings m WHERE m.pool_id = p.id)`,
        [id],
      );
      const changedDisks = await storeInventory(this.database, id, view);
      const factor = new Map(view.pools.map((p) => [p.name, p.facts.redundancy] as const));
      const raw = (pool: string, bytes: number, copies: number): number => {
        const redundancy = factor.get(pool);
        if (redundancy?.kind !== 'spread') return bytes;
        const { scheme } = redundancy;
        return scheme.kind === 'copies'
          ? bytes * Math.max(1, copies)
          : Math.ceil((bytes * (scheme.data + scheme.parity)) / scheme.data);
      };
      const volumes = view.volumes.map((v) => ({
        volume_id: v.id,
        name: v.name,
        pool_id: idOf.get(v.pool) ?? v.pool,
        bytes: v.bytes,
        raw_bytes: raw(v.pool, v.bytes, v.copies.length),
        consumed: v.consumed,
        degraded: v.degraded,
        reachable: !v.offline && isReachable(v.copies, factor.get(v.pool)),
        copies: v.copies,
      }));
      const changedVolumes = await this.database.rows<{ volume_id: string; gone: boolean }>(
        `WITH fresh AS (
           SELECT * FROM jsonb_to_recordset($2::jsonb) AS v(volume_id text, name text, pool_id text, bytes bigint, raw_bytes bigint,
             consumed bigint, degraded boolean, reachable boolean, copies jsonb)
         ), gone AS (
           DELETE FROM backend_volumes b WHERE backend_id = $1 AND seen_at < $3 AND NOT EXISTS (SELECT 1 FROM fresh f WHERE f.volume_id = b.volume_id) RETURNING volume_id
         ), kept AS (
           INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, reachable, copies, seen_at)
           SELECT $1, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, reachable, copies, $3 FROM fresh
           ON CONFLICT (backend_id, volume_id) DO UPDATE SET name = excluded.name, pool_id = excluded.pool_id, bytes = excluded.bytes, raw_bytes = excluded.raw_bytes,
             consumed = excluded.consumed, degraded = excluded.degraded, reachable = excluded.reachable, copies = excluded.copies
           WHERE (backend_volumes.bytes, backend_volumes.consumed, backend_volumes.degraded, backend_volumes.reachable, backend_volumes.copies)
             IS DISTINCT FROM (excluded.bytes, excluded.consumed, excluded.degraded, excluded.reachable, excluded.copies) RETURNING volume_id
         )
         SELECT volume_id, true AS gone FROM gone UNION ALL SELECT volume_id, false FROM kept`,
        [id, JSON.stringify(volumes), began],
      );
      if (changedVolumes.length > 0) await noteMissing(this.database, id, changedVolumes);
      const changedBackend = await this.database.rows(
        `UPDATE backends b SET reachable = true, healthy = $2, problem = NULL, checked_at = now(), identity = coalesce($4, identity),
           inventory_version = inventory_version + $3
         FROM (SELECT reachable, healthy FROM backends WHERE id = $1) old
         WHERE b.id = $1 RETURNING (NOT old.reachable OR old.healthy <> $2) AS changed`,
        [id, view.healthy, changedDisks + changedPools.length + changedVolumes.length > 0 ? 1 : 0, view.identity],
      );
      const changed =
        changedDisks + changedPools.length + gonePools.length + changedVolumes.length > 0 ||
        (changedBackend[0] as { changed: boolean }).changed;
      if (changedVolumes.length > 0) await followCopies(this.database, id);
      if (changed) await announce(this.database, [{ topic: 'backends', subject: id }, { topic: 'pools' }]);
      if (changedVolumes.length > 0) await announce(this.database, [{ topic: 'namespaces' }]);
    });
  }
}

type Listed = StoredBackend & { degraded: number; nodes: number; disks: number };
const listed = `SELECT b.id, b.title, b.address, b.username, b.sites, b.trust, b.cap, b.version, b.reachable, b.healthy, b.problem, b.checked_at,
  (SELECT count(*) FROM backend_volumes v WHERE v.backend_id = b.id AND v.degraded) AS degraded,
  (SELECT count(*) FROM backend_nodes n WHERE n.backend_id = b.id) AS nodes,
  (SELECT count(*) FROM backend_disks d WHERE d.backend_id = b.id) AS disks FROM backends b`;

const toRow = (b: Listed, pools: BackendRow['pools'], site: string): BackendRow => ({
  id: b.id,
  title: b.title,
  address: b.address,
  username: b.username,
  sites: b.sites,
  serves: b.sites.includes(site),
  trust: b.trust,
  cap: b.cap,
  version: b.version,
  reachable: b.reachable,
  healthy: b.healthy,
  problem: b.problem,
  checkedAt: b.checked_at?.toISOString() ?? null,
  degradedVolumes: b.degraded,
  nodes: b.nodes,
  disks: b.disks,
  pools: pools.filter((p) => p.backend === b.id),
});

export async function listBackends(database: Database, site: string): Promise<BackendRow[]> {
  const [backends, pools] = await Promise.all([
    database.rows<Listed>(`${listed} ORDER BY b.id LIMIT 500`),
    listPools(database),
  ]);
  return backends.map((b) => toRow(b, pools, site));
}

export async function getBackend(database: Database, site: string, id: string): Promise<BackendRow> {
  const [backend, pools] = await Promise.all([
    database.one<Listed>(`${listed} WHERE b.id = $1`, [id]),
    listPools(database),
  ]);
  if (!backend) throw HttpProblem.notFound('backend', id);
  return toRow(backend, pools, site);
}
