import type { ClaimDetail, ClaimPage, ClaimQuery, ClaimRow, NewClaim } from '@moorage/contract/claims';
import { claimManifest } from '@moorage/core/claims/manifest';
import { nearest } from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { anywhere, cursorText, isCountText, isTimeText, readCursor } from '../database/cursor';
import { isKeepable } from '../database/keepable';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { noteMade } from '../mirror/mirror';
import { namesOf } from '../mirror/mirrored';
import type { Work } from '../operations/kind';
import { operations } from '../operations/operation-model';
import { Sight } from '../people/sight';
import type { PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { decisions } from '../reservations/decision-model';
import { deletionOf } from './deletion';
import {
  claimCounts,
  claimNamed,
  claimPages,
  claimsMatching,
  otherPodsOf,
  podsOf,
  type StoredClaim,
} from './claims.sql';

const unbound = new Set<ClaimRow['state']>([
  'binding',
  'waiting-pod',
  'nothing-fits',
  'no-class',
  'retrying',
  'stopped',
  'held-back',
  'foreign',
  'lost',
  'unreachable',
]);

/** How far the growth of a claim is that asks for more than it has. */
function growthOf(c: StoredClaim): ClaimRow['growth'] {
  if (c.growth_id === null) return null;
  const reckoned = c.growth_answer?.growth;
  const refusals =
    c.growth_waiting_for === 'capacity' && reckoned?.kind === 'reckoned'
      ? reckoned.on.flatMap(({ pool, checks }) => checks.filter((k) => !k.passed).map((check) => ({ pool, check })))
      : [];
  return {
    operation: c.growth_id,
    state: c.growth!,
    waitingFor: c.growth === 'waiting' || c.growth === 'seeing' ? c.growth_waiting_for : null,
    failed: refusals[0] ?? null,
    error: c.growth_error,
    stopped: c.growth_stopped,
    nextAttemptAt: c.growth_stopped ? null : (c.growth_next_attempt_at?.toISOString() ?? null),
  };
}

function toRow(c: StoredClaim, classes: readonly string[] = []): ClaimRow {
  const failed =
    c.state === 'nothing-fits' && c.trace
      ? c.trace.candidates.flatMap(({ pool, checks }) => {
          const check = checks.find((k) => !k.passed);
          return check ? [{ pool, check }] : [];
        })
      : [];
  return {
    uid: c.uid,
    namespace: c.namespace,
    name: c.name,
    className: c.class_name,
    modes: c.body.spec.accessModes ?? [],
    volumeMode: c.body.spec.volumeMode ?? 'Filesystem',
    requested: c.size_bytes,
    provisioned: c.provisioned,
    consumed: c.consumed,
    state: c.state,
    pool: c.pool_id,
    backend: c.backend_id,
    volumeName: c.volume_name ?? c.body.spec.volumeName ?? null,
    volumeId: c.volume_id,
    createdAt: c.created_at.toISOString(),
    growth: growthOf(c),
    reason: unbound.has(c.state)
      ? {
          failed,
          pod: c.pod?.name ?? null,
          podWhy: c.pod?.why ?? null,
          error: c.error,
          nextAttemptAt: c.operation_stopped ? null : (c.next_attempt_at?.toISOString() ?? null),
          operation: c.operation_id,
          stopped: c.operation_stopped,
          attempts: c.attempts ?? 0,
          asks: c.state === 'held-back' ? c.waiting_for : null,
          missingSince: c.missing_since?.toISOString() ?? null,
          nearest: c.state === 'no-class' && c.class_name ? (nearest(c.class_name, classes) ?? null) : null,
        }
      : null,
  };
}

const isOfSort: Record<ClaimQuery['sort'], (value: string) => boolean> = {
  created: isTimeText,
  size: isCountText,
  name: isKeepable,
  namespace: isKeepable,
  class: isKeepable,
  state: isKeepable,
};

/** One page of claims, filtered and sorted in the database. */
export async function listClaims(database: Database, sight: Sight, query: ClaimQuery): Promise<ClaimPage> {
  const { namespace, className, state, q, sort, direction, limit } = query;
  const cursor = readCursor(query.cursor, sort, isOfSort[sort]);
  const like = q ? anywhere(q) : undefined;
  const [rows, counted] = await Promise.all([
    claimPages[sort][direction][like === undefined ? 'named' : 'matching'](
      database,
      namespace,
      className,
      like,
      sight.namespaces,
      state,
      cursor?.value,
      cursor?.uid,
      limit + 1,
    ),
    first((like === undefined ? claimCounts : claimsMatching)(database, namespace, className, like, sight.namespaces)),
  ]);
  const page = rows.slice(0, limit);
  const last = page[page.length - 1];
  const counts = counted ?? { bound: 0, unbound: 0, stuck: 0 };
  const next = rows.length > limit && last ? cursorText({ sort, value: last.sort_value, uid: last.uid }) : null;
  return {
    claims: await withNearest(database, page),
    total: state === 'bound' ? counts.bound : state === 'unbound' ? counts.unbound : counts.bound + counts.unbound,
    next,
    counts,
  };
}

/** Rows with the nearest class beside a class that is not there. */
async function withNearest(database: Database, rows: readonly StoredClaim[]): Promise<ClaimRow[]> {
  const classes = rows.some((r) => r.state === 'no-class' && r.class_name)
    ? await namesOf(database, 'storageclasses')
    : [];
  return rows.map((row) => toRow(row, classes));
}

/** Pods that use a claim, and how many other pods of the same owner there are: the replicas that stay when this one goes. */
async function usersOf(database: Database, { namespace, name }: StoredClaim): Promise<ClaimDetail['usedBy']> {
  const pods = await podsOf(database, namespace, name);
  const owner = pods.find((p) => p.owner_uid)?.owner_uid;
  const others = owner
    ? await first(
        otherPodsOf(
          database,
          namespace,
          owner,
          pods.map((p) => p.pod),
        ),
      )
    : undefined;
  return {
    pods: pods.map(({ pod, node }) => ({ pod, node })),
    application: pods.find((p) => p.owner)?.owner ?? null,
    otherReplicas: others?.count ?? 0,
  };
}

async function getStored(database: Database, sight: Sight, namespace: string, name: string): Promise<StoredClaim> {
  if (!sight.sees(namespace)) throw Refusal.notFound('claim', `${namespace}/${name}`);
  const row = await first(claimNamed(database, namespace, name));
  if (!row) throw Refusal.notFound('claim', `${namespace}/${name}`);
  return row;
}

export async function getClaim(
  database: Database,
  sight: Sight,
  namespace: string,
  name: string,
  works: readonly Work[] = [],
): Promise<ClaimDetail> {
  const row = await getStored(database, sight, namespace, name);
  const [made, usedBy, [claim], timeline] = await Promise.all([
    decisions.in(database).findAll({ where: { claimUid: row.uid }, order: [['id', 'DESC']], limit: 20 }),
    usersOf(database, row),
    withNearest(database, [row]),
    timelineOf(database, row.uid, works),
  ]);
  return {
    claim: claim!,
    usedBy,
    decisions: made.map((d) => ({
      madeAt: d.madeAt.toISOString(),
      tookMicros: d.tookMicros,
      trace: d.trace,
      remedies: d.remedies,
    })),
    timeline,
    manifest: row.body,
  };
}

const mostOperations = 30;

const withCause = (words: string, cause: string | null): string =>
  cause === null ? words : `${words}${/^[A-Z]/.test(cause) ? '.' : ':'} ${cause}`;

/** What was done for a claim, step by step: of the operations about it that are kept, each step with how long it took. */
async function timelineOf(database: Database, uid: string, works: readonly Work[]): Promise<ClaimDetail['timeline']> {
  const rows = await operations.in(database).findAll({
    attributes: ['kind', 'createdAt', 'steps', 'cause'],
    where: { subject: uid },
    order: [['createdAt', 'DESC']],
    limit: mostOperations,
    raw: true,
  });
  return rows
    .flatMap(({ kind: name, createdAt, steps, cause }) => {
      const kind = works.find((w) => w.kind.kind === name)?.kind;
      const all = [{ state: kind?.begins ?? '', at: createdAt.toISOString() }, ...steps];
      return all.map(({ state, at }, i) => {
        const next = all[i + 1];
        return {
          at: new Date(at).toISOString(),
          title: kind?.title ?? name,
          // why it went that way stands with its last step
          words: withCause(kind?.states[state]?.words ?? state, next ? null : cause),
          seconds: next ? Math.max(0, (Date.parse(next.at) - Date.parse(at)) / 1000) : null,
        };
      });
    })
    .sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
}

/** Who binds claims. */
export interface Bindings {
  /** Lets the binding of claims that were just written begin, in the transaction that writes them; gives its operations. */
  beginBinding(claims: readonly string[]): Promise<string[]>;
  /** Carries them, once they are written, while the caller goes on; what cannot be begun is logged, and found by the sweep. */
  carry(operations: readonly string[]): void;
}

/** Makes a claim on the platform. Its binding begins at once, without waiting to be told of it by the platform's watch. */
export async function createClaim(
  database: Database,
  platform: PlatformConnector,
  asked: NewClaim,
  person: string,
  bindings: Bindings,
): Promise<ClaimRow> {
  const { namespace, name } = asked;
  const made = await platform.create(claimManifest(asked));
  const subject = `${namespace}/${name}`;
  const operations = await database.transaction(async () => {
    await noteMade(database, 'persistentvolumeclaims', made);
    await record(database, { person, action: 'create', kind: 'claim', subject, after: asked });
    await announce(database, [{ topic: 'claims', subject }]);
    return bindings.beginBinding([made.metadata.uid!]);
  });
  bindings.carry(operations);
  return toRow(await getStored(database, Sight.everything, namespace, name));
}

/** Deletes a claim on the platform. When its class destroys the volume and data was written, the name must be given once more. */
export async function deleteClaim(
  database: Database,
  platform: PlatformConnector,
  at: { namespace: string; name: string },
  confirm: string | undefined,
  person: string,
): Promise<void> {
  const claim = toRow(await getStored(database, Sight.everything, at.namespace, at.name));
  const { destroyed, confirm: mustConfirm } = await deletionOf(database, [at]);
  if (mustConfirm && confirm !== at.name)
    throw new Refusal(
      'conflict',
      'confirm-destruction',
      'This destroys data',
      `Deleting "${at.name}" destroys ${destroyed.toLocaleString('en-GB')} used bytes, because its volume's policy says Delete. Repeat the call with ?confirm=${at.name}.`,
      'confirm',
    );
  // the very claim that was seen: another of its name, made meanwhile, stays
  await platform.ensureDeleted('v1', 'PersistentVolumeClaim', at.name, at.namespace, claim.uid);
  await record(database, {
    person,
    action: 'delete',
    kind: 'claim',
    subject: `${at.namespace}/${at.name}`,
    before: claim,
  });
}
