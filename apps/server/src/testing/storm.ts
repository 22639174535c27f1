import fc from 'fast-check';
import type { World } from './world';
import { Caller, eventually, moorClass } from './world';
import type { Doomed, DoomedServers } from './doomed';

const namespace = 'tide-gauges';
const sizes = ['1Gi', '2Gi', '4Gi'] as const;
/** Applications and lost machines at a time. */
const most = { applications: 6, replicas: 4, nodesOff: 2, drivesOut: 2 };

/** What a storm did, and how often it was refused. */
export interface StormSeen {
  readonly acts: number;
  readonly refused: number;
  readonly kills: number;
  readonly writes: number;
  readonly by: Readonly<Record<string, number>>;
}

/**
 * Applications started, scaled, moved and taken away, one act after the other, while machines, disks, calls and servers fail. The
 * model is what was acknowledged: kept beside the volumes, by whoever asked for the writes.
 */
export class Storm {
  private readonly dice: number[];
  private readonly counts: Record<string, number> = {};
  private server!: Doomed;
  private caller!: Caller;
  private named = 0;
  private refused = 0;
  private kills = 0;
  private writes = 0;
  private readonly begun = new Set<Promise<unknown>>();
  private readonly off = new Set<string>();
  private readonly out = new Set<string>();
  /** Applications whose start was acknowledged, and not taken away since. */
  private readonly started = new Set<string>();

  constructor(
    private readonly world: World,
    private readonly servers: DoomedServers,
    seed: number,
    private readonly acts: number,
  ) {
    this.dice = fc.sample(fc.noBias(fc.nat(2 ** 30 - 1)), { seed, numRuns: 12 * acts + 100 });
  }

  private roll = (): number => (this.dice.pop() ?? 0) / 2 ** 30;
  private pick = <T>(of: readonly T[]): T | undefined => of[Math.floor(this.roll() * of.length)];

  private get store() {
    return this.world.platform.store;
  }
  private get box() {
    return this.world.kelp.backend;
  }
  private sets = () => this.store.list('statefulsets', namespace).filter((s) => !s.metadata.deletionTimestamp);
  private pods = () => this.store.list('pods', namespace);
  private nodes = () => this.store.list('nodes').map((n) => n.metadata.name);

  async run(): Promise<StormSeen> {
    await this.begin();
    for (let i = 0; i < this.acts; i++) {
      const [name, act] = this.next();
      this.counts[name] = (this.counts[name] ?? 0) + 1;
      // half of them are begun while others are not answered yet
      const doing = act().finally(() => this.begun.delete(doing));
      this.begun.add(doing);
      if (this.roll() < 0.5 || this.begun.size > 4) await Promise.all(this.begun);
      this.assertAttachedOnce();
    }
    await Promise.all(this.begun);
    await this.calm();
    await this.assertWhole();
    this.server.child.kill('SIGKILL');
    return { acts: this.acts, refused: this.refused, kills: this.kills, writes: this.writes, by: this.counts };
  }

  private async begin(): Promise<void> {
    await this.startServer();
    await eventually(
      'all pools',
      async () =>
        (await this.caller.ok<{ pools: unknown[] }[]>('GET', '/api/backends')).flatMap((b) => b.pools).length === 4,
    );
    for (const copies of [2, 3]) await moorClass(this.caller, `kept-${copies}`, ['kelp-nvme'], { copies });
  }

  private async startServer(): Promise<void> {
    this.server = await this.servers.start('never');
    this.caller = await new Caller(this.server.url).signIn();
  }

  /** A call of which anything may come but a fault of ours. */
  private async ask(method: string, path: string, body?: unknown): Promise<number> {
    const { status, data } = await this.caller.call(method, `/api${path}`, body).catch((error: Error) => {
      // its server was killed under it
      if (error.name === 'TypeError') return { status: 503, data: undefined };
      throw error;
    });
    if (status === 500) throw new Error(`${method} ${path}: ${JSON.stringify(data)}`);
    if (status >= 400) this.refused += 1;
    return status;
  }

