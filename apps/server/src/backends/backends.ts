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
  reachable: boolean;
  healthy: boolean;
  problem: BackendRow['problem'];
  checked_at: Date | null;
}

/** Adds the estate's backends that are missing; credentials are sealed before they reach the database. */
export async function ensureBackends(database: Database, vault: Vault, backends: Estate['backends']): Promise<void> {
  for (const { id, title, address, username, password } of backends)
    await database.rows(
      `INSERT INTO backends (id, title, address, username, secret) VALUES ($1, $2, $3, $4, $5)
       ON CONFLICT (id) DO UPDATE SET address = excluded.address`,
      [id, title, address, username, vault.seal(password)],
    );
}

/** One connector for each backend, made when first needed and kept. */
export class Backends {
  private readonly connectors = new Map<string, BackendConnector>();

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
    const access = { name: id, address: row.address, username: row.username, password: this.vault.open(row.secret) };
    const connector = new SwordfishConnector(new BackendHttp(access, this.timeoutMs, this.metrics));
    this.connectors.set(id, connector);
    return connector;
  }

  async ids(): Promise<string[]> {
    return (await this.database.rows<{ id: string }>('SELECT id FROM backends ORDER BY id')).map((b) => b.id);
  }

  /** Looks at one backend and writes down what it says. Never throws for the backend's own faults. */
  async sync(id: string): Promise<void> {
    let view: BackendView;
    try {
      view = await (await this.connector(id)).fetchView();
    } catch (error) {
      if (!(error instanceof BackendProblem)) throw error;
      await this.noteProblem(id, error);
      return;
    }
    await this.store(id, view);
  }

  private async noteProblem(id: string, { code, message }: BackendProblem): Promise<void> {
    const changed = await this.database.rows(
      `UPDATE backends SET reachable = false, problem = $2::jsonb, checked_at = now()
       WHERE id = $1 AND (reachable OR problem IS DISTINCT FROM $2::jsonb) RETURNING id`,
      [id, JSON.stringify({ code, detail: message })],
    );
    if (changed.length > 0) await announce(this.database, [{ topic: 'backends', subject: id }]);
  }

  private async store(id: string, view: BackendView): Promise<void> {
    await this.database.transaction(async (tx) => {
      const pools = view.pools.map((p) => ({ id: p.name, name: p.name, path: p.path, facts: p.facts }));
      const changedPools = await this.database.rows(
        `INSERT INTO pools (id, backend_id, name, path, facts)
         SELECT id, $1, name, path, facts FROM jsonb_to_recordset($2::jsonb) AS p(id text, name text, path text, facts jsonb) ORDER BY id
         ON CONFLICT (id) DO UPDATE SET facts = excluded.facts, path = excluded.path, seen_at = now()
         WHERE pools.facts IS DISTINCT FROM excluded.facts RETURNING id`,
        [id, JSON.stringify(pools)],
        tx,
      );
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
        pool_id: v.pool,
        bytes: v.bytes,
        raw_bytes: raw(v.pool, v.bytes, v.copies.length),
        consumed: v.consumed,
        degraded: v.degraded,
        copies: v.copies,
      }));
      const seen = await this.database.one<{ at: Date }>('SELECT clock_timestamp() AS at', [], tx);
      const changedVolumes = await this.database.rows(
        `WITH fresh AS (
           SELECT * FROM jsonb_to_recordset($2::jsonb)
             AS v(volume_id text, name text, pool_id text, bytes bigint, raw_bytes bigint, consumed bigint, degraded boolean, copies jsonb)
         ), gone AS (
           DELETE FROM backend_volumes b WHERE backend_id = $1 AND NOT EXISTS (SELECT 1 FROM fresh f WHERE f.volume_id = b.volume_id) RETURNING volume_id
         ), kept AS (
           INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, copies, seen_at)
           SELECT $1, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, copies, $3 FROM fresh
           ON CONFLICT (backend_id, volume_id) DO UPDATE SET name = excluded.name, pool_id = excluded.pool_id, bytes = excluded.bytes,
             raw_bytes = excluded.raw_bytes, consumed = excluded.consumed, degraded = excluded.degraded, copies = excluded.copies, seen_at = excluded.seen_at
           WHERE (backend_volumes.bytes, backend_volumes.consumed, backend_volumes.degraded, backend_volumes.copies)
             IS DISTINCT FROM (excluded.bytes, excluded.consumed, excluded.degraded, excluded.copies) RETURNING volume_id
         )
         SELECT volume_id FROM gone UNION ALL SELECT volume_id FROM kept`,
        [id, JSON.stringify(volumes), seen!.at],
        tx,
      );
      const changedBackend = await this.database.rows(
        `UPDATE backends b SET reachable = true, healthy = $2, problem = NULL, checked_at = now()
         FROM (SELECT reachable, healthy FROM backends WHERE id = $1) old
         WHERE b.id = $1 RETURNING (NOT old.reachable OR old.healthy <> $2) AS changed`,
        [id, view.healthy],
        tx,
      );
      const changed =
        changedPools.length + changedVolumes.length > 0 || (changedBackend[0] as { changed: boolean }).changed;
      if (changed) await announce(this.database, [{ topic: 'backends', subject: id }, { topic: 'pools' }], tx);
      if (changedVolumes.length > 0) await announce(this.database, [{ topic: 'namespaces' }], tx);
    });
  }
}

export async function listBackends(database: Database): Promise<BackendRow[]> {
  const [backends, pools, degraded] = await Promise.all([
    database.rows<StoredBackend>(
      'SELECT id, title, address, reachable, healthy, problem, checked_at FROM backends ORDER BY id LIMIT 500',
    ),
    listPools(database),
    database.rows<{ backend_id: string; count: number }>(
      'SELECT backend_id, count(*) AS count FROM backend_volumes WHERE degraded GROUP BY 1',
    ),
  ]);
  const degradedOf = new Map(degraded.map((d) => [d.backend_id, d.count]));
  return backends.map((b) => ({
    id: b.id,
    title: b.title,
    address: b.address,
    reachable: b.reachable,
    healthy: b.healthy,
    problem: b.problem,
    checkedAt: b.checked_at?.toISOString() ?? null,
    degradedVolumes: degradedOf.get(b.id) ?? 0,
    pools: pools.filter((p) => p.backend === b.id),
  }));
}
