import { createHash } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { Topic } from '@moorage/contract/live';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import stableText from 'fast-json-stable-stringify';
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
import {
  dropObjects,
  knownAfter,
  listingBegins,
  noteVersion,
  takeEvents,
  takeIfUnheard,
  takeNewObjects,
  takeObjects,
  versionsOf,
} from './mirror.sql';

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

/** The same of two objects that say the same, in whatever order. */
const digestOf = (object: PlatformObject): string => createHash('sha1').update(stableText(object)).digest('base64url');

function toRow(object: PlatformObject) {
  const { uid, namespace, name, resourceVersion, creationTimestamp } = object.metadata;
  const request = object.spec?.resources?.requests?.storage ?? object.spec?.capacity?.storage;
  const size = typeof request === 'string' ? parseQuantity(request) : undefined;
  return {
    uid,
    namespace: namespace ?? '',
    name,
    version: resourceVersion ?? '',
    digest: digestOf(object),
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
          const listed = await this.takeList(plural, signal);
          if (listed === 'absent') {
            this.problems.delete(plural);
            await pause(absentMs, undefined, { signal }).catch(() => undefined);
            continue;
          }
          version = listed;
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
   * Takes a whole list in the place of what was known, a page at a time, each in its own transaction: versions tell nothing of what is newer,
   * and a platform that was brought back from a copy may give old ones again, for other contents. What is listed no longer is forgotten
   * last, but for what was first noted since the list began. Gives the version of the list; cut short, all is listed again.
   */
  private async takeList(plural: Plural, signal: AbortSignal): Promise<string | 'absent'> {
    const [began] = await listingBegins(this.database);
    const listed = new Set<string>();
    let version = '';
    let isAbsent = false;
    try {
      for await (const page of this.platform.pages(plural)) {
        signal.throwIfAborted();
        for (const { metadata } of page.items) listed.add(metadata.uid!);
        version = page.version;
        for (let i = 0; i < page.items.length; i += pageSize)
          await this.takePage(plural, page.items.slice(i, i + pageSize));
        if (listed.size >= toldFrom) this.log.info({ plural, listed: listed.size }, 'listing');
      }
    } catch (error) {
      // an interface that the platform does not have and need not has nothing
      if (!(error instanceof PlatformProblem && error.code === 'not-found' && optional.has(plural))) throw error;
      isAbsent = true;
    }
    await this.dropUnlisted(plural, listed, began!.at, signal);
    await noteVersion(this.database, plural, version);
    return isAbsent ? 'absent' : version;
  }

  /** Writes what differs from what is known, of a part of a list. */
  private async takePage(plural: Plural, objects: readonly PlatformObject[]): Promise<void> {
    const uids = objects.map((o) => o.metadata.uid!);
    const known = new Map((await versionsOf(this.database, plural, uids)).map((k) => [k.uid, k]));
    const rows = objects.map(toRow).filter(({ uid, version, digest }) => {
      const before = known.get(uid!);
      return before?.version !== version || before.digest !== digest;
    });
    if (rows.length === 0) return;
    await this.database.transaction(async () => {
      await takeObjects(this.database, plural, asRecords(rows));
      await this.listeners[plural]?.(
        rows.map((r) => r.body),
        [],
      );
      await announce(this.database, [{ topic: topicOf[plural] }]);
    });
    this.afterCommit();
  }

  /** Forgets what was known before a list began and is not in it. */
  private async dropUnlisted(
    plural: Plural,
    listed: ReadonlySet<string>,
    began: Date,
    signal: AbortSignal,
  ): Promise<void> {
    const most = 10 * pageSize;
    for (let known = await knownAfter(this.database, plural, '', began, most); known.length > 0;) {
      const gone = known.map((k) => k.uid).filter((uid) => !listed.has(uid));
      for (let i = 0; i < gone.length; i += pageSize) {
        signal.throwIfAborted();
        await this.database.transaction(async () => {
          const dropped = await dropObjects(this.database, plural, gone.slice(i, i + pageSize));
          await this.listeners[plural]?.(
            [],
            dropped.map((d) => d.body),
          );
          await announce(this.database, [{ topic: topicOf[plural] }]);
        });
        this.afterCommit();
        if (gone.length >= toldFrom)
          this.log.info({ plural, left: gone.length - i }, 'forgetting what is there no longer');
      }
      if (known.length < most) return;
      known = await knownAfter(this.database, plural, known.at(-1)!.uid, began, most);
    }
  }
}

/** How many objects of a kind are so many that it is told how far they are. */
const toldFrom = 5000;
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