  /** What may be done now, each as often as its weight. */
  private next(): [string, () => Promise<unknown>] {
    const of = (weight: number, name: string, act: () => Promise<unknown>, may = true) =>
      may ? [{ weight, name, act }] : [];
    const set = this.pick(this.sets());
    const pod = this.pick(this.pods());
    const node = this.pick(this.nodes())!;
    const drive = this.pick(this.box.drivesOf(this.box.pool('kelp-nvme')))!.id;
    const lost = this.pick([...this.off]);
    const broken = this.pick([...this.out]);
    const all = [
      ...of(24, 'write', () => this.write(pod!.metadata.name), pod !== undefined),
      ...of(5, 'start', () => this.start(), this.sets().length < most.applications),
      ...of(7, 'scale', () => this.scale(set!.metadata.name), set !== undefined),
      ...of(2, 'scale from outside', () => this.scaleOutside(set!.metadata.name), set !== undefined),
      ...of(1, 'take away', () => this.takeAway(set!.metadata.name), set !== undefined),
      ...of(9, 'delete a pod', () => this.endPod(pod!.metadata.name), pod !== undefined),
      ...of(4, 'cordon', () => this.ask('PUT', `/nodes/${node}/cordon`, { cordoned: this.roll() < 0.5 })),
      ...of(4, 'drain', () => this.ask('POST', `/nodes/${node}/drain`)),
      ...of(4, 'lose a node', () => this.setNode(node, false), this.off.size < most.nodesOff),
      ...of(6, 'bring a node back', () => this.setNode(lost!, true), lost !== undefined),
      ...of(5, 'declare off', () => this.ask('PUT', `/nodes/${lost}/off`, { off: true, confirm: lost }), !!lost),
      ...of(2, 'no longer off', () => this.ask('PUT', `/nodes/${node}/off`, { off: false })),
      ...of(3, 'break a disk', () => this.setDrive(drive, false), this.out.size < most.drivesOut),
      ...of(4, 'mend a disk', () => this.setDrive(broken!, true), broken !== undefined),
      ...of(2, 'wipe a disk', () => this.wipe(drive)),
      ...of(5, 'trouble a call', () => this.trouble()),
      ...of(2, 'call off', () => this.callOff()),
      ...of(1, 'kill the server', () => this.kill()),
      ...of(4, 'wait', () => new Promise((resolve) => setTimeout(resolve, 60 * this.roll()))),
    ];
    let left = this.roll() * all.reduce((sum, a) => sum + a.weight, 0);
    const { name, act } = all.find((a) => (left -= a.weight) < 0) ?? all.at(-1)!;
    return [name, act];
  }

  private async write(pod: string): Promise<void> {
    const count = 1 + Math.floor(4 * this.roll());
    // what is not acknowledged is not asked for
    await this.world.platform.processes.write(namespace, pod, count).then(
      () => (this.writes += count),
      () => undefined,
    );
  }

  private async start(): Promise<void> {
    const name = `store-${++this.named}`;
    const keep = () => (this.roll() < 0.5 ? 'Retain' : 'Delete');
    const status = await this.ask('POST', '/applications', {
      ...{ namespace, name, image: 'example/store', port: 8080, spread: 'any' },
      ...{ replicas: 1 + Math.floor(3 * this.roll()), ordered: this.roll() < 0.3 },
      ...{ whenScaled: keep(), whenDeleted: keep() },
      templates: ['data', 'log'].slice(0, this.roll() < 0.3 ? 2 : 1).map((template) => ({
        ...{ name: template, className: this.roll() < 0.5 ? 'kept-2' : 'kept-3', size: this.pick(sizes) },
        ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
      })),
    });
    if (status < 300) this.started.add(name);
  }

  private scale = (name: string): Promise<number> =>
    this.ask('POST', `/applications/${namespace}/${name}/scale`, {
      replicas: Math.floor((most.replicas + 1) * this.roll()),
      confirm: name,
    });

  private async scaleOutside(name: string): Promise<void> {
    const replicas = Math.floor((most.replicas + 1) * this.roll());
    this.store.amend('statefulsets', this.store.get('statefulsets', namespace, name), (copy) => {
      copy.spec!.replicas = replicas;
    });
    return Promise.resolve();
  }

