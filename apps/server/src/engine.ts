import { liveEventSchema } from '@moorage/contract/live';
import type { Logger } from 'pino';
import { Acts } from './acts/acts';
import { DrainCarrier } from './applications/drain';
import { moveDays, onAttachments, onPods } from './applications/moves';
import { forgetMoves } from './applications/moves.sql';
import { reckonApplications } from './applications/reckon';
import { carryingApplication } from './applications/start';
import { Backends, ensureBackends } from './backends/backends';
import { beginBinding, onClaims, onVolumes } from './binder/begin';
import { Binder } from './binder/binder';
import { findWaiting, waitingClaims } from './binder/sweep';
import { helpedBy, type Helped } from './binder/waking';
import { findForgottenBuckets, onAccesses, onBucketClaims, someWaiting, waitingBuckets } from './buckets/begin';
import { BucketCarrier } from './buckets/carry';
import { KeyCarrier } from './buckets/keys';
import { LimitCarrier } from './buckets/limit';
import { measureSome } from './buckets/measure';
import { keepingVolume } from './claims/keep';
import { changingClass, removingClass } from './classes/acts';
import type { Config } from './config';
import type { Database } from './database/database';
import { migrate } from './database/migrations';
import { compareSome } from './drift/compare';
import { MendCarrier } from './drift/mend';
import { applying } from './drafts/draft';
import { detectFindings } from './findings/detect';
import { Reckoner } from './waste/reckoner';
import { storeFindings } from './findings/findings';
import { onClaims as onGrowingClaims } from './growth/begin';
import { GrowthCarrier } from './growth/carry';
import { InstanceCarrier } from './instances/carry';
import { Idempotency, purgeKeys } from './idempotency/idempotency';
import { Anchor } from './live/anchor';
import { liveChannel, workChannel } from './live/announce';
import { CopiesCarrier } from './copies/carry';
import { onClaims as onTunedClaims } from './tuning/begin';
import { TuningCarrier } from './tuning/carry';
import { Turns } from './live/turns';
import { applyingManifests } from './manifests/manifests';
import { ManifestReader } from './manifests/reading';
import type { Metrics } from './metrics/metrics';
import { endHolds } from './moorings/planned';
import { Mirror } from './mirror/mirror';
import type { Operation } from './operations/operation';
import type { Work } from './operations/kind';
import { oneAtATime } from './operations/one-at-a-time';
import { namingVolume } from './static-volumes/static-volumes';
import { OperationQueue } from './operations/queue';
import { Runner } from './operations/runner';
import { ensurePeople } from './people/people';
import { tidyPeople } from './tokens/tidy';
import type { PlatformConnector } from './platform/connector';
import { ReshapeCarrier } from './reshapes/carry';
import { RoundCarrier } from './rounds/carry';
import { SalvageCarrier } from './salvage/carry';
import { succeeding } from './successions/successor';
import { LimitKeeper } from './namespaces/keeper';
import { UsageKeeper } from './usage/keeper';
import { Vault } from './secrets/vault';

/** Pause between looks at some of the claims that wait, should a change that helps them have been missed. */
const reconsiderMs = 30_000;
const reconsiderAtOnce = 200;
const purgeMs = 60_000;
const settleMs = 100;
/** How soon an application that something changed for is reckoned anew. */
const reckonMs = 1000;

/**
 * The part of a server that works by itself. Every server carries operations; one of them, at any time, also watches the
 * platform and the backends.
 */
export class Engine {
  readonly anchor: Anchor;
  readonly backends: Backends;
  private readonly queue: OperationQueue;
  readonly vault: Vault;
  /** Every kind of operation that this server carries. */
  readonly works: readonly Work[];
  private readonly binder: Binder;
  private readonly usage: UsageKeeper;
  private readonly limits: LimitKeeper;
  private readonly reckoner: Reckoner;
  private readonly runner: Runner;
  private mirror?: Mirror;
  private timers: NodeJS.Timeout[] = [];
  private settling?: NodeJS.Timeout;
  /** What changed since claims were last looked at again, by its text. */
  private helped = new Map<string, Helped>();
  private waitingAfter?: string;
  /** How far the round of comparing declared and actual has come. */
  private comparedAfter?: string;
  private woken: string[] = [];
  private readonly followed = new Set<string>();
  readonly turns: Turns;
  readonly acts: Acts;
  readonly keys: Idempotency;
  readonly reader: ManifestReader;
  private purging?: NodeJS.Timeout;
  private started = false;
  private stopped = false;

