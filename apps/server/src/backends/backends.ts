import type { BackendRow, PoolFacts } from '@moorage/contract/backends';
import type { Access, Probe } from '@moorage/contract/registration';
import { usable } from '@moorage/core/capacity/usable';
import { megabyte } from '@moorage/core/placement/rules';
import { Op } from 'sequelize';
import type { Estate } from '../config';
import type { Database } from '../database/database';
import { lockPoolNames } from '../database/locks.sql';
import { asRecords, first } from '../database/statement';
import { announce } from '../live/announce';
import type { Metrics } from '../metrics/metrics';
import { pools } from '../pools/pool-model';
import { listPools } from '../pools/pools';
import { Refusal } from '../refusals/refusal';
import type { Vault } from '../secrets/vault';
import { BackendProblem, type BackendConnector, type BackendView } from '../swordfish/connector';
import { BackendHttp } from '../swordfish/http';
import { SwordfishConnector } from '../swordfish/swordfish';
import { registered } from './backend-model';
import { copiesBehind } from './behind-model';
import { noteBehind } from './behind.sql';
import {
  backendsListed,
  clock,
  dropPoolsGone,
  ensureBackend,
  notePoolsGone,
  noteReachable,
  noteUnreachable,
  takePools,
  takeVolumes,
  type Listed,
} from './backends.sql';
import { followInstances, followShares } from '../pools/instances.sql';
import { followCopies, noteMissing, storeInventory } from './inventory';
import { probeBackend } from './probe';