  private async takeAway(name: string): Promise<void> {
    this.started.delete(name);
    this.store.delete('statefulsets', namespace, name);
    this.store.delete('services', namespace, name);
    return Promise.resolve();
  }

  private endPod(pod: string): Promise<number> {
    const name = pod.replace(/-\d+$/, '');
    return this.ask('DELETE', `/applications/${namespace}/${name}/pods/${pod}`);
  }

  private async setNode(node: string, up: boolean): Promise<void> {
    this.off[up ? 'delete' : 'add'](node);
    this.world.platform.setNode(node, up);
    if (this.box.seed.nodes.includes(node)) this.box.setNode(node, up);
    return Promise.resolve();
  }

  private async setDrive(drive: string, works: boolean): Promise<void> {
    this.out[works ? 'delete' : 'add'](drive);
    this.box.setDrive(drive, works);
    return Promise.resolve();
  }

  /** A disk is broken for good and another put in its place: where each volume on it has another copy in step. */
  private async wipe(drive: string): Promise<void> {
    const on = [...this.box.volumes.values()].filter((v) =>
      v.copies.some((c) => c.drive === drive || c.from === drive),
    );
    if (on.some((v) => this.box.wholeBeside(v.id, drive).length === 0)) return;
    this.box.setDrive(drive, false);
    this.box.wipeDrive(drive);
    this.out.delete(drive);
    this.box.setDrive(drive, true);
    return Promise.resolve();
  }

  private async trouble(): Promise<void> {
    const side = this.roll() < 0.5 ? this.world.platform : this.world.kelp;
    const kind = this.pick(['refuse', 'lose-answer', 'latency'] as const)!;
    const method = this.pick(['POST', 'PATCH', 'DELETE', 'GET'] as const)!;
    side.faults.add({ kind, method, times: 1 + Math.floor(3 * this.roll()), latencyMs: 300 });
    return Promise.resolve();
  }

  private async operations(show: 'under-way' | 'stopped') {
    const { data } = await this.caller
      .call<{ rows?: { id: string; kind: string; status: string }[] }>('GET', `/api/operations?show=${show}`)
      .catch(() => ({ data: { rows: [] } }));
    return data.rows ?? [];
  }

  private async callOff(): Promise<void> {
    const one = this.pick(await this.operations('under-way'));
    if (one) await this.ask('POST', `/operations/${one.id}/${this.roll() < 0.5 ? 'cancel' : 'pause'}`);
  }

  private async kill(): Promise<void> {
    this.kills += 1;
    const dying = this.server;
    dying.child.kill('SIGKILL');
    await dying.exit;
    // one at a time is killed and started
    if (dying === this.server) await this.startServer();
  }

  /** Nothing that pods alone write is on two nodes at once. */
  private assertAttachedOnce(): void {
    const on = new Map<string, string>();
    for (const { spec } of this.store.list('volumeattachments')) {
      const volume = (spec as { source: { persistentVolumeName: string } }).source.persistentVolumeName;
      const node = String(spec!.nodeName);
      if (on.has(volume)) throw new Error(`${volume} is attached to ${on.get(volume)} and to ${node}`);
      on.set(volume, node);
    }
  }

