import { digestOf } from '../secrets/digest';
import type { Database } from './database';

const statements = `
-- versions of the platform are opaque: equal or not
ALTER TABLE platform_objects ALTER COLUMN version TYPE text;
ALTER TABLE mirror_state ALTER COLUMN version TYPE text;

-- which server's lease a request runs under; what it asked for stands here as a keyed digest alone
ALTER TABLE idempotency ADD COLUMN digest text, ADD COLUMN runner integer;
DELETE FROM idempotency WHERE created_at < now() - interval '24 hours';
CREATE INDEX idempotency_age ON idempotency (created_at);

CREATE TABLE sign_in_failures (
  key varchar(255) PRIMARY KEY,
  points integer NOT NULL DEFAULT 0,
  expire bigint
);
CREATE INDEX sign_in_failures_expire ON sign_in_failures (expire);

-- who is at a thing that is changed in several steps
CREATE TABLE turns (
  thing text PRIMARY KEY,
  turn text NOT NULL,
  runner integer NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX turns_turn ON turns (turn);

CREATE INDEX operations_runner ON operations (runner) WHERE runner IS NOT NULL;
CREATE INDEX operations_waiting ON operations (id) WHERE state = 'waiting';
CREATE INDEX operations_subject ON operations (subject);
CREATE INDEX limits_namespace ON limits (namespace);

-- what a backend says it is, whatever its address
ALTER TABLE backends ADD COLUMN identity text;
CREATE INDEX pools_known ON pools (backend_id, name);

-- set when the backend does not list the volume any more
ALTER TABLE reservations ADD COLUMN missing_since timestamptz, ADD COLUMN made_at timestamptz;
CREATE INDEX reservations_missing ON reservations (missing_since) WHERE missing_since IS NOT NULL;
CREATE INDEX reservations_volume ON reservations (volume_id);
-- one basis: allotments and caps are raw bytes, as pools are kept; what they allowed stays the same at the pool's own scheme
UPDATE pools SET allotment = ceil(allotment * CASE facts #>> '{redundancy,scheme,kind}'
    WHEN 'copies' THEN (facts #>> '{redundancy,scheme,copies}')::numeric
    WHEN 'erasure' THEN ((facts #>> '{redundancy,scheme,data}')::numeric + (facts #>> '{redundancy,scheme,parity}')::numeric)
      / (facts #>> '{redundancy,scheme,data}')::numeric
    ELSE 1 END) WHERE allotment IS NOT NULL;
UPDATE backends b SET cap = ceil(b.cap * coalesce(
    (SELECT sum(reserved_raw)::numeric / nullif(sum(reserved_bytes), 0) FROM pools p WHERE p.backend_id = b.id), 1)) WHERE cap IS NOT NULL;

-- whether more than half of its copies answer
ALTER TABLE backend_volumes ADD COLUMN reachable boolean NOT NULL DEFAULT true;

DROP VIEW claims;
CREATE VIEW claims AS
SELECT o.uid, o.namespace, o.name, o.class_name, o.size_bytes, o.phase, o.created_at, o.body,
  c.uid AS class_uid,
  c.body ->> 'provisioner' AS provisioner,
  r.pool_id, r.bytes AS provisioned, r.raw_bytes, r.volume_name, r.volume_id, r.iops_floor, r.state AS reservation, r.missing_since,
  p.backend_id, v.consumed,
  op.state AS operation, op.waiting_for, op.error, op.attempts, op.next_attempt_at, op.decision_id,
  CASE
    WHEN o.body #>> '{metadata,deletionTimestamp}' IS NOT NULL THEN 'deleting'
    WHEN r.missing_since IS NOT NULL THEN 'lost'
    WHEN o.phase = 'Bound' AND v.reachable = false THEN 'unreachable'
    WHEN o.phase = 'Bound' THEN 'bound'
    WHEN o.phase = 'Lost' THEN 'lost'
    WHEN c.uid IS NULL THEN 'no-class'
    WHEN c.body ->> 'provisioner' <> 'vast-moorage.example' THEN 'foreign'
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
LEFT JOIN operations op ON op.kind = 'bind' AND op.subject = o.uid
WHERE o.plural = 'persistentvolumeclaims';
`;

/** Puts digests in the place of the requests that were kept word by word, passwords included. */
async function digestAll(database: Database, secret: Buffer): Promise<void> {
  for (;;) {
    const rows = await database.rows<{ key: string; person: string; request: string }>(
      'SELECT key, person, request FROM idempotency WHERE digest IS NULL LIMIT 500',
    );
    if (rows.length === 0) break;
    const digests = rows.map(({ key, person, request }) => ({ key, person, digest: digestOf(secret, request) }));
    await database.rows(
      `UPDATE idempotency i SET digest = d.digest FROM jsonb_to_recordset($1::jsonb) AS d(key text, person text, digest text)
       WHERE i.key = d.key AND i.person = d.person`,
      [JSON.stringify(digests)],
    );
  }
  await database.rows('ALTER TABLE idempotency DROP COLUMN request, ALTER COLUMN digest SET NOT NULL');
}

export function up(database: Database, secret: Buffer): Promise<void> {
  return database.transaction(async () => {
    await database.sequelize.query(statements);
    await digestAll(database, secret);
  });
}
