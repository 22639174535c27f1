import { relaxed } from '../database/relaxed.sql';
import type { ClassManifest } from '@moorage/core/classes/manifest';
import { statement } from '../database/statement';
import { mayGoTo, setTo } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { operationFields } from '../operations/operations.sql';
import type { PlatformObject } from '../platform/connector';
import { binding, neverBound, releasing } from './kinds';

/** A claim as the platform has it, and its class. */
export interface ClaimAndClass {
  body: PlatformObject;
  zones: ClassManifest | null;
  /** Labels of its namespace. */
  labels: Readonly<Record<string, string>> | null;
}
export const claimAndClass = statement<ClaimAndClass, [uid: string]>(
  `SELECT o.body, c.body AS zones, n.body #> '{metadata,labels}' AS labels FROM platform_objects o
   LEFT JOIN platform_objects n ON n.plural = 'namespaces' AND n.name = o.namespace
   LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   WHERE o.plural = 'persistentvolumeclaims' AND o.uid = $1`,
);

/** Moves bindings on whose claims the platform has bound; gives those claims. */
export const noteBoundClaims = statement<{ subject: string }, [claims: readonly string[]]>(
  `WITH seen AS (
     UPDATE operations op SET ${setTo(binding, 'bound')}
     FROM platform_objects o WHERE ${mayGoTo(binding, 'bound', 'op.')} AND op.subject = ANY($1)
       AND o.plural = 'persistentvolumeclaims' AND o.uid = op.subject AND o.phase = 'Bound' RETURNING op.subject
   )
   UPDATE reservations r SET state = 'bound' FROM seen WHERE r.claim_uid = seen.subject RETURNING r.claim_uid AS subject, ${relaxed}`,
  'planned once',
);

/** Begins the bindings of claims of a provisioner's classes, or wakes those that wait; gives their operations. One that was given up when the claim was thought to be gone begins again when nothing is reserved for it. */
export const beginBindings = statement<{ id: string }, [claims: readonly string[], provisioner: string]>(
  `INSERT INTO operations AS op (kind, subject, state, holds, namespace, about)
   SELECT 'bind', o.uid, '${binding.begins}', '${binding.holds}', o.namespace, o.namespace || '/' || o.name FROM platform_objects o
   JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   WHERE o.plural = 'persistentvolumeclaims' AND o.uid = ANY($1) AND c.body ->> 'provisioner' = $2 ORDER BY o.uid
   ON CONFLICT (holds, subject) DO UPDATE SET ${setTo(binding, 'waiting', "CASE op.state WHEN 'abandoned' THEN 'class' ELSE op.waiting_for END", 'op.')}
   WHERE ${mayGoTo(binding, 'waiting', 'op.')} AND op.state <> '${binding.begins}'
     -- given up when the claim was thought to be gone; it is there again and nothing is reserved for it
     AND (op.state <> 'abandoned' OR NOT EXISTS (SELECT 1 FROM reservations r WHERE r.claim_uid = op.subject))
   RETURNING id`,
  'planned once',
);

/** Ends the unfinished bindings of claims. */
export const giveUpBindings = statement<object, [claims: readonly string[]]>(
  `UPDATE operations SET ${setTo(binding, 'abandoned')} WHERE ${mayGoTo(binding, 'abandoned')} AND subject = ANY($1)`,
);

/** Pending claims of a provisioner's classes whose binding was never begun. */
export const forgottenClaims = statement<{ uid: string }, [provisioner: string]>(
  `SELECT o.uid FROM platform_objects o JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   WHERE o.plural = 'persistentvolumeclaims' AND (o.phase IS DISTINCT FROM 'Bound' OR o.deleting) AND o.phase = 'Pending' AND c.body ->> 'provisioner' = $1
     AND o.body #>> '{metadata,deletionTimestamp}' IS NULL
     AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'bind' AND op.subject = o.uid) LIMIT 500`,
);

/** Reservations after one of them, and whether their claims are gone and their release was never begun. */
export const reservedAfter = statement<{ claim_uid: string; orphan: boolean }, [after: string, most: number]>(
  `SELECT claim_uid, NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.uid = r.claim_uid)
     AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'release' AND op.subject = r.claim_uid) AS orphan
   FROM reservations r WHERE r.state NOT IN ('adrift', 'returning') AND claim_uid > $1 ORDER BY claim_uid LIMIT $2`,
);

/** Begins the release of volumes whose grace has ended once more; gives the operations. */
export const endGraces = statement<{ id: string }>(
  `UPDATE operations SET ${setTo(releasing, 'releasing')} WHERE ${mayGoTo(releasing, 'releasing')} AND subject IN (
     -- one that is being given back at this moment is locked, and not touched
     SELECT claim_uid FROM reservations WHERE state = 'adrift' AND reclaim = 'Delete' AND NOT adopted AND keep_until <= now()
     LIMIT 500 FOR UPDATE SKIP LOCKED)
   RETURNING id`,
);

/** Claims that the platform has bound and whose binding was not told so: ours, and those that waited for a volume made beforehand. */
export const unheardBound = statement<{ subject: string }>(
  `SELECT op.subject FROM operations op JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
   WHERE op.ended_at IS NULL AND op.resting AND op.kind = 'bind' AND o.phase = 'Bound'
     AND (op.state = 'written' OR op.waiting_for IN ('named-volume', 'selector', 'beforehand')) LIMIT 500`,
);

/**
 * Ends the bindings, waiting or not decided yet, of claims which the platform has bound itself, to volumes made beforehand: a
 * decision that is being made at this moment finds nothing to move on, and is taken back.
 */
