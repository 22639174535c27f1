import type { Journal } from '../journal';
import { Clients } from './clients';
import type { Course } from './course';
import { bestDrive, judge, levelOut, wholePlaces, type Copy } from './copies';
import { notFound, RedfishError } from './errors';
import type { Task, Volume } from './resources';
import type { BackendSeed, ClientRange, PoolSeed } from './seed';
import { HostData } from './host-data';

/** Who may sign in, and what for: to manage, to look, or for objects alone. */
export interface Account {
  readonly password: string;
  readonly role: 'Administrator' | 'ReadOnly' | 'NoAccess';
}

/** Bytes that a pool without copies of its own has still to move. */
interface PoolWork {
  left: number;
  readonly total: number;
  readonly frees: readonly string[];
  readonly task?: string;
}

const tickMs = 250;

/** One storage box: pools that really fill, copies that really resync and move. Journalled, so that a restart keeps it. */
export class Backend extends HostData {
  readonly poolWork = new Map<string, PoolWork>();
  readonly clients: Clients;
  /** Names and passwords that may sign in, and whether they may change things. */
  readonly accounts = new Map<string, Account>();
  /** Times of which its reports tell nothing. */
  readonly silent: { readonly from: string; readonly to: string }[] = [];
  /** While it is so, copies stay as far as they have come. */
  holdsResync = false;
  private ticking?: NodeJS.Timeout;

  constructor(seed: BackendSeed, journal: Journal) {
    super(seed, journal);
    this.clients = new Clients(seed.clients ?? [], journal);
    this.accounts.set(seed.user, { password: seed.password, role: 'Administrator' });
    this.accounts.set('watcher', { password: 'lookout', role: 'ReadOnly' });
    const told = journal.load();
    for (const [key, value] of told) {
      if (key.startsWith('block/')) continue;
      const cut = key.indexOf('/');
      const [kind, id] = [key.slice(0, cut), key.slice(cut + 1)];
      this.recallDrive(kind, id, value);
      this.recallVolume(kind, id, value);
      if (kind === 'client') this.clients.recall(id, value as ClientRange | null);
      if (kind === 'account') this.accounts.set(id, value as Account);
      this.buckets.recall(kind, id, value);
    }
    this.recallBlocks(told);
    this.judgeCopies();
    this.tickIfNeeded();
  }

  override stop(): void {
    super.stop();
    clearInterval(this.ticking);
  }

  // pools made and changed from outside

  addPool(pool: PoolSeed): void {
    if (this.pools.has(pool.id))
      throw new RedfishError(
        409,
        'ResourceAlreadyExists',
        `The requested resource of type StoragePool with the property Name with the value '${pool.id}' already exists.`,
      );
    this.changePool(pool);
    this.note('OK', `Pool ${pool.id} was made.`);
  }

  changePool(pool: PoolSeed): void {
    this.pools.set(pool.id, pool);
    this.journal.put(`pool/${pool.id}`, pool);
  }

  /** The copies of a volume are laid elsewhere, more or fewer; those that are new are brought up to date. */
  relayVolume(id: string, drives: readonly string[]): void {
    this.relay(id, drives);
    this.tickIfNeeded();
  }

  removePool(id: string): void {
    const pool = this.pool(id);
    const held = [...this.volumes.values()].some((v) => v.pool === id) || this.drivesOf(pool).length > 0;
    if (held)
      throw new RedfishError(409, 'ResourceInUse', `Pool '${id}' still holds volumes or drives and cannot be removed.`);
    this.pools.delete(id);
    this.journal.remove(`pool/${id}`);
    this.note('OK', `Pool ${id} was removed.`);
  }

  /** Takes bare drives into a pool, all or none. What the pool holds is then levelled out over them. */
  addDrives(poolId: string, ids: readonly string[]): Task {
    const pool = this.pool(poolId);
    const drives = ids.map((id) => this.drive(id));
    for (const drive of drives) {
      const owner = this.ownerOf(drive);
      if (owner === poolId) continue;
      if (owner !== undefined || drive.use !== undefined)
        throw new RedfishError(
          409,
          'ResourceInUse',
          `Drive '${drive.id}' is in use: ${owner ? `it belongs to pool '${owner}'` : `${drive.use} on its node`}.`,
        );
      if (!this.driveWorks(drive))
        throw new RedfishError(
          this.nodeWorks(drive.node) ? 409 : 503,
          this.nodeWorks(drive.node) ? 'ResourceCannotBeUsed' : 'ServiceTemporarilyUnavailable',
          `Drive '${drive.id}' cannot be used: it or its node ${drive.node} is not working.`,
        );
    }
    const added = drives.filter((d) => this.ownerOf(d) !== poolId);
    const before = this.drivesOf(pool).reduce((sum, d) => sum + d.capacity, 0);
    for (const drive of added) this.own(drive.id, poolId);
    if (added.length > 0) this.note('OK', `${added.length} drives were added to ${poolId}.`);
    const task = this.addTask('Add drives', { pool: poolId });
    const fresh = added.reduce((sum, d) => sum + d.capacity, 0);
    if (pool.kind === 'copies') this.spreadOut(pool);
    else this.work(pool, Math.round((this.figures(pool).consumed * fresh) / Math.max(1, before + fresh)), [], task.id);
    this.tickIfNeeded();
    if (!this.isMoving(pool)) this.endTask(task);
    return task;
  }

