import type { BackendRow } from '@moorage/contract/backends';
import type { BackendChange, CredentialsChanged, Probe, Registration } from '@moorage/contract/registration';
import { literal, Op, UniqueConstraintError } from 'sequelize';
import { registered } from '../backends/backend-model';
import { getBackend, type Backends } from '../backends/backends';
import { backendVolumes } from '../backends/inventory-model';
import type { Database } from '../database/database';
import { lockIdentity, lockPoolNames } from '../database/locks.sql';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { moorings } from '../moorings/mooring-model';
import { pools } from '../pools/pool-model';
import { Refusal } from '../refusals/refusal';
import { reshapes } from '../reshapes/reshape-model';
import type { Vault } from '../secrets/vault';
import { heldBy } from './registration.sql';

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
  throw new Refusal('invalid', `probe-${probe.outcome}`, 'The backend cannot be used', said, field, [
    { field, detail: advice[probe.outcome] },
  ]);
}

/** The same backend under two names would be promised twice. */
async function assertNew(database: Database, { identity }: Probe, id: string): Promise<void> {
  if (identity === null) return;
  await lockIdentity(database, identity);
  const twin = await registered.in(database).findOne({ where: { identity, id: { [Op.ne]: id } } });
  if (twin)
    throw new Refusal(
      'conflict',
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
  const taken = await registered.in(database).count({ where: { id: asked.id } });
  if (taken > 0) throw Refusal.invalid('id', `There is a backend "${asked.id}" already. Choose another name.`);
  const probe = await backends.probe(asked);
  assertReady(probe);
  const { id, title, address, username, password, sites, trust } = asked;
  await database.transaction(async () => {
    await assertNew(database, probe, asked.id);
    const secret = vault.seal(password);
    const made = { id, title, address, username, secret, sites, trust, identity: probe.identity };
    await registered
      .in(database)
      .create(made)
      .catch((error: unknown) => {
        if (!(error instanceof UniqueConstraintError)) throw error;
        throw Refusal.invalid('id', `There is a backend "${id}" already. Choose another name.`);
      });
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
    const row = await registered.in(database).findByPk(id, { lock: true });
    if (!row) throw Refusal.notFound('backend', id);
    if (version !== undefined && version !== row.version) throw Refusal.changedMeanwhile('backend', id);
    const before = { title: row.title, sites: row.sites, cap: row.cap, version: row.version };
    const after = {
      title: change.title ?? before.title,
      sites: change.sites ?? before.sites,
      cap: change.cap === undefined ? before.cap : change.cap,
    };
    await row.update({ ...after, version: row.version + 1 });
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
  const row = await registered.in(database).findByPk(id);
  if (!row) throw Refusal.notFound('backend', id);
  const { address, trust } = row;
  assertReady(await backends.probe({ address, trust, ...asked }));
  const old = { username: row.username, password: vault.open(row.secret) };
  await database.transaction(async () => {
    const { username } = asked;
    await registered
      .in(database)
      .update({ username, secret: vault.seal(asked.password), version: literal('version + 1') }, { where: { id } });
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
    await lockPoolNames(database);
    const own = await pools.in(database).findAll({
      attributes: ['id'],
      where: { backendId: id },
      order: [['id', 'ASC']],
      limit: 5000,
      lock: true,
    });
    const row = await registered.in(database).findByPk(id, { lock: true });
    if (!row) throw Refusal.notFound('backend', id);
    const held = await first(heldBy(database, id));
    if (held!.claims > 0)
      throw Refusal.inUse('backend', id, `${held!.claims} claims keep their data on it; delete or move them first`);
    if (held!.changes > 0)
      throw Refusal.inUse('backend', id, 'its disks are being changed; wait until that has ended, or call it off');
    if (held!.instances > 0)
      throw Refusal.inUse(
        'backend',
        id,
        held!.instances === 1
          ? 'an instance is bought of it; give it back first'
          : `${held!.instances} instances are bought of it; give them back first`,
      );
    const before = { title: row.title, address: row.address };
    const ofBackend = { where: { backendId: id } };
    await moorings.in(database).destroy({ where: { poolId: own.map((p) => p.id) } });
    await backendVolumes.in(database).destroy(ofBackend);
    await pools.in(database).destroy(ofBackend);
    await reshapes.in(database).destroy(ofBackend);
    await row.destroy();
    await record(database, { person, action: 'delete', kind: 'backend', subject: id, before });
    await announce(database, [
      { topic: 'backends', subject: `${id}/credentials` },
      { topic: 'moorings' },
      { topic: 'pools' },
    ]);
  });
  await backends.renew(id);
}