  /** All that is lost comes back, and what was begun comes to its end. */
  private async calm(): Promise<void> {
    for (const side of [this.world.platform, this.world.kelp]) side.faults.heal();
    for (const node of this.off) await this.setNode(node, true);
    for (const drive of this.out) await this.setDrive(drive, true);
    await eventually('all nodes answer', () =>
      Promise.resolve(
        this.store
          .list('nodes')
          .every((n) => n.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True')),
      ),
    );
    for (const node of this.nodes())
      await eventually(
        `${node} takes pods`,
        async () =>
          (await this.ask('PUT', `/nodes/${node}/off`, { off: false })) < 300 &&
          (await this.ask('PUT', `/nodes/${node}/cordon`, { cordoned: false })) < 300,
      );
    await eventually('nothing is under way', async () => {
      // what was stopped goes on
      // or is tried once more; a drain whose node was opened meanwhile is given up
      for (const { id, kind, status } of await this.operations('stopped'))
        await this.ask(
          'POST',
          `/operations/${id}/${status === 'paused' ? 'resume' : kind === 'drain' ? 'cancel' : 'retry'}`,
        );
      const open = await this.world.rows<{ kind: string }>(
        `SELECT kind, state, stopped, error, about FROM operations WHERE ended_at IS NULL`,
      );
      return open.length === 0 || Promise.reject(new Error(JSON.stringify(open)));
    });
    await eventually('all applications are ready', () => {
      const short = this.sets().filter(
        (s) => (s.status as { readyReplicas?: number }).readyReplicas !== s.spec!.replicas,
      );
      return short.length === 0
        ? Promise.resolve(true)
        : Promise.reject(new Error(JSON.stringify(short.map((s) => [s.metadata.name, s.spec!.replicas, s.status]))));
    });
  }

  private async assertWhole(): Promise<void> {
    // what was acknowledged is there, unless its claim was taken away
    const claims = this.store.list('persistentvolumeclaims', namespace);
    for (const claim of claims) {
      const noted = this.world.platform.processes.acknowledged(namespace, claim.metadata.name);
      if (!noted) continue;
      const volume = [...this.box.volumes.values()].find((v) => v.name === `pvc-${claim.metadata.uid}`);
      if (!volume) throw new Error(`the volume of ${claim.metadata.name} is gone`);
      const entries = this.box.blocks.read(volume).map(([, text]) => JSON.parse(text) as { n: number; chain: string });
      const last = entries.find((e) => e.n === noted.writes);
      if (last?.chain !== noted.fingerprint)
        throw new Error(
          `${claim.metadata.name}: write ${noted.writes} was acknowledged, and there is ${JSON.stringify(last)} of ${entries.length}`,
        );
    }
    // started whole or not at all
    const services = this.store.list('services', namespace).map((s) => s.metadata.name);
    for (const { metadata } of this.sets())
      if (!services.includes(metadata.name)) throw new Error(`${metadata.name} has no service`);
    for (const name of services)
      if (/^store-/.test(name) && !this.sets().some((s) => s.metadata.name === name))
        throw new Error(`the service ${name} has no set`);
    for (const name of this.started)
      if (!this.sets().some((s) => s.metadata.name === name)) throw new Error(`${name} was started and is not there`);
    // claims, volumes of the platform, volumes of the backend and what is reserved are the same ones
    const wanted = new Set(claims.map((c) => `pvc-${c.metadata.uid}`));
    await eventually('claims and volumes are the same ones', async () => {
      const reserved = await this.world.rows<{ volume_name: string }>('SELECT volume_name FROM reservations');
      const seen = {
        platform: this.store.list('persistentvolumes').map((v) => v.metadata.name),
        backend: [...this.box.volumes.values()].map((v) => v.name),
        reserved: reserved.map((r) => r.volume_name),
      };
      for (const [where, names] of Object.entries(seen)) {
        const more = names.filter((n, i) => !wanted.has(n) || names.indexOf(n) !== i);
        const fewer = [...wanted].filter((n) => !names.includes(n));
        if (more.length + fewer.length > 0)
          throw new Error(`${where}: has ${more.join()} besides, and not ${fewer.join()}`);
      }
      return true;
    });
    const [sums] = await this.world.rows<{ kept: string; summed: string }>(
      `SELECT (SELECT reserved_raw FROM pools WHERE id = 'kelp-nvme') AS kept,
         (SELECT coalesce(sum(raw_bytes), 0) FROM reservations WHERE pool_id = 'kelp-nvme')
         + (SELECT coalesce(sum(raw_bytes), 0) FROM planned_places WHERE pool_id = 'kelp-nvme') AS summed`,
    );
    if (Number(sums!.kept) !== Number(sums!.summed))
      throw new Error(`${sums!.kept} bytes are kept as reserved, and ${sums!.summed} are`);
  }
}