/** Adds the estate's backends that are missing; credentials are sealed before they reach the database. */
export async function ensureBackends(database: Database, vault: Vault, estate: Estate): Promise<void> {
  for (const { id, title, address, username, password, sites } of estate.backends)
    await ensureBackend(database, id, title, address, username, vault.seal(password), sites ?? [estate.site]);
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
    /** Opens the way to one backend. */
    private readonly connect = (access: Access & { readonly name: string }): BackendConnector =>
      new SwordfishConnector(new BackendHttp(access, timeoutMs, metrics)),
  ) {}

  async connector(id: string): Promise<BackendConnector> {
    const known = this.connectors.get(id);
    if (known) return known;
    const row = await registered.in(this.database).findByPk(id);
    if (!row) throw new BackendProblem('not-found', `backend ${id} is not registered`);
    const { address, username, trust } = row;
    const access = { name: id, address, username, trust, password: this.vault.open(row.secret) };
    const connector = this.connect(access);
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
    const rows = await registered.in(this.database).findAll({ attributes: ['id'], order: [['id', 'ASC']], limit: 500 });
    return rows.map((b) => b.id);
  }

  /** Whether an address can be used as a backend with these credentials, and what is there. */
  probe = (access: Access): Promise<Probe> => probeBackend(access, this.metrics, this.timeoutMs);

  /** Looks at one backend and writes down what it says; gives that, and when it was asked. Never throws for the backend's own faults. */
  async sync(id: string): Promise<{ readonly view: BackendView; readonly at: Date } | undefined> {
    const { at: began } = (await first(clock(this.database)))!;
    let view: BackendView;
    try {
      view = await (await this.connector(id)).fetchView();
    } catch (error) {
      if (!(error instanceof BackendProblem)) throw error;
      // a busy moment is no outage: one answer that is late says nothing yet
      const late = error.code === 'timed-out' ? (this.late.get(id) ?? 0) + 1 : 0;
      this.late.set(id, late);
      if (late !== 1) await this.noteProblem(id, error);
      return undefined;
    }
    this.late.delete(id);
    await this.store(id, view, began);
    return { view, at: began };
  }

  /** Notes copies that are behind, and how fast they come on; where there are none, and were none, there is nothing to note. */
  private async followBehind(id: string, view: BackendView, at: Date): Promise<void> {
    const behind = view.volumes.flatMap((v) =>
      v.copies
        .filter((c) => c.state !== 'Synchronized')
        .map(({ disk, node, state, percent }) => ({ volume_id: v.id, disk, node, state, percent, bytes: v.consumed })),
    );
    if (behind.length === 0 && (await copiesBehind.in(this.database).count({ where: { backendId: id } })) === 0) return;
    const news = await noteBehind(this.database, id, asRecords(behind), at);
    if (news.length > 0) await announce(this.database, [{ topic: 'applications' }]);
  }

  private async noteProblem(id: string, { code, message }: BackendProblem): Promise<void> {
    const changed = await noteUnreachable(this.database, id, JSON.stringify({ code, detail: message }));
    if (changed.length > 0) await announce(this.database, [{ topic: 'backends', subject: id }]);
  }

  /** Identifiers of its pools: their names, unless a pool of another backend has that one already. */
  private async poolIds(id: string, names: readonly string[]): Promise<ReadonlyMap<string, string>> {
    const known = await pools.in(this.database).findAll({
      raw: true,
      attributes: ['id', 'backendId', 'name'],
      where: { [Op.or]: [{ backendId: id }, { id: [...names] }] },
      limit: 10_000,
    });
    const own = new Map(known.filter((p) => p.backendId === id).map((p) => [p.name, p.id]));
    const taken = new Set(known.filter((p) => p.backendId !== id).map((p) => p.id));
    return new Map(names.map((name) => [name, own.get(name) ?? (taken.has(name) ? `${id}.${name}` : name)]));
  }

  /** `began`: when the backend was asked. What was made since is not in its answer. */
  private async store(id: string, view: BackendView, began: Date): Promise<void> {
    await this.database.transaction(async () => {
      await lockPoolNames(this.database);
      const idOf = await this.poolIds(
        id,
        view.pools.map((p) => p.name),
      );
      const told = view.pools.map((p) => ({
        id: idOf.get(p.name)!,
        name: p.name,
        path: p.path,
        facts: p.facts,
        usable: usableOf(p.facts),
      }));
      const changedPools = await takePools(this.database, id, asRecords(told));
      const gonePools = await notePoolsGone(
        this.database,
        id,
        told.map((p) => p.id),
      );
      await dropPoolsGone(this.database, id);
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
        instance: v.instance ?? null,
        encrypted: v.encrypted ?? null,
        iops_ceiling: v.iopsCeiling ?? null,
        throughput_ceiling: v.bytesPerSecondCeiling === undefined ? null : v.bytesPerSecondCeiling / megabyte,
      }));
      const changedVolumes = await takeVolumes(this.database, id, asRecords(volumes), began);
      await this.followBehind(id, view, began);
      if (changedVolumes.length > 0) await noteMissing(this.database, id, changedVolumes);
      const changedBackend = await noteReachable(
        this.database,
        id,
        view.healthy,
        changedDisks + changedPools.length + changedVolumes.length > 0 ? 1 : 0,
        view.identity,
      );
      const changed =
        changedDisks + changedPools.length + gonePools.length + changedVolumes.length > 0 || changedBackend[0]!.changed;
      if (changedVolumes.length > 0) await followCopies(this.database, id);
      if (told.some((p) => p.facts.instances) && changedPools.length + changedVolumes.length > 0) {
        await followShares(this.database, id, began);
        await followInstances(this.database, id, began);
      }
      if (changed) await announce(this.database, [{ topic: 'backends', subject: id }, { topic: 'pools' }]);
      if (changedVolumes.length > 0) await announce(this.database, [{ topic: 'namespaces' }]);
    });
  }
}

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
  const [backends, pools] = await Promise.all([backendsListed(database, null), listPools(database)]);
  return backends.map((b) => toRow(b, pools, site));
}

export async function getBackend(database: Database, site: string, id: string): Promise<BackendRow> {
  const [backend, pools] = await Promise.all([first(backendsListed(database, id)), listPools(database)]);
  if (!backend) throw Refusal.notFound('backend', id);
  return toRow(backend, pools, site);
}