  private isMoving = (pool: PoolSeed): boolean =>
    this.poolWork.has(pool.id) ||
    [...this.volumes.values()].some((v) => v.pool === pool.id && v.copies.some((c) => c.state === 'Synchronizing'));

  private work(pool: PoolSeed, total: number, frees: readonly string[], task?: string): void {
    if (total > 0) this.poolWork.set(pool.id, { left: total, total, frees, task });
    else for (const id of frees) this.own(id, '');
  }

  private spreadOut(pool: PoolSeed): void {
    const use = this.useOfDrives();
    const volumes = [...this.volumes.values()].filter((v) => v.pool === pool.id);
    const drives = this.placesOn(pool, use);
    for (const move of levelOut(drives, volumes)) this.move(move.volume as Volume, move.copy, move.to);
  }

  private move(volume: Volume, copy: Copy, to: string): void {
    if (copy.last)
      throw new RedfishError(
        409,
        'ResourceCannotBeUsed',
        `Drive '${copy.drive}' holds the only copy of volume '${volume.name}' that is in step.`,
      );
    if (copy.state !== 'Synchronized') this.blocks.forget(volume.id, [copy.drive]);
    copy.from = copy.state === 'Synchronized' ? copy.drive : undefined;
    copy.drive = to;
    copy.left = volume.consumed;
    copy.state = 'Synchronizing';
    this.save(volume);
  }

  /** Takes drives out of a pool when what is on them fits elsewhere under the same protection; their data moves first. */
  removeDrives(poolId: string, ids: readonly string[]): Task {
    const pool = this.pool(poolId);
    const leaving = new Set(ids.filter((id) => this.ownerOf(this.drive(id)) === poolId));
    const task = this.addTask('Remove drives', { pool: poolId });
    if (pool.kind === 'copies') {
      const moves = this.planEvacuation(pool, leaving);
      for (const { volume, copy, to } of moves) this.move(volume, copy, to);
      // a drive without copies is free at once; the others when their copies are elsewhere
      for (const id of leaving) if (!moves.some((m) => m.copy.from === id)) this.own(id, '');
      this.leaving.set(task.id, { pool: poolId, drives: [...leaving] });
    } else {
      const total = this.drivesOf(pool).reduce((sum, d) => sum + d.capacity, 0);
      const going = [...leaving].reduce((sum, id) => sum + this.drive(id).capacity, 0);
      const { consumed } = this.figures(pool);
      if (consumed > total - going)
        throw new RedfishError(409, 'InsufficientStorage', `What is on these drives does not fit on the others.`);
      this.work(pool, Math.round((consumed * going) / Math.max(1, total)), [...leaving], task.id);
    }
    this.note('OK', `${leaving.size} drives leave ${poolId}.`);
    this.tickIfNeeded();
    if (!this.isMoving(pool)) this.finishLeaving();
    if (!this.isMoving(pool)) this.endTask(task);
    return task;
  }

  private readonly leaving = new Map<string, { pool: string; drives: readonly string[] }>();

  private planEvacuation(pool: PoolSeed, leaving: ReadonlySet<string>) {
    const use = this.useOfDrives();
    const staying = this.placesOn(pool, use, leaving);
    const moves: { volume: Volume; copy: Copy; to: string }[] = [];
    for (const volume of [...this.volumes.values()].sort((a, b) => b.capacity - a.capacity))
      for (const copy of volume.copies)
        if (volume.pool === pool.id && leaving.has(copy.drive)) {
          const others = new Set(
            volume.copies.filter((c) => c !== copy).map((c) => this.domainOf(this.drive(c.drive), pool)),
          );
          const target = bestDrive(staying, volume.capacity, others);
          if (!target)
            throw new RedfishError(
              409,
              'InsufficientStorage',
              `Volume '${volume.name}' on drive '${copy.drive}' does not fit anywhere else under the same protection.`,
            );
          target.used += volume.capacity;
          moves.push({ volume, copy, to: target.id });
        }
    return moves;
  }

  // what tests and demonstrations do to it

  /** What an application wrote so far. */
  write(id: string, consumed: number): void {
    const volume = this.volume(id);
    volume.consumed = Math.min(consumed, volume.capacity);
    this.save(volume);
  }

  /** Lets what is written on a volume go on by itself. */
  setCourse(id: string, course: Course): void {
    const volume = this.volume(id);
    volume.course = course;
    this.save(volume);
  }

  setNode(node: string, up: boolean): void {
    this.markNode(node, up);
    this.note(up ? 'OK' : 'Critical', `Node ${node} ${up ? 'answers again' : 'does not answer'}.`);
    this.judgeCopies();
  }

