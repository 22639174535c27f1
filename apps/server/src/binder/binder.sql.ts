import type { ClassManifest } from '@moorage/core/classes/manifest';
import { statement } from '../database/statement';
import { finished } from '../operations/operations.sql';
import type { PlatformObject } from '../platform/connector';

/** A claim as the platform has it, and its class. */
export const claimAndClass = statement<{ body: PlatformObject; zones: ClassManifest | null }, [uid: string]>(
  `SELECT o.body, c.body AS zones FROM platform_objects o
   LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   WHERE o.plural = 'persistentvolumeclaims' AND o.uid = $1`,
);

/** Moves bindings on whose claims the platform has bound; gives those claims. */
export const noteBoundClaims = statement<{ subject: string }, [claims: readonly string[]]>(
  `WITH seen AS (
     UPDATE operations op SET state = 'bound', waiting_for = NULL, error = NULL, attempts = 0, next_attempt_at = NULL, updated_at = now()
     FROM platform_objects o WHERE op.kind = 'bind' AND op.state = 'written' AND op.subject = ANY($1)
       AND o.plural = 'persistentvolumeclaims' AND o.uid = op.subject AND o.phase = 'Bound' RETURNING op.subject
   )
   UPDATE reservations r SET state = 'bound' FROM seen WHERE r.claim_uid = seen.subject RETURNING r.claim_uid AS subject`,
);

/** Begins the bindings of claims of a provisioner's classes, or wakes those that wait; gives their operations. One that was given up when the claim was thought to be gone begins again when nothing is reserved for it. */
export const beginBindings = statement<{ id: string }, [claims: readonly string[], provisioner: string]>(
  `INSERT INTO operations AS op (kind, subject, state)
   SELECT 'bind', o.uid, 'deciding' FROM platform_objects o
   JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   WHERE o.plural = 'persistentvolumeclaims' AND o.uid = ANY($1) AND c.body ->> 'provisioner' = $2 ORDER BY o.uid
   ON CONFLICT (kind, subject) DO UPDATE SET state = 'waiting', waiting_for = CASE op.state WHEN 'abandoned' THEN 'class' ELSE op.waiting_for END
   WHERE op.state = 'waiting'
     -- given up when the claim was thought to be gone; it is there again and nothing is reserved for it
     OR (op.state = 'abandoned' AND NOT EXISTS (SELECT 1 FROM reservations r WHERE r.claim_uid = op.subject))
   RETURNING id`,
);

/** Ends the unfinished bindings of claims. */
export const giveUpBindings = statement<object, [claims: readonly string[]]>(
  `UPDATE operations SET state = 'abandoned', waiting_for = NULL, error = NULL, updated_at = now()
   WHERE kind = 'bind' AND subject = ANY($1) AND state NOT IN ${finished}`,
);

/** Pending claims of a provisioner's classes whose binding was never begun. */
export const forgottenClaims = statement<{ uid: string }, [provisioner: string]>(
  `SELECT o.uid FROM platform_objects o JOIN platform_objects c ON c.plural = 'storageclasses' AND c.name = o.class_name
   WHERE o.plural = 'persistentvolumeclaims' AND o.phase = 'Pending' AND c.body ->> 'provisioner' = $1
     AND o.body #>> '{metadata,deletionTimestamp}' IS NULL
     AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'bind' AND op.subject = o.uid) LIMIT 500`,
);

/** Reservations whose claims are gone and whose release was never begun. */
export const orphans = statement<{ claim_uid: string }>(
  `SELECT claim_uid FROM reservations r WHERE r.state <> 'adrift'
   AND NOT EXISTS (SELECT 1 FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.uid = r.claim_uid)
   AND NOT EXISTS (SELECT 1 FROM operations op WHERE op.kind = 'release' AND op.subject = r.claim_uid) LIMIT 500`,
);

/** Begins the release of volumes whose grace has ended once more; gives the operations. */
export const endGraces = statement<{ id: string }>(
  `UPDATE operations op SET state = 'releasing', attempts = 0, next_attempt_at = NULL, updated_at = now()
   WHERE kind = 'release' AND state = 'released' AND subject IN (
     SELECT claim_uid FROM reservations WHERE state = 'adrift' AND reclaim = 'Delete' AND keep_until <= now() LIMIT 500)
   RETURNING id`,
);

/** Claims that the platform has bound and whose binding was not told so. */
export const unheardBound = statement<{ subject: string }>(
  `SELECT op.subject FROM operations op JOIN platform_objects o ON o.plural = 'persistentvolumeclaims' AND o.uid = op.subject
   WHERE op.kind = 'bind' AND op.state = 'written' AND o.phase = 'Bound' LIMIT 500`,
);