  constructor(
    readonly config: Config,
    private readonly database: Database,
    readonly platform: PlatformConnector,
    metrics: Metrics,
    private readonly log: Logger,
    onStep: (operation: Operation) => void,
    /** Kinds of operations beside those of the rooms. */
    more: readonly Work[] = [],
  ) {
    this.anchor = new Anchor(config.databaseUrl, log);
    const lease = () => this.anchor.lease;
    this.turns = new Turns(database, lease);
    this.keys = new Idempotency(database, config.key, lease);
    this.reader = new ManifestReader(config.programs);
    this.vault = new Vault(config.key);
    this.backends = new Backends(database, this.vault, metrics, config.backendTimeoutMs);
    const isOver = () => this.stopped || !this.anchor.leads;
    this.usage = new UsageKeeper(database, platform, this.backends, log, isOver, config.databaseFree);
    this.limits = new LimitKeeper(database, platform, log, isOver);
    this.reckoner = new Reckoner(database, metrics, log, isOver);
    this.queue = new OperationQueue(config.databaseUrl, log);
    const { site } = config.estate;
    this.binder = new Binder(database, platform, this.backends, metrics, site);
    this.acts = new Acts(database, platform, this.turns, (operation) => this.runner.carryHere(operation));
    this.works = [
      ...this.binder.works,
      new GrowthCarrier(database, platform, this.backends, metrics, site).work,
      new TuningCarrier(database, platform, this.backends, site, this.carry).work,
      new CopiesCarrier(database, platform, this.backends, site, this.carry).work,
      ...new InstanceCarrier(database, this.backends, this.carry).works,
      new DrainCarrier(database, platform).work,
      new SalvageCarrier(database, platform).work,
      new MendCarrier(database, platform, this.backends).work,
      new RoundCarrier(database, platform, this.carry).work,
      new ReshapeCarrier(database, this.backends).work,
      ...new BucketCarrier(database, platform, this.backends, site, this.carry).works,
      ...new KeyCarrier(database, platform, this.backends).works,
      new LimitCarrier(database, site).work,
      this.acts.workOf(carryingApplication),
      this.acts.workOf(changingClass),
      this.acts.workOf(removingClass(database)),
      this.acts.workOf(applying(database)),
      this.acts.workOf(succeeding(database, site)),
      this.acts.workOf(applyingManifests(database)),
      this.acts.workOf(namingVolume),
      this.acts.workOf(keepingVolume(database)),
      ...more,
    ] as Work[];
    this.runner = new Runner(database, this.queue, lease, this.works, metrics, log, onStep);
  }

  get site(): string {
    return this.config.estate.site;
  }

  get isReady(): boolean {
    return this.started && this.anchor.isConnected;
  }

  get problems(): { part: string; detail: string }[] {
    const found = this.isReady
      ? []
      : [{ part: 'database', detail: 'PostgreSQL does not answer; the server keeps trying.' }];
    for (const [plural, detail] of this.mirror?.problems ?? []) found.push({ part: `platform: ${plural}`, detail });
    return found;
  }

  /** Waits for PostgreSQL, prepares it and begins. Comes back to it when a step fails because the database went away. */
  async start(): Promise<void> {
    for (let pauseMs = 500; !this.stopped; pauseMs = Math.min(pauseMs * 1.5, 5000)) {
      try {
        await this.prepare();
        return;
      } catch (error) {
        this.log.warn({ err: error }, 'not ready yet: PostgreSQL does not answer as it should; trying again');
        await new Promise((resolve) => setTimeout(resolve, pauseMs));
      }
    }
  }

