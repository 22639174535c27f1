import type { BackendRow } from '@moorage/contract/backends';
import type { BackendChange, CredentialsChanged, Probe, Registration } from '@moorage/contract/registration';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import type { Vault } from '../secrets/vault';
import { getBackend, type Backends } from './backends';

/** What to do about an address that cannot be used, for whoever calls the API. */
const advice: Record<Exclude<Probe['outcome'], 'ready'>, string> = {
  'name-not-found': 'No address belongs to this name. Check its spelling, or the name service of the server.',
  refused: 'Nothing listens there. Check the port, and whether a firewall lies between.',
  'timed-out': 'No answer came in time. Check the address, and whether a firewall drops the calls.',
  'not-trusted':
    'Its certificate is not trusted. Compare the fingerprint with the backend and pin it, or give its authority.',
  'not-storage': 'What answers there is no storage service. Check address and port.',
  'wrong-credentials': 'It refuses this user and password. Check both.',
  'lacking-rights': 'The account may look and not change. Give it a role that may configure components.',
  'too-old': 'It speaks a version that lacks what is needed. Update the backend.',
  nonsense: 'It answers in a way that cannot be used. See the detail, and tell its vendor.',
};

function assertReady(probe: Probe): void {
  if (probe.outcome === 'ready') return;
  const field = probe.outcome === 'wrong-credentials' ? 'password' : 'address';
  const said = `${advice[probe.outcome]} It said: ${probe.detail}.`;
  throw new HttpProblem(422, `probe-${probe.outcome}`, 'The backend cannot be used', said, field, [
    { field, detail: advice[probe.outcome] },
  ]);
}

/** The same backend under two names would be promised twice. */
async function assertNew(database: Database, { identity }: Probe, id: string): Promise<void> {
  if (identity === null) return;
  // of two that register it at the same moment, the second finds the first
  await database.rows('SELECT pg_advisory_xact_lock(4417, hashtext($1))', [identity]);
  const twin = await database.one<{ id: string; address: string }>(
    'SELECT id, address FROM backends WHERE identity = $1 AND id <> $2 LIMIT 1',
    [identity, id],
  );
  if (twin)
    throw new HttpProblem(
      409,
      'registered-already',
      'This backend is there already',
      `What answers there is ${twin.id}, registered with the address ${twin.address}. Registered twice, its room would be promised twice. Go on with ${twin.id}; forget it first if this address is to replace that one.`,
      'address',
    );
}

/** Registers a backend once it is seen to work; its credentials are sealed before they are stored. */
export async function registerBackend(
  database: Database,
  backends: Backends,
  vault: Vault,
  site: string,
  asked: Registration,
  person: string,
): Promise<BackendRow> {
  const taken = await database.one('SELECT 1 FROM backends WHERE id = $1', [asked.id]);
  if (taken) throw HttpProblem.invalid('id', `There is a backend "${asked.id}" already. Choose another name.`);
  const probe = await backends.probe(asked);
  assertReady(probe);
  const { id, title, address, username, password, sites, trust } = asked;
  await database.transaction(async () => {
    await assertNew(database, probe, asked.id);
    const made = await database.rows(
      `INSERT INTO backends (id, title, address, username, secret, sites, trust, identity) VALUES ($1, $2, $3, $4, $5, $6, $7::jsonb, $8)
       ON CONFLICT DO NOTHING RETURNING id`,
      [id, title, address, username, vault.seal(password), sites, JSON.stringify(trust), probe.identity],
    );
    if (made.length === 0) throw HttpProblem.invalid('id', `There is a backend "${id}" already. Choose another name.`);
    const after = { title, address, username, sites, trust: trust.kind };
    await record(database, { person, action: 'create', kind: 'backend', subject: id, after });
    await announce(database, [{ topic: 'backends', subject: id }]);
  });
  await backends.sync(id);
  return getBackend(database, site, id);
}

/** Changes title, sites or cap, when nobody changed them since `version`. */
export async function changeBackend(
  database: Database,
  site: string,
  id: string,
  version: number | undefined,
  change: BackendChange,
  person: string,
): Promise<BackendRow> {
  await database.transaction(async () => {
    const before = await database.one<{ title: string; sites: string[]; cap: number | null; version: number }>(
      'SELECT title, sites, cap, version FROM backends WHERE id = $1 FOR UPDATE',
      [id],
    );
    if (!before) throw HttpProblem.notFound('backend', id);
    if (version !== undefined && version !== before.version) throw HttpProblem.changedMeanwhile('backend', id);
    const after = {
      title: change.title ?? before.title,
      sites: change.sites ?? before.sites,
      cap: change.cap === undefined ? before.cap : change.cap,
    };
    await database.rows('UPDATE backends SET title = $2, sites = $3, cap = $4, version = version + 1 WHERE id = $1', [
      id,
      after.title,
      after.sites,
      after.cap,
    ]);
    await record(database, { person, action: 'change', kind: 'backend', subject: id, before, after });
    await announce(database, [
      { topic: 'backends', subject: id },
      { topic: 'pools', subject: id },
    ]);
  });
  return getBackend(database, site, id);
}

