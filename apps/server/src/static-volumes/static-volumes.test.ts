import type { Problem } from '@moorage/contract/problem';
import type { Candidates } from '@moorage/contract/static-volumes';
import type { SalvagePage } from '@moorage/contract/salvage';
import { onClaims } from '../binder/begin';
import { Database } from '../database/database';
import type { PlatformObject } from '../platform/connector';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'general', ['basalt-broad'], { copies: 1 });
  await moorClass(maren, 'later', ['basalt-broad'], { copies: 1, binding: 'WaitForFirstConsumer' });
});
afterAll(() => world.end());

/** A volume that its backend had before us, and a persistent volume for it. */
function beforehand(
  name: string,
  className: string,
  gib: number,
  more: { claimRef?: { namespace: string; name: string } } = {},
) {
  const made = world.basalt.backend.create({
    ...{ name: `export ${name}`, capacity: gib * GiB, pool: 'basalt-broad', drives: [] },
  }).volume;
  world.platform.store.create('persistentvolumes', {
    metadata: { name },
    spec: {
      ...{ capacity: { storage: `${gib}Gi` }, accessModes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
      ...{ storageClassName: className, persistentVolumeReclaimPolicy: 'Retain' },
      csi: { driver: 'vast-moorage.example', volumeHandle: `basalt/${made.id}` },
      ...more,
    },
    status: { phase: more.claimRef ? 'Pending' : 'Available' },
  });
  return made.id;
}
const mirrored = (name: string) =>
  eventually(
    `${name} is mirrored`,
    async () => (await world.rows('SELECT 1 FROM platform_objects WHERE name = $1', [name])).length > 0,
  );
const candidates = (name: string, caller = maren) =>
  caller.ok<Candidates>('GET', `/api/claims/tide-gauges/${name}/volumes`);
const use = (name: string, volume: string) =>
  maren.call<Problem>('POST', `/api/claims/tide-gauges/${name}/volume`, { volume });
const volumeOf = (name: string) =>
  world.platform.store.find('persistentvolumeclaims', 'tide-gauges', name)?.spec?.volumeName;
const boundTo = (name: string, volume: string) =>
  eventually(`${name} has ${volume}`, async () => {
    const { claim } = await maren.claim(name);
    return claim.state === 'bound' && claim.volumeName === volume;
  });

test('a claim that a volume made beforehand fits gets the smallest of them, and no new one is made for it', async () => {
  beforehand('big', 'general', 40);
  beforehand('small', 'general', 12);
  await mirrored('small');
  await mirrored('big');
  await maren.ok('POST', '/api/claims', aClaim('finds', 'general', { size: '10Gi' }));
  await boundTo('finds', 'small');
  expect(await world.rows(`SELECT 1 FROM reservations WHERE claim_name = 'finds'`)).toEqual([]);
  expect([...world.basalt.backend.volumes.values()].some((v) => v.name.startsWith('pvc-'))).toBe(false);
});

test('of two claims that one volume fits, one gets it and a volume is made for the other', async () => {
  const names = ['two-a', 'two-b'];
  await Promise.all(names.map((n) => maren.ok('POST', '/api/claims', aClaim(n, 'general', { size: '30Gi' }))));
  for (const name of names) await maren.inState(name, 'bound');
  const had = names.map(volumeOf);
  expect(had.filter((v) => v === 'big')).toHaveLength(1);
  expect(had.filter((v) => String(v).startsWith('pvc-'))).toHaveLength(1);
});

test('the candidates of a claim are ranked with what each has too much, and the others with the rule that refuses them', async () => {
  beforehand('later-20', 'later', 20);
  beforehand('later-8', 'later', 8);
  beforehand('later-2', 'later', 2);
  beforehand('other-class', 'elsewhere', 9);
  beforehand('kept-for', 'later', 9, { claimRef: { namespace: 'wave-model', name: 'nobody' } });
  for (const name of ['later-20', 'later-8', 'later-2', 'other-class', 'kept-for']) await mirrored(name);
  await maren.ok('POST', '/api/claims', aClaim('chooses', 'later', { size: '5Gi' }));
  await maren.inState('chooses', 'waiting-pod');
  const { candidates: found, best } = await candidates('chooses');
  expect(best).toBe('later-8');
  expect(found.map((c) => [c.name, c.surplus / GiB, c.refused])).toEqual([
    ['later-8', 3, []],
    ['later-20', 15, []],
    ['later-2', 0, ['capacity']],
    ['kept-for', 4, ['free']],
    ['other-class', 4, ['class']],
  ]);
  // what is kept for another team's claim is not theirs to see
  const ivo = await new Caller(server.url).signIn('ivo');
  expect((await ivo.call('GET', '/api/claims/tide-gauges/chooses/volumes')).status).toBe(404);
});

test('by hand: the volume that is named and no other, once, and refused with the rule where it does not match', async () => {
  const refused = await use('chooses', 'later-2');
  expect([refused.status, refused.data.code, refused.data.detail]).toEqual([
    409,
    'does-not-match',
    expect.stringMatching(/it is smaller than what the claim asks for/),
  ]);
  expect((await use('chooses', 'nowhere')).status).toBe(404);
  await maren.ok('POST', '/api/claims', aClaim('rival', 'later', { size: '5Gi' }));
  await maren.inState('rival', 'waiting-pod');
  const both = await Promise.all([use('chooses', 'later-20'), use('rival', 'later-20')]);
  const won = both[0].status === 204 ? 'chooses' : 'rival';
  await boundTo(won, 'later-20');
  expect((await use(won, 'later-8')).data.code).toBe('has-volume');
});

test('a volume that a persistent volume offers is not adrift; released by its claim it is, and is given back as it was', async () => {
  await moorClass(maren, 'held-once', ['basalt-broad'], { copies: 1 });
  const id = beforehand('released', 'held-once', 6);
  world.basalt.backend.write(id, 2 * GiB);
  await mirrored('released');
  const rowOf = async () =>
    (await maren.ok<SalvagePage>('GET', '/api/salvage?origin=foreign')).rows.find((r) => r.volumeId === id);
  await maren.ok('POST', '/api/claims', aClaim('held-once', 'held-once', { size: '6Gi' }));
  await boundTo('held-once', 'released');
  expect(await rowOf()).toBeUndefined();
  await maren.ok('DELETE', '/api/claims/tide-gauges/held-once');
  const row = await eventually('it is adrift', rowOf);
  const wish = { id: row.id, namespace: 'tide-gauges', name: 'held-again', className: 'held-once' };
  await maren.ok('POST', '/api/salvage', {
    volumes: [{ ...wish, modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' }],
  });
  // under the very persistent volume that stood for it: never two for one volume
  await maren.inState('held-again', 'bound');
  expect(volumeOf('held-again')).toBe('released');
  expect(world.basalt.backend.volumes.get(id)!.consumed).toBe(2 * GiB);
  const standing = world.platform.store.list('persistentvolumes').filter((v) => JSON.stringify(v.spec).includes(id));
  expect(standing).toHaveLength(1);
});

describe('a binding that was decided on while the platform bound its claim', () => {
  const stateOf = async (id: string) =>
    (await world.rows<{ state: string }>('SELECT state FROM operations WHERE id = $1', [id]))[0]!.state;
  const setBack = async (state: string, waitingFor: string | null) => {
    await maren.inState('finds', 'bound');
    const [set] = await world.rows<{ id: string }>(
      `UPDATE operations op SET state = $1, waiting_for = $2, resting = $2::text IS NOT NULL, ended_at = NULL FROM platform_objects o
       WHERE op.kind = 'bind' AND op.subject = o.uid AND o.name = 'finds' RETURNING op.id`,
      [state, waitingFor],
    );
    return set!.id;
  };

  test('and rests since then is ended by the next round', async () => {
    const id = await setBack('waiting', 'named-volume');
    await eventually('it is ended', async () => (await stateOf(id)) === 'abandoned');
  });

  test('and is not at rest yet is ended by what the mirror saw', async () => {
    const id = await setBack('deciding', null);
    const database = new Database(world.config.databaseUrl);
    const claim = world.platform.store.find('persistentvolumeclaims', 'tide-gauges', 'finds')!;
    await onClaims(database, [claim as PlatformObject], []);
    expect(await stateOf(id)).toBe('abandoned');
    await database.close();
  });
});

test('a volume whose persistent volume is taken away is adrift again', async () => {
  const id = beforehand('offered', 'nobody-asks', 3);
  await mirrored('offered');
  const adrift = async () =>
    (await maren.ok<SalvagePage>('GET', '/api/salvage?origin=foreign')).rows.some((r) => r.volumeId === id);
  await eventually(
    'it is listed by its backend',
    async () => (await world.rows('SELECT 1 FROM backend_volumes WHERE volume_id = $1', [id])).length > 0,
  );
  expect(await adrift()).toBe(false);
  world.platform.store.delete('persistentvolumes', undefined, 'offered');
  await eventually('it is adrift', adrift);
});

test('a claim that names a volume which is not there is told the name that is nearest', async () => {
  world.platform.store.create('persistentvolumeclaims', {
    metadata: { name: 'misspelt', namespace: 'tide-gauges' },
    spec: {
      ...{ accessModes: ['ReadWriteOnce'], volumeMode: 'Filesystem', storageClassName: 'later', volumeName: 'later-9' },
      resources: { requests: { storage: '5Gi' } },
    },
    status: { phase: 'Pending' },
  });
  await maren.inState('misspelt', 'held-back');
  expect((await candidates('misspelt')).named).toEqual({ name: 'later-9', exists: false, nearest: 'later-8' });
});
