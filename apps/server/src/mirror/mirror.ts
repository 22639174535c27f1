import { setTimeout as pause } from 'node:timers/promises';
import type { Topic } from '@moorage/contract/live';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { asRecords } from '../database/statement';
import { announce, liveChannel, payloadsOf } from '../live/announce';
import {
  mirrored,
  optional,
  PlatformProblem,
  type PlatformConnector,
  type PlatformEvent,
  type PlatformObject,
  type Plural,
} from '../platform/connector';
import { mirrorStates, platformObjects } from './mirror-model';
import { dropOthers, noteVersion, takeEvents, takeIfUnheard, takeNewObjects, takeObjects } from './mirror.sql';

/** Told of changed objects of one kind inside the transaction that writes them, so that nothing is missed when the server dies. */
export type MirrorListener = (changed: readonly PlatformObject[], gone: readonly PlatformObject[]) => Promise<void>;

const topicOf: Record<Plural, Topic> = {
  namespaces: 'namespaces',
  nodes: 'backends',
  csinodes: 'backends',
  storageclasses: 'classes',
  statefulsets: 'claims',
  pods: 'claims',
  persistentvolumes: 'claims',
  persistentvolumeclaims: 'claims',
  volumeattachments: 'applications',
  poddisruptionbudgets: 'applications',
  resourcequotas: 'limits',
  bucketclasses: 'buckets',
  bucketclaims: 'buckets',
  bucketaccesses: 'buckets',
};

/** How often an interface that the platform does not have is asked for again. */
const absentMs = 60_000;

/** A full list now and then finds what a watch might have missed. */
const relistMs = 5 * 60_000;

function toRow(object: PlatformObject) {
  const { uid, namespace, name, resourceVersion, creationTimestamp } = object.metadata;
  const request = object.spec?.resources?.requests?.storage ?? object.spec?.capacity?.storage;
  const size = typeof request === 'string' ? parseQuantity(request) : undefined;
  return {
    uid,
    namespace: namespace ?? '',
    name,
    version: resourceVersion ?? '',
    body: object,
    class_name: object.spec?.storageClassName ?? (object.spec?.bucketClassName as string | undefined) ?? null,
    phase: (object.status?.phase as string | undefined) ?? null,
    size_bytes: size?.ok ? size.bytes : null,
    created_at: creationTimestamp ?? new Date(0).toISOString(),
  };
}

