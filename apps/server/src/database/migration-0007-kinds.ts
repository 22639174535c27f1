import type { Database } from './database';

const statements = `
-- kinds of operations are declared by the rooms that carry them; a row says what it holds, whether a clock moves it and when it ended
ALTER TABLE operations DROP CONSTRAINT operations_kind_check;
ALTER TABLE operations DROP CONSTRAINT operations_kind_subject_key;
ALTER TABLE operations
  ADD COLUMN about text NOT NULL DEFAULT '',
  ADD COLUMN namespace text,
  ADD COLUMN person text,
  ADD COLUMN holds text,
  ADD COLUMN resting boolean NOT NULL DEFAULT false,
  ADD COLUMN ended_at timestamptz,
  ADD COLUMN stopped text CHECK (stopped IN ('paused', 'refused')),
  ADD COLUMN stopped_by text,
  ADD COLUMN cancelled_by text,
  -- why it is being undone, or was
  ADD COLUMN cause text,
  -- how much there is to do in all, and still
  ADD COLUMN total bigint,
  ADD COLUMN remaining bigint,
  ADD COLUMN unit text CHECK (unit IN ('bytes', 'steps')),
  ADD COLUMN moved_since timestamptz;

UPDATE operations SET
  resting = state IN ('waiting', 'written'),
  ended_at = CASE WHEN state IN ('bound', 'released', 'abandoned', 'settled', 'undone') THEN updated_at END,
  holds = CASE WHEN kind IN ('bind', 'release') OR state NOT IN ('settled', 'undone') THEN kind END;
UPDATE operations op SET namespace = o.namespace, about = o.namespace || '/' || o.name
  FROM platform_objects o WHERE o.plural = 'persistentvolumeclaims' AND o.uid = op.subject AND op.kind IN ('bind', 'release');
UPDATE operations op SET namespace = r.namespace, about = r.namespace || '/' || r.claim_name
  FROM reservations r WHERE r.claim_uid = op.subject AND op.kind IN ('bind', 'release') AND op.about = '';
-- what a change of a cluster knew of its course belongs to its operation
UPDATE operations op SET person = r.person, about = r.backend_id || '/' || r.pool, cause = r.cause,
    cancelled_by = CASE WHEN r.called_off THEN coalesce(substring(r.cause FROM '^called off by (.*)$'), r.person) END,
    total = r.total, remaining = r.bytes_left, unit = CASE WHEN r.total IS NOT NULL THEN 'bytes' END, moved_since = r.moved_since,
    ended_at = coalesce(r.ended_at, op.ended_at)
  FROM reshapes r WHERE op.kind = 'reshape' AND op.subject = r.id::text;

-- of those that hold the same, a subject has one; what holds nothing any more is in nobody's way
CREATE UNIQUE INDEX operations_held ON operations (holds, subject);
DROP INDEX operations_open;
DROP INDEX operations_waiting;
CREATE INDEX operations_due ON operations (updated_at) WHERE ended_at IS NULL AND NOT resting AND stopped IS NULL;
CREATE INDEX operations_waiting ON operations (id) WHERE ended_at IS NULL AND resting;
CREATE INDEX operations_under_way ON operations (created_at DESC, id DESC) WHERE ended_at IS NULL AND NOT resting;
CREATE INDEX operations_stopped ON operations (created_at DESC, id DESC) WHERE ended_at IS NULL AND stopped IS NOT NULL;
CREATE INDEX operations_ended ON operations (ended_at DESC, id DESC) WHERE ended_at IS NOT NULL;

-- acts that touch platform and database: what was planned, and how far each step is
CREATE TABLE acts (
  id uuid PRIMARY KEY,
  kind text NOT NULL,
  person text NOT NULL,
  inside jsonb,
  entries jsonb NOT NULL,
  outcome jsonb,
  problem jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE act_steps (
  act_id uuid NOT NULL REFERENCES acts ON DELETE CASCADE,
  number integer NOT NULL,
  step jsonb NOT NULL,
  entry jsonb,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'asked', 'done', 'undone')),
  uid text,
  PRIMARY KEY (act_id, number)
);
-- a thing is in one unfinished act at most
CREATE TABLE act_holds (
  thing text PRIMARY KEY,
  act_id uuid NOT NULL REFERENCES acts ON DELETE CASCADE
);
CREATE INDEX act_holds_act ON act_holds (act_id);

DROP VIEW claims;
ALTER TABLE reshapes DROP COLUMN cause, DROP COLUMN called_off, DROP COLUMN total, DROP COLUMN bytes_left, DROP COLUMN moved_since;
CREATE VIEW claims AS
SELECT o.uid, o.namespace, o.name, o.class_name, o.size_bytes, o.phase, o.created_at, o.body,
  c.uid AS class_uid,
  c.body ->> 'provisioner' AS provisioner,
  r.pool_id, r.bytes AS provisioned, r.raw_bytes, r.volume_name, r.volume_id, r.iops_floor, r.state AS reservation, r.missing_since,
  p.backend_id, v.consumed,
  op.id AS operation_id, op.state AS operation, op.waiting_for, op.error, op.attempts, op.next_attempt_at, op.decision_id,
  op.stopped AS operation_stopped,
  CASE
    WHEN o.body #>> '{metadata,deletionTimestamp}' IS NOT NULL THEN 'deleting'
    WHEN r.missing_since IS NOT NULL THEN 'lost'
    WHEN o.phase = 'Bound' AND v.reachable = false THEN 'unreachable'
    WHEN o.phase = 'Bound' THEN 'bound'
    WHEN o.phase = 'Lost' THEN 'lost'
    WHEN c.uid IS NULL THEN 'no-class'
    WHEN c.body ->> 'provisioner' <> 'vast-moorage.example' THEN 'foreign'
    WHEN op.stopped IS NOT NULL THEN 'stopped'
    WHEN op.state = 'waiting' AND op.waiting_for = 'first-consumer' THEN 'waiting-pod'
    WHEN op.state = 'waiting' AND op.waiting_for IN ('source', 'named-volume', 'selector') THEN 'held-back'
    WHEN op.state = 'waiting' THEN 'nothing-fits'
    WHEN op.error IS NOT NULL THEN 'retrying'
    ELSE 'binding'
  END AS state
FROM platform_objects o
LEFT JOIN platform_objects c ON c.plural = 'storageclasses' AND c.namespace = '' AND c.name = o.class_name
LEFT JOIN reservations r ON r.claim_uid = o.uid
LEFT JOIN pools p ON p.id = r.pool_id
LEFT JOIN backend_volumes v ON v.backend_id = p.backend_id AND v.volume_id = r.volume_id
LEFT JOIN operations op ON op.holds = 'bind' AND op.subject = o.uid
WHERE o.plural = 'persistentvolumeclaims';
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