/**
 * Takes new credentials into use once they are proven, without a moment in which none work; then tries the old ones, so that
 * one knows whether they are dead.
 */
export async function changeCredentials(
  database: Database,
  backends: Backends,
  vault: Vault,
  id: string,
  asked: { readonly username: string; readonly password: string },
  person: string,
): Promise<CredentialsChanged> {
  const row = await database.one<{ address: string; username: string; secret: Buffer; trust: Registration['trust'] }>(
    'SELECT address, username, secret, trust FROM backends WHERE id = $1',
    [id],
  );
  if (!row) throw HttpProblem.notFound('backend', id);
  const { address, trust } = row;
  assertReady(await backends.probe({ address, trust, ...asked }));
  const old = { username: row.username, password: vault.open(row.secret) };
  await database.transaction(async () => {
    await database.rows('UPDATE backends SET username = $2, secret = $3, version = version + 1 WHERE id = $1', [
      id,
      asked.username,
      vault.seal(asked.password),
    ]);
    const [before, after] = [{ username: old.username }, { username: asked.username }];
    await record(database, { person, action: 'change', kind: 'backend', subject: id, before, after });
    // every server opens its session anew
    await announce(database, [{ topic: 'backends', subject: `${id}/credentials` }]);
  });
  await backends.renew(id);
  await backends.sync(id);
  if (old.username === asked.username && old.password === asked.password) return { old: 'same' };
  const tried = await backends.probe({ address, trust, ...old });
  if (tried.outcome === 'wrong-credentials') return { old: 'refused' };
  return { old: tried.outcome === 'ready' || tried.outcome === 'lacking-rights' ? 'still-accepted' : 'not-known' };
}

/** Forgets a backend. Refused while it holds volumes of our claims, or while its disks are being changed. */
export async function removeBackend(database: Database, backends: Backends, id: string, person: string): Promise<void> {
  await database.transaction(async () => {
    // in the order in which a look at the backend takes them: that lock, the pools, the backend
    await database.rows('SELECT pg_advisory_xact_lock(4416, 1)');
    await database.rows('SELECT id FROM pools WHERE backend_id = $1 ORDER BY id FOR UPDATE', [id]);
    const row = await database.one<{ title: string; address: string }>(
      'SELECT title, address FROM backends WHERE id = $1 FOR UPDATE',
      [id],
    );
    if (!row) throw HttpProblem.notFound('backend', id);
    const held = await database.one<{ claims: number; changes: number }>(
      `SELECT (SELECT count(*) FROM (SELECT pool_id FROM reservations UNION ALL SELECT pool_id FROM further_copies) r
           JOIN pools p ON p.id = r.pool_id WHERE p.backend_id = $1) AS claims,
         (SELECT count(*) FROM reshapes WHERE backend_id = $1 AND ended_at IS NULL) AS changes`,
      [id],
    );
    if (held!.claims > 0)
      throw HttpProblem.inUse('backend', id, `${held!.claims} claims keep their data on it; delete or move them first`);
    if (held!.changes > 0)
      throw HttpProblem.inUse('backend', id, 'its disks are being changed; wait until that has ended, or call it off');
    await database.rows('DELETE FROM moorings WHERE pool_id IN (SELECT id FROM pools WHERE backend_id = $1)', [id]);
    await database.rows('DELETE FROM backend_volumes WHERE backend_id = $1', [id]);
    await database.rows('DELETE FROM pools WHERE backend_id = $1', [id]);
    await database.rows('DELETE FROM reshapes WHERE backend_id = $1', [id]);
    await database.rows('DELETE FROM backends WHERE id = $1', [id]);
    await record(database, { person, action: 'delete', kind: 'backend', subject: id, before: row });
    await announce(database, [
      { topic: 'backends', subject: `${id}/credentials` },
      { topic: 'moorings' },
      { topic: 'pools' },
    ]);
  });
  await backends.renew(id);
}