  setDrive(id: string, works: boolean): void {
    const drive = this.drive(id);
    this.mark(id, works);
    this.note(works ? 'OK' : 'Critical', `Drive ${id} in ${drive.node} ${works ? 'works again' : 'failed'}.`);
    this.judgeCopies();
  }

  setPassword(user: string, password: string): void {
    this.setAccount(user, { password, role: this.accounts.get(user)?.role ?? 'Administrator' });
  }

  setAccount(user: string, account: Account): void {
    this.accounts.set(user, account);
    this.journal.put(`account/${user}`, account);
  }

  removeAccount(user: string): void {
    if (!this.accounts.delete(user)) throw notFound('ManagerAccount', user);
    this.journal.remove(`account/${user}`);
  }

  /** Copies on a lost drive fail; when it is back they are brought up to date, from the last that was written. */
  private judgeCopies(): void {
    for (const volume of this.volumes.values()) if (judge(volume, this.reaches)) this.save(volume);
    this.tickIfNeeded();
  }

  /** How busy applications keep a pool, between 0 and 1, where that is not left to the time of day. */
  readonly busy = new Map<string, number>();

  /** The share of what a pool can move that its applications leave to the work on copies: their reads and writes go first. */
  private leftOver(pool: string): number {
    const busy = this.busy.get(pool) ?? 0;
    return Math.max(0.1, 1 - busy);
  }

  // the work that goes on by itself

  private tickIfNeeded(): void {
    this.ticking ??= setInterval(() => this.tick(), tickMs);
  }

  private tick(): void {
    this.healFailed();
    const busy = [...this.volumes.values()].flatMap((volume) =>
      volume.copies.filter((c) => c.state === 'Synchronizing').map((copy) => ({ volume, copy })),
    );
    const rate = this.holdsResync ? 0 : this.seed.resyncRate;
    const share = (rate * tickMs) / 1000 / Math.max(1, busy.length + this.poolWork.size);
    for (const { volume, copy } of busy) {
      // there is nothing to be brought up to date from
      if (wholePlaces(volume.copies, this.reaches).length === 0) continue;
      copy.left = Math.max(0, copy.left - share * this.leftOver(volume.pool));
      if (copy.left > 0) continue;
      this.blocks.bringUp(volume, copy.drive);
      if (copy.from !== undefined) this.blocks.forget(volume.id, [copy.from]);
      copy.state = 'Synchronized';
      copy.from = undefined;
      this.save(volume);
    }
    for (const [pool, work] of this.poolWork) {
      work.left = Math.max(0, work.left - share);
      const task = work.task === undefined ? undefined : this.tasks.get(work.task);
      if (task) task.percent = Math.floor(100 * (1 - work.left / work.total));
      if (work.left > 0) continue;
      this.poolWork.delete(pool);
      for (const id of work.frees) this.own(id, '');
      if (task) this.endTask(task);
    }
    this.finishLeaving();
    for (const task of this.tasks.values())
      if (task.state === 'Running' && task.pool && !task.volume && !this.isMoving(this.pools.get(task.pool)!))
        this.endTask(task);
    const failing = [...this.volumes.values()].some((v) => v.copies.some((c) => c.state === 'Failed'));
    if (busy.length === 0 && this.poolWork.size === 0 && !failing && this.leaving.size === 0) {
      clearInterval(this.ticking);
      this.ticking = undefined;
    }
  }

  private finishLeaving(): void {
    for (const [task, { pool, drives }] of this.leaving) {
      const held = new Set(
        [...this.volumes.values()].filter((v) => v.pool === pool).flatMap((v) => v.copies.map((c) => c.from)),
      );
      for (const id of drives) if (!held.has(id) && this.ownerOf(this.drive(id)) === pool) this.own(id, '');
      if (drives.every((id) => this.ownerOf(this.drive(id)) !== pool)) this.leaving.delete(task);
    }
  }

  /** Some time after a drive failed, its copies are made anew on other drives, where there is room in another domain. */
  private healFailed(): void {
    const after = this.seed.healAfterMs;
    if (after === undefined) return;
    const due = [...this.failedDrives].filter(([, at]) => Date.now() - at >= after).map(([id]) => id);
    if (due.length === 0) return;
    const use = this.useOfDrives();
    for (const volume of this.volumes.values())
      for (const copy of volume.copies) {
        if (copy.state !== 'Failed' || copy.last || !due.includes(copy.drive)) continue;
        const pool = this.pools.get(volume.pool)!;
        const candidates = this.placesOn(pool, use);
        const others = new Set(
          volume.copies.filter((c) => c !== copy).map((c) => this.domainOf(this.drive(c.drive), pool)),
        );
        const target = bestDrive(candidates, volume.capacity, others);
        if (!target) continue;
        const held = use.get(target.id) ?? { provisioned: 0, consumed: 0, volumes: [] };
        held.provisioned += volume.capacity;
        use.set(target.id, held);
        this.note('Warning', `A copy of ${volume.name} is made anew on ${target.id}.`);
        this.move(volume, copy, target.id);
      }
  }
}