/** A copy of the platform's objects in PostgreSQL, by list and then watch, resumed where it stopped. */
export class Mirror {
  private aborter?: AbortController;
  private loops: Promise<void>[] = [];
  /** When each collection last failed, and why; empty when all are followed. */
  readonly problems = new Map<Plural, string>();

  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly listeners: Partial<Record<Plural, MirrorListener>>,
    private readonly afterCommit: () => void,
    private readonly log: Logger,
  ) {}

  start(): void {
    this.aborter = new AbortController();
    const { signal } = this.aborter;
    this.loops = mirrored.map((plural) => this.follow(plural, signal));
  }

  async stop(): Promise<void> {
    this.aborter?.abort();
    await Promise.all(this.loops);
  }

  private async follow(plural: Plural, signal: AbortSignal): Promise<void> {
    let pauseMs = 250;
    // a resumed watch skips the list; the listener still gets a chance at everything through the periodic comparison
    let version = await this.resumeVersion(plural).catch(() => undefined);
    while (!signal.aborted) {
      try {
        if (version === undefined) {
          const listed = await this.fetchAll(plural);
          await this.replaceAll(plural, listed.items, listed.version);
          if (listed.isAbsent) {
            this.problems.delete(plural);
            await pause(absentMs, undefined, { signal }).catch(() => undefined);
            continue;
          }
          version = listed.version;
        }
        if (signal.aborted) return;
        this.problems.delete(plural);
        pauseMs = 250;
        version = await this.watchFrom(plural, version, signal);
      } catch (error) {
        if (signal.aborted) return;
        version = undefined;
        if (error instanceof PlatformProblem && error.code === 'gone') {
          // list again; not in a tight loop, should the platform say so of every version it gives
          await pause(100, undefined, { signal }).catch(() => undefined);
          continue;
        }
        this.problems.set(plural, error instanceof Error ? error.message : String(error));
        this.log.warn({ err: error, plural }, 'the mirror lost the platform; trying again');
        await pause(pauseMs, undefined, { signal }).catch(() => undefined);
        pauseMs = Math.min(pauseMs * 2, 10_000);
      }
    }
  }

  /** Everything of one kind; nothing, where the platform does not have such an interface and need not. */
  private async fetchAll(plural: Plural): Promise<{ items: PlatformObject[]; version: string; isAbsent?: boolean }> {
    try {
      return await this.platform.list(plural);
    } catch (error) {
      if (error instanceof PlatformProblem && error.code === 'not-found' && optional.has(plural))
        return { items: [], version: '', isAbsent: true };
      throw error;
    }
  }

  private async resumeVersion(plural: Plural): Promise<string | undefined> {
    return (await mirrorStates.in(this.database).findByPk(plural))?.version || undefined;
  }

  /** Watches until the platform ends it or a comparison is due; gives the version to go on from, or undefined to list again. */
  private async watchFrom(plural: Plural, from: string, signal: AbortSignal): Promise<string | undefined> {
    let version = from;
    const queue: PlatformEvent[] = [];
    let draining: Promise<void> | undefined;
    let failure: unknown;
    const due = new AbortController();
    const timer = setTimeout(() => due.abort(), relistMs);
    const either = AbortSignal.any([signal, due.signal]);
    const drain = async () => {
      while (queue.length > 0 && !failure) {
        const batch = queue.splice(0, pageSize);
        try {
          await this.apply(plural, batch);
          version = batch[batch.length - 1]!.object.metadata.resourceVersion ?? version;
        } catch (error) {
          failure = error;
          due.abort();
        }
      }
      draining = undefined;
    };
    try {
      await this.platform.watch(
        plural,
        version,
        (event) => {
          if (!('type' in event)) {
            if (queue.length === 0 && !draining) version = event.version;
            return;
          }
          queue.push(event);
          draining ??= drain();
        },
        either,
      );
    } finally {
      clearTimeout(timer);
      await draining;
    }
    if (failure) throw failure;
    return due.signal.aborted ? undefined : version;
  }

  private async apply(plural: Plural, events: readonly PlatformEvent[]): Promise<void> {
    // only the last word on each object counts
    const last = new Map(events.map((e) => [e.object.metadata.uid!, e]));
    const changed = [...last.values()].filter((e) => e.type !== 'DELETED').map((e) => e.object);
    const gone = [...last.values()].filter((e) => e.type === 'DELETED').map((e) => e.object);
    const version = events[events.length - 1]!.object.metadata.resourceVersion!;
    const take = () =>
      takeEvents(
        this.database,
        plural,
        asRecords(changed.map(toRow)),
        gone.map((o) => o.metadata.uid!),
        version,
        liveChannel,
        payloadsOf([
          { topic: topicOf[plural] },
          ...(plural === 'persistentvolumeclaims' ? [{ topic: 'namespaces' as const }] : []),
        ]),
      );
    const listener = this.listeners[plural];
    if (!listener) return void (await take());
    await this.database.transaction(async () => {
      await take();
      await listener(changed, gone);
    });
    this.afterCommit();
  }

  /**
   * Takes a whole list in the place of what was known: versions tell nothing of what is newer, and a platform that was brought
   * back from a copy may give old ones again, for other contents.
   */
  private async replaceAll(plural: Plural, items: readonly PlatformObject[], version: string): Promise<void> {
    await this.database.transaction(async () => {
      const gone = await dropOthers(
        this.database,
        plural,
        items.map((o) => o.metadata.uid!),
      );
      const uids = new Set(await this.write(plural, items));
      await noteVersion(this.database, plural, version);
      const changed = items.filter((o) => uids.has(o.metadata.uid!));
      await this.listeners[plural]?.(
        changed,
        gone.map((g) => g.body),
      );
      if (changed.length + gone.length > 0) await announce(this.database, [{ topic: topicOf[plural] }]);
    });
    this.afterCommit();
  }

  /** Writes what the platform says, whatever was known; gives the uids of those that differ. */
  private async write(plural: Plural, objects: readonly PlatformObject[]): Promise<string[]> {
    const uids: string[] = [];
    for (let i = 0; i < objects.length; i += pageSize) {
      const rows = await takeObjects(this.database, plural, asRecords(objects.slice(i, i + pageSize).map(toRow)));
      uids.push(...rows.map((r) => r.uid));
    }
    return uids;
  }
}

const pageSize = 500;

/** Notes an object that we just made, unless the platform told of it already, and then of something later perhaps. */
export async function noteMade(database: Database, plural: Plural, object: PlatformObject): Promise<void> {
  await takeNewObjects(database, plural, asRecords([toRow(object)]));
}

/** The version of an object as the mirror has it. */
export async function knownVersion(
  database: Database,
  plural: Plural,
  name: string,
  namespace = '',
): Promise<string | undefined> {
  const row = await platformObjects
    .in(database)
    .findOne({ attributes: ['version'], where: { plural, namespace, name } });
  return row?.version;
}

/** Notes an object that we just changed, unless the mirror heard something of it since it knew it as `before`. */
export async function noteChanged(
  database: Database,
  plural: Plural,
  object: PlatformObject,
  before: string | undefined,
): Promise<void> {
  await takeIfUnheard(database, plural, asRecords([toRow(object)]), before ?? '');
}