export const leaveToPlatform = statement<object, [claims: readonly string[]]>(
  `UPDATE operations SET ${setTo(binding, 'abandoned')}
   WHERE kind = 'bind' AND state IN ('deciding', 'waiting') AND subject = ANY($1)`,
);

/** Goes on with the binding of a claim that was thought to be gone. */
export const resumeBinding = statement<object, [claim: string]>(
  `UPDATE operations SET ${setTo(binding, 'making')} WHERE kind = 'bind' AND state = 'abandoned' AND subject = $1`,
);

/** Begins to let go of what is reserved for claims that are gone; gives the operations that are new. */
export const beginReleases = statement<{ id: string }, [claims: readonly string[]]>(
  `INSERT INTO operations (kind, subject, state, holds, namespace, about)
   SELECT 'release', claim_uid, '${releasing.begins}', '${releasing.holds}', namespace, namespace || '/' || claim_name
   FROM reservations WHERE claim_uid = ANY($1) ON CONFLICT (holds, subject) DO NOTHING RETURNING id`,
);

/**
 * Volumes on backends whose claims were given up before anything was bound to them, within the last days: by our own names, held by
 * nothing, never written, and unknown to the platform.
 */
export const lateVolumes = statement<{ backend_id: string; volume_id: string; name: string }>(
  `SELECT v.backend_id, v.volume_id, v.name FROM operations op JOIN backend_volumes v ON v.name = 'pvc-' || op.subject
   WHERE op.kind = 'release' AND op.cause = '${neverBound}' AND op.state = 'released' AND op.ended_at > now() - interval '7 days'
     AND v.consumed = 0 AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.claim_uid = op.subject OR r.volume_name = v.name)
     AND NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.uid = op.subject)
     AND NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'persistentvolumes' AND o.name = v.name) LIMIT 100`,
);

/** Claims that wait for a place, or for more of the one they have, by id after one of them; those alone that a change of such a kind can help. */
export const waitingFits = statement<
  { id: string },
  [
    limit: number,
    after: string | undefined,
    pool: string | undefined,
    backend: string | undefined,
    namespace: string | undefined,
    className: string | undefined,
  ]
>(
  `SELECT op.id FROM operations op JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
   WHERE op.ended_at IS NULL AND op.resting AND op.waiting_for IN ('capacity', 'class') AND ($2::uuid IS NULL OR op.id > $2::uuid)
     AND ($3::text IS NULL OR EXISTS (SELECT 1 FROM moorings m WHERE m.class_name = o.class_name AND m.pool_id = $3)
       OR EXISTS (SELECT 1 FROM reservations r WHERE r.claim_uid = op.subject AND r.pool_id = $3)
       OR EXISTS (SELECT 1 FROM further_copies f WHERE f.claim_uid = op.subject AND f.pool_id = $3))
     AND ($4::text IS NULL OR EXISTS (SELECT 1 FROM moorings m JOIN pools p ON p.id = m.pool_id
         WHERE m.class_name = o.class_name AND p.backend_id = $4)
       OR EXISTS (SELECT 1 FROM reservations r JOIN pools p ON p.id = r.pool_id WHERE r.claim_uid = op.subject AND p.backend_id = $4))
     AND ($5::text IS NULL OR o.namespace = $5) AND ($6::text IS NULL OR o.class_name = $6)
   ORDER BY op.id LIMIT $1`,
);

/** Bindings that wait until the platform gives their claims volumes made beforehand, of some classes. */
export const waitingForVolumes = statement<{ id: string }, [classes: readonly string[]]>(
  `SELECT op.id FROM operations op JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
   WHERE op.ended_at IS NULL AND op.resting AND op.waiting_for = 'beforehand' AND o.phase = 'Pending' AND o.class_name = ANY($1)
   ORDER BY op.id LIMIT 500`,
);

/** Notes what was made for a claim, here and elsewhere, and moves its binding on: one way, since a claim waits for it. */
export const noteVolumeMade = statement<
  Operation,
  [id: string, from: string, volume: string, backend: string, copies: string, further: string, share: string | null]
>(
  `WITH moved AS (
     UPDATE operations SET ${setTo(binding, 'made')} WHERE id = $1 AND state = $2 RETURNING ${operationFields}
   ), copied AS (
     UPDATE further_copies f SET volume_id = made.volume FROM moved, jsonb_to_recordset($6::jsonb) AS made(mode text, volume text)
     WHERE f.claim_uid = moved.subject AND f.mode = made.mode
   ), kept AS (
     UPDATE reservations r SET state = 'made', volume_id = $3, made_at = now(), share = $7::jsonb FROM moved
     WHERE r.claim_uid = moved.subject AND r.state = 'held' RETURNING r.pool_id, r.volume_name, r.bytes, r.raw_bytes, r.iops_ceiling, r.throughput_ceiling
   ), known AS (
     -- from now on: when the backend does not list it the next time, it was lost
     INSERT INTO backend_volumes (backend_id, volume_id, name, pool_id, bytes, raw_bytes, consumed, degraded, copies, iops_ceiling,
       throughput_ceiling, seen_at, ours)
     SELECT $4, $3, volume_name, pool_id, bytes, raw_bytes, 0, false, $5::jsonb, iops_ceiling, throughput_ceiling, clock_timestamp(), true
     FROM kept ON CONFLICT DO NOTHING
   )
   SELECT moved.*, ${relaxed} FROM moved`,
  'planned once',
);

/** Moves a binding on whose volume the platform was told of. */
export const noteVolumeWritten = statement<Operation, [id: string, from: string]>(
  `UPDATE operations SET ${setTo(binding, 'written')} WHERE id = $1 AND state = $2 RETURNING ${operationFields}, ${relaxed}`,
  'planned once',
);