  private async prepare(): Promise<void> {
    const { estate } = this.config;
    await migrate(this.database, this.config.key);
    await ensurePeople(this.database, estate.people);
    await ensureBackends(this.database, this.vault, estate);
    await this.queue.start();
    this.anchor.on('notify', (channel: string, payload: string) => this.hear(channel, payload));
    this.anchor.on('leads', () => this.lead());
    this.anchor.on('follows', () => void this.follow());
    await this.anchor.start();
    this.runner.start();
    this.purging = setInterval(() => void this.guard(this.purge), purgeMs);
    this.started = true;
  }

  private hear(channel: string, payload: string): void {
    if (channel === workChannel) void this.runner.pump();
    if (channel !== liveChannel) return;
    const event = liveEventSchema.safeParse(JSON.parse(payload));
    if (!event.success) return;
    const renewed = /^(.+)\/credentials$/.exec(event.data.subject ?? '')?.[1];
    if (event.data.topic === 'backends' && renewed !== undefined) void this.guard(() => this.backends.renew(renewed));
    if (!this.anchor.leads) return;
    if (event.data.topic === 'backends') void this.guard(() => this.followBackends());
    if (event.data.topic === 'limits') void this.guard(this.keepLimits);
    const helped = helpedBy(event.data);
    if (helped) this.reconsiderSoon(helped);
  }

  private reconsiderSoon(helped: Helped): void {
    this.helped.set(JSON.stringify(helped), helped);
    this.settling ??= setTimeout(() => {
      this.settling = undefined;
      void this.guard(this.reconsider);
    }, settleMs);
  }

  /** Gives claims that wait another decision, those alone that what changed can help. */
  private readonly reconsider = oneAtATime(async () => {
    while (this.helped.size > 0 && !this.stopped) {
      const all = [...this.helped.values()];
      this.helped.clear();
      // a change of everything covers the others
      for (const helped of all.some((h) => Object.keys(h).length === 0) ? [{}] : all)
        for await (const ids of waitingClaims(this.database, helped)) await this.runner.enqueue(ids);
      for await (const ids of waitingBuckets(this.database)) await this.runner.enqueue(ids);
    }
  });

  /** Looks at some of the claims that wait, in turn, whatever changed: a notification may have been missed. */
  private readonly reconsiderSome = oneAtATime(async () => {
    const ids = await findWaiting(this.database, reconsiderAtOnce, this.waitingAfter);
    this.waitingAfter = ids.length === reconsiderAtOnce ? ids[ids.length - 1] : undefined;
    await this.runner.enqueue([...ids, ...(await someWaiting(this.database))]);
  });

  private readonly sweep = oneAtATime(async () => {
    await endHolds(this.database);
    await this.keepLimits();
    await this.binder.destroyLate();
    await this.runner.enqueue([...(await findForgottenBuckets(this.database)), ...(await this.binder.findForgotten())]);
  });

  private readonly keepLimits = oneAtATime(() => this.limits.keep());
  private readonly look = oneAtATime(() => this.usage.look());

  private readonly reckon = oneAtATime(() => reckonApplications(this.database, () => this.stopped));

  /** Forgets what has had its time, in small steps. */
  private readonly purge = oneAtATime(async () => {
    await this.turns.clear();
    await this.keys.clear();
    if (!this.anchor.leads) return;
    await tidyPeople(this.database);
    await forgetMoves(this.database, moveDays);
    await this.usage.tidy();
    await this.reckoner.tidy();
    for (let more = true; more && !this.stopped;) more = await purgeKeys(this.database);
  });

  private async guard(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (error) {
      this.log.warn({ err: error }, 'a round of looking after things failed; the next one tries again');
    }
  }

