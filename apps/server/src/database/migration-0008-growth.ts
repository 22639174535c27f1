import type { Database } from './database';

const statements = `
-- what a claim that asks for more was answered, and what was reserved for it then
CREATE TABLE growths (
  operation_id uuid PRIMARY KEY REFERENCES operations ON DELETE CASCADE,
  claim_uid text NOT NULL,
  -- what the claim asked for, in bytes
  wanted bigint NOT NULL,
  from_bytes bigint NOT NULL,
  -- set when the room is reserved
  to_bytes bigint,
  answer jsonb NOT NULL,
  before jsonb,
  made_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX growths_claim ON growths (claim_uid, made_at DESC);

-- one change of many claims, and how far it is
CREATE TABLE rounds (
  id uuid PRIMARY KEY,
  change jsonb NOT NULL,
  person text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE round_claims (
  round_id uuid NOT NULL REFERENCES rounds ON DELETE CASCADE,
  number integer NOT NULL,
  namespace text NOT NULL,
  name text NOT NULL,
  uid text NOT NULL,
  size text,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'done', 'refused')),
  problem text,
  PRIMARY KEY (round_id, number)
);
CREATE INDEX round_claims_left ON round_claims (round_id, state, number);

DROP VIEW claims;
CREATE VIEW claims AS
SELECT o.uid, o.namespace, o.name, o.class_name, o.size_bytes, o.phase, o.created_at, o.body,
  c.uid AS class_uid,
  c.body ->> 'provisioner' AS provisioner,
  r.pool_id, r.bytes AS provisioned, r.raw_bytes, r.volume_name, r.volume_id, r.iops_floor, r.state AS reservation, r.missing_since,
  p.backend_id, v.consumed,
  op.id AS operation_id, op.state AS operation, op.waiting_for, op.error, op.attempts, op.next_attempt_at, op.decision_id,
  op.stopped AS operation_stopped,
  g.id AS growth_id, g.state AS growth, g.waiting_for AS growth_waiting_for, g.error AS growth_error, g.stopped AS growth_stopped,
  g.next_attempt_at AS growth_next_attempt_at, gr.answer AS growth_answer,
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
LEFT JOIN operations g ON g.holds = 'size' AND g.subject = o.uid
LEFT JOIN growths gr ON gr.operation_id = g.id
WHERE o.plural = 'persistentvolumeclaims';
`;

export async function up(database: Database): Promise<void> {
  await database.sequelize.query(statements);
}
