import { parseQuantity } from '@moorage/core/sizes/quantity';
import type { Topic } from '@moorage/contract/live';
import type { Logger } from 'pino';
import { setTimeout as pause } from 'node:timers/promises';
import type { Database, Transaction } from '../database/database';
import { announce } from '../live/announce';
import {
  mirrored,
  PlatformProblem,
  type PlatformConnector,
  type PlatformEvent,
  type PlatformObject,
  type Plural,
} from './connector';

/** Told of changed objects inside the transaction that writes them, so that nothing is missed when the server dies. */
export type MirrorListener = (
  plural: Plural,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
  tx: Transaction,
) => Promise<void>;

const topicOf: Record<Plural, Topic> = {
  namespaces: 'namespaces',
  nodes: 'backends',
  csinodes: 'backends',
  storageclasses: 'classes',
  statefulsets: 'claims',
  pods: 'claims',
  persistentvolumes: 'claims',
  persistentvolumeclaims: 'claims',
};

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
    version: Number(resourceVersion),
    body: object,
    class_name: (object.spec?.storageClassName as string | undefined) ?? null,
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
    private readonly listener: MirrorListener,
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
          const listed = await this.platform.list(plural);
          await this.replaceAll(plural, listed.items, listed.version);
          version = listed.version;
        }
        this.problems.delete(plural);
        pauseMs = 250;
        version = await this.watchFrom(plural, version, signal);
      } catch (error) {
        if (signal.aborted) return;
        version = undefined;
        if (error instanceof PlatformProblem && error.code === 'gone') continue;
        this.problems.set(plural, error instanceof Error ? error.message : String(error));
        this.log.warn({ err: error, plural }, 'the mirror lost the platform; trying again');
        await pause(pauseMs, undefined, { signal }).catch(() => undefined);
        pauseMs = Math.min(pauseMs * 2, 10_000);
      }
    }
  }

  private async resumeVersion(plural: Plural): Promise<string | undefined> {
    const row = await this.database.one<{ version: number }>('SELECT version FROM mirror_state WHERE plural = $1', [
      plural,
    ]);
    return row && String(row.version);
  }

  /** Watches until the platform ends it or a comparison is due; gives the version to go on from, or undefined to list again. */
  private async watchFrom(plural: Plural, from: string, signal: AbortSignal): Promise<string | undefined> {
    let version = from;
    let queue: PlatformEvent[] = [];
    let draining: Promise<void> | undefined;
    let failure: unknown;
    const due = new AbortController();
    const timer = setTimeout(() => due.abort(), relistMs);
    const either = AbortSignal.any([signal, due.signal]);
    const drain = async () => {
      while (queue.length > 0 && !failure) {
        const batch = queue;
        queue = [];
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
    await this.database.transaction(async (tx) => {
      await this.write(
        plural,
        changed,
        gone.map((o) => o.metadata.uid!),
        version,
        tx,
      );
      await this.listener(plural, changed, gone, tx);
      await announce(
        this.database,
        [
          { topic: topicOf[plural] },
          ...(plural === 'persistentvolumeclaims' ? [{ topic: 'namespaces' as const }] : []),
        ],
        tx,
      );
    });
    this.afterCommit();
  }

  private async replaceAll(plural: Plural, items: readonly PlatformObject[], version: string): Promise<void> {
    const uids = new Set(items.map((o) => o.metadata.uid!));
    await this.database.transaction(async (tx) => {
      const known = await this.database.rows<{ uid: string; version: number; body: PlatformObject }>(
        'SELECT uid, version, body FROM platform_objects WHERE plural = $1',
        [plural],
        tx,
      );
      const before = new Map(known.map((o) => [o.uid, o.version]));
      const gone = known.filter((o) => !uids.has(o.uid)).map((o) => o.body);
      const changed = items.filter((o) => before.get(o.metadata.uid!) !== Number(o.metadata.resourceVersion));
      await this.write(
        plural,
        changed,
        gone.map((o) => o.metadata.uid!),
        version,
        tx,
      );
      await this.listener(plural, changed, gone, tx);
      if (changed.length + gone.length > 0) await announce(this.database, [{ topic: topicOf[plural] }], tx);
    });
    this.afterCommit();
  }

  private async write(
    plural: Plural,
    changed: readonly PlatformObject[],
    gone: readonly string[],
    version: string,
    tx: Transaction,
  ): Promise<void> {
    if (changed.length > 0) await upsertObjects(this.database, plural, changed, tx, version);
    if (gone.length > 0)
      await this.database.rows('DELETE FROM platform_objects WHERE plural = $1 AND uid = ANY($2)', [plural, gone], tx);
    if (changed.length === 0) await this.database.rows(noteVersion, [plural, version], tx);
  }
}

const noteVersion = `INSERT INTO mirror_state (plural, version) SELECT $1, $2::bigint WHERE $2 IS NOT NULL
  ON CONFLICT (plural) DO UPDATE SET version = greatest(mirror_state.version, excluded.version), seen_at = now()`;

/**
 * Writes objects into the mirror unless it knows a newer version; also used for an object the platform just gave us. With
 * `version`, it is noted how far the collection was followed.
 */
export async function upsertObjects(
  database: Database,
  plural: Plural,
  objects: readonly PlatformObject[],
  tx?: Transaction,
  version?: string,
): Promise<void> {
  await database.rows(
    `WITH noted AS (${noteVersion})
     INSERT INTO platform_objects (plural, uid, namespace, name, version, body, class_name, phase, size_bytes, created_at)
     SELECT $1, o.* FROM jsonb_to_recordset($3::jsonb)
       AS o(uid text, namespace text, name text, version bigint, body jsonb, class_name text, phase text, size_bytes bigint, created_at timestamptz)
     ON CONFLICT (plural, uid) DO UPDATE SET namespace = excluded.namespace, name = excluded.name, version = excluded.version, body = excluded.body,
       class_name = excluded.class_name, phase = excluded.phase, size_bytes = excluded.size_bytes
     WHERE platform_objects.version < excluded.version`,
    [plural, version, JSON.stringify(objects.map(toRow))],
    tx,
  );
}