  /** Begins to watch the platform and the backends for all servers. */
  private lead(): void {
    if (this.stopped) return;
    this.log.info('this server now watches the platform and the backends');
    this.mirror = new Mirror(
      this.database,
      this.platform,
      {
        persistentvolumeclaims: async (changed, gone) => {
          this.woken.push(...(await onClaims(this.database, changed, gone)));
          this.woken.push(...(await onGrowingClaims(this.database, changed, gone)));
          this.woken.push(...(await onTunedClaims(this.database, changed)));
        },
        persistentvolumes: async (changed, gone) => {
          this.woken.push(...(await onVolumes(this.database, changed, gone)));
        },
        ...this.limits.listeners,
        pods: (changed, gone) => onPods(this.database, changed, gone),
        volumeattachments: (changed, gone) => onAttachments(this.database, changed, gone),
        bucketclasses: async () => {
          this.woken.push(...(await someWaiting(this.database)));
        },
        bucketclaims: async (changed, gone) => {
          this.woken.push(...(await onBucketClaims(this.database, changed, gone)));
        },
        bucketaccesses: async (changed, gone) => {
          this.woken.push(...(await onAccesses(this.database, changed, gone)));
        },
      },
      () => {
        const ids = this.woken.splice(0);
        void this.guard(() => this.runner.enqueue(ids));
      },
      this.log,
    );
    this.mirror.start();
    this.timers.push(
      setInterval(() => void this.guard(this.sweep), this.config.sweepMs),
      setInterval(() => void this.guard(this.look), this.config.sweepMs),
      setInterval(() => void this.guard(this.reconsiderSome), reconsiderMs),
      setInterval(() => void this.guard(this.reckon), reckonMs),
    );
    void this.guard(this.sweep);
    this.followed.clear();
    void this.guard(() => this.followBackends());
    this.findForever();
  }

  /** Begins to look at backends that were registered since. */
  private async followBackends(): Promise<void> {
    if (!this.mirror) return;
    for (const id of await this.backends.ids())
      if (!this.followed.has(id)) {
        this.followed.add(id);
        this.syncForever(id);
      }
  }

  /** Looks for what needs a person, again and again; one round at a time. */
  private findForever(): void {
    const mirror = this.mirror;
    const round = async () => {
      await this.guard(async () => storeFindings(this.database, await this.detect()));
      await this.guard(async () => void (this.comparedAfter = await compareSome(this.database, this.comparedAfter)));
      await this.guard(() => measureSome(this.database, this.backends, this.config.measureS));
      if (this.mirror === mirror && !this.stopped) this.timers.push(setTimeout(() => void round(), this.config.findMs));
    };
    void round();
  }

  private detect = () =>
    detectFindings(
      this.database,
      this.site,
      [...(this.mirror?.problems ?? [])].map(([part, detail]) => ({ part, detail })),
    );

  /** Lets the binding of claims begin, in the transaction that writes them; gives its operations. */
  beginBinding = (claims: readonly string[]): Promise<string[]> => beginBinding(this.database, claims);

  /** The same while the caller goes on: what could not be put on the queue is logged, and the sweep finds it. */
  carry = (operations: readonly string[]): void => void this.guard(() => this.runner.enqueue(operations));

  /** Carries operations that were just written. */
  begin = (operations: readonly string[]): Promise<void> => this.runner.enqueue(operations);

  /** Each backend has its own rhythm, so that a slow one delays none of the others. */
  private syncForever(id: string): void {
    const mirror = this.mirror;
    const round = async () => {
      if (!(await this.backends.ids()).includes(id)) {
        this.followed.delete(id);
        return;
      }
      const began = Date.now();
      await this.guard(async () => {
        const seen = await this.backends.sync(id);
        if (seen) await this.usage.take(id, seen);
      });
      // a backend that takes long to tell of itself is asked less often
      const pauseMs = Math.max(this.config.backendSyncMs, 3 * (Date.now() - began));
      if (this.mirror === mirror && !this.stopped) this.timers.push(setTimeout(() => void this.guard(round), pauseMs));
    };
    void this.guard(round);
  }

  private async follow(): Promise<void> {
    for (const timer of this.timers.splice(0)) clearTimeout(timer);
    const mirror = this.mirror;
    this.mirror = undefined;
    await mirror?.stop();
  }

  async stop(): Promise<void> {
    this.stopped = true;
    clearTimeout(this.settling);
    clearInterval(this.purging);
    await this.follow();
    await this.runner.stop();
    await this.queue.stop().catch(() => undefined);
    await this.reader.stop();
    await this.anchor.stop();
  }
}
