import type { Line } from '@moorage/contract/claims';
import type { BackendRow } from '@moorage/contract/backends';
import type { FindingRow } from '@moorage/contract/findings';
import type { Carving } from '@moorage/contract/instances';
import type { OperationRow } from '@moorage/contract/operations';
import { gneissSeed } from '@moorage/standins/backend-seeds';
import { aClaim, Caller, eventually, eventuallyHolds, makeWorld, moorClass, type World } from '../testing/world';

const [GiB, TiB] = [2 ** 30, 2 ** 40];
let world: World;
let maren: Caller;
let tom: Caller;
let address: string;
beforeAll(async () => {
  // small instances, so that a few shares fill one
  const seed = () => {
    const gneiss = gneissSeed();
    const [shared] = gneiss.pools;
    const pools = [{ ...shared!, usable: 4 * TiB, sold: { minimum: TiB, step: TiB / 4, maximum: TiB } }];
    return { ...gneiss, pools, createMs: 5 };
  };
  world = await makeWorld({ more: [seed] });
  const server = await world.start();
  address = server.url;
  maren = await world.operator(server);
  tom = await new Caller(server.url).signIn('tom');
  await tom.ok('POST', '/api/backends', {
    ...{ id: 'gneiss', title: 'Gneiss', address: world.more[0]!.url },
    ...{ username: 'moorage', password: 'slow-stone', sites: ['quayside'] },
  });
  await moorClass(maren, 'charts', ['gneiss-shared'], { copies: 1, reclaim: 'Delete' });
});
afterAll(() => world.end());

const gneiss = () => world.more[0]!.backend;
const path = '/api/pools/gneiss-shared/instances';
const carving = () => tom.ok<Carving>('GET', path);
const ask = async (name: string, gib: number) => {
  await maren.ok('POST', '/api/claims', aClaim(name, 'charts', { size: `${gib}Gi`, modes: ['ReadWriteMany'] }));
};
const share = async (name: string, gib: number) => {
  await ask(name, gib);
  await maren.inState(name, 'bound');
};
const drop = async (name: string) => {
  await maren.ok('DELETE', `/api/claims/tide-gauges/${name}?confirm=${name}`);
  await eventually(`${name} is gone`, async () => {
    const { status } = await maren.call('GET', `/api/claims/tide-gauges/${name}`);
    const left = await world.rows('SELECT 1 FROM reservations WHERE claim_name = $1', [name]);
    return status === 404 && left.length === 0;
  });
};
const volumeOf = async (name: string) => {
  const [row] = await world.rows<{ volume_name: string; instance: string | null; instance_to: string | null }>(
    'SELECT volume_name, instance, instance_to FROM reservations WHERE claim_name = $1',
    [name],
  );
  return row!;
};
const operations = async (kind: string) =>
  world.rows<{ state: string; about: string; cause: string | null }>(
    'SELECT state, about, cause FROM operations WHERE kind = $1 ORDER BY created_at',
    [kind],
  );

test('the first share buys an instance, the next ones are carved out of it, and one that does not fit buys another', async () => {
  expect(await carving()).toMatchObject({ instances: [], shares: 0, atLeast: 0, freeing: null });
  await share('charts-a', 600);
  await share('charts-b', 300);
  await share('charts-c', 200);
  const { instances, ...rest } = await carving();
  expect(instances).toMatchObject([
    { bytes: TiB, shares: expect.any(Number) as number, listed: expect.any(Boolean) as boolean, leaving: false },
    { bytes: TiB },
  ]);
  expect(instances.map((i) => [i.shares, i.used]).sort()).toEqual([
    [1, 200 * GiB],
    [2, 900 * GiB],
  ]);
  expect(rest).toMatchObject({ shares: 3, used: 1100 * GiB, bought: 2 * TiB, atLeast: 2, freeing: null });
  expect(gneiss().instances.of('gneiss-shared')).toHaveLength(2);
  const pool = (await tom.ok<{ pools: { id: string }[] }[]>('GET', '/api/backends')).flatMap((b) => b.pools);
  expect(pool.find((p) => p.id === 'gneiss-shared')).toMatchObject({ reservedBytes: 1100 * GiB });
});

test('the trace says out of which instance a claim is carved and what was bought for it', async () => {
  const traces = await world.rows<{ trace: { carved: object } }>(
    `SELECT d.trace FROM decisions d JOIN reservations r USING (claim_uid) WHERE d.winner = 'gneiss-shared' ORDER BY d.id`,
  );
  expect(traces.map((t) => t.trace.carved)).toMatchObject([
    { size: TiB, added: TiB },
    { instance: (await volumeOf('charts-a')).instance, added: 0 },
    { size: TiB, added: TiB },
  ]);
});

test('the Line of a claim names the instance that it is carved out of', async () => {
  const { links } = await maren.ok<Line>('GET', '/api/line?claim=tide-gauges/charts-a');
  const { instance } = await volumeOf('charts-a');
  expect(links.find((l) => l.kind === 'pool')).toMatchObject({ name: 'gneiss-shared', note: `instance ${instance!}` });
});

test('a share grows where it lies as far as its instance is sold, and is told what stops it', async () => {
  const answer = await maren.ok<{ growth: { fits: boolean }; most: number }>(
    'GET',
    '/api/claims/tide-gauges/charts-b/growth?size=600Gi',
  );
  expect(answer).toMatchObject({ growth: { fits: false }, most: 424 * GiB });
  await maren.ok('POST', '/api/claims/tide-gauges/charts-b/growth', { size: '424Gi' });
  await eventuallyHolds('it has grown', async () => {
    expect((await maren.claim('charts-b')).claim.provisioned).toBe(424 * GiB);
    expect((await operations('grow')).map((o) => o.state)).toEqual(['grown']);
  });
});

test('the fewest moves that free an instance are told; done, the data lies elsewhere and the instance is given back', async () => {
  await drop('charts-a');
  const before = await carving();
  const { freeing } = before;
  expect(freeing).toMatchObject({ bytes: TiB, moves: [{ bytes: expect.any(Number) as number }] });
  const [move] = freeing!.moves;
  gneiss().write(gneiss().volume((await findVolume(move!.volume))!.id).id, 10 * GiB);
  const freed = await tom.ok<Carving>('POST', `${path}/${freeing!.instance}/free`, {
    moves: freeing!.moves.map(({ volume, to }) => ({ volume, to })),
  });
  expect(freed.instances.find((i) => i.id === freeing!.instance)).toMatchObject({ leaving: true });
  await eventuallyHolds('it is given back', async () => {
    expect((await operations('give-back')).map((o) => o.state)).toEqual(['given']);
    expect((await carving()).instances.map((i) => i.id)).toEqual([move!.to]);
  });
  expect((await findVolume(move!.volume))!).toMatchObject({ instance: move!.to, consumed: 10 * GiB });
  expect(
    gneiss()
      .instances.of('gneiss-shared')
      .map((i) => i.id),
  ).toEqual([move!.to]);
  expect(await operations('shift')).toMatchObject([{ state: 'moved', about: move!.claim }]);
});

const findVolume = (name: string) => Promise.resolve([...gneiss().volumes.values()].find((v) => v.name === name));

test('what is not as it was shown is not moved, and says so', async () => {
  await share('charts-d', 900);
  const { instances } = await carving();
  const { instance } = await volumeOf('charts-d');
  const other = instances.find((i) => i.id !== instance)!.id;
  const free = (id: string, moves: object[]) => tom.call<{ detail: string }>('POST', `${path}/${id}/free`, { moves });
  const { volume_name } = await volumeOf('charts-d');
  const refused = async (id: string, moves: object[], said: RegExp) => {
    const { status, data } = await free(id, moves);
    expect([status, data.detail]).toEqual([409, expect.stringMatching(said)]);
  };
  await refused(instance!, [], /charts-d lies there as well, and was not shown/);
  await refused(instance!, [{ volume: volume_name, to: other }], /has no room for the share of tide-gauges\/charts-d/);
  await refused(other, [{ volume: volume_name, to: instance }], /lies there as well|is gone/);
  expect(await free('nothing', [])).toMatchObject({ status: 404 });
  expect(await tom.call('GET', '/api/pools/basalt-broad/instances')).toMatchObject({ status: 404 });
  expect(await world.rows('SELECT 1 FROM instances WHERE leaving')).toEqual([]);
  await drop('charts-d');
});

test('an empty instance is given back by itself alone when a person says so', async () => {
  const empty = (await carving()).instances.find((i) => i.shares === 0)!;
  expect((await carving()).freeing).toMatchObject({ instance: empty.id, moves: [] });
  const waste = async () =>
    (await tom.ok<FindingRow[]>('GET', '/api/findings')).find((f) => f.kind === 'instances-empty');
  await eventuallyHolds('it is found', async () => {
    expect(await waste()).toMatchObject({ subject: 'gneiss-shared', facts: { instances: 1, bytes: TiB } });
  });
  await tom.ok('POST', `${path}/${empty.id}/free`, { moves: [] });
  await eventuallyHolds('it is found no more', async () => expect(await waste()).toBeUndefined());
  await eventuallyHolds('it is given back', async () => {
    expect((await carving()).instances.map((i) => i.id)).not.toContain(empty.id);
  });
});

test('a cap over the backend counts what is bought, and is found to be near when it is', async () => {
  const bought = (await carving()).bought;
  const findings = async () =>
    (await tom.ok<FindingRow[]>('GET', '/api/findings')).find((f) => f.kind === 'cap-near' && f.subject === 'gneiss');
  await tom.ok('PATCH', '/api/backends/gneiss', { cap: bought });
  await eventuallyHolds('it is found', async () => {
    expect((await findings())?.facts).toMatchObject({ taken: bought, cap: bought });
  });
  const backend = (await tom.ok<BackendRow[]>('GET', '/api/backends')).find((b) => b.id === 'gneiss')!;
  expect(backend.pools[0]!.backendCap).toEqual({ limit: bought, taken: bought });
  await tom.ok('PATCH', '/api/backends/gneiss', { cap: null });
});

test('a pool that is sold out refuses with its rule, and what was not bought is not counted', async () => {
  const pools = () => tom.ok<{ pools: { id: string; instances?: { id: string }[] }[] }[]>('GET', '/api/backends');
  // somebody else buys what is left, and we do not know yet
  const bought = ['x', 'y', 'z'].map((Name) =>
    gneiss().instances.buy(gneiss().pool('gneiss-shared'), { Name, Capacity: { Data: { ProvisionedBytes: TiB } } }),
  );
  await ask('charts-e', 900);
  const detail = await maren.inState('charts-e', 'nothing-fits');
  expect(detail.decisions[0]!.trace.candidates[0]!.checks.find((c) => !c.passed)).toMatchObject({
    rule: 'subscription',
  });
  const ours = (await pools()).flatMap((b) => b.pools).find((p) => p.id === 'gneiss-shared')!.instances ?? [];
  expect(ours).toHaveLength(1);
  for (const { id } of bought) gneiss().instances.giveBack('gneiss-shared', id);
  await maren.inState('charts-e', 'bound');
});

test('a share whose backend does not move it stays where it is, and its instance is kept', async () => {
  const { instance, volume_name } = await volumeOf('charts-b');
  const to = (await volumeOf('charts-e')).instance!;
  await drop('charts-e');
  world.more[0]!.faults.add({ kind: 'refuse', method: 'PATCH', path: '/Volumes/', status: 400 });
  const moves = [volume_name, (await volumeOf('charts-c')).volume_name].map((volume) => ({ volume, to }));
  await tom.ok('POST', `${path}/${instance!}/free`, { moves });
  await eventuallyHolds('it is kept', async () => {
    expect((await operations('give-back')).at(-1)).toMatchObject({ state: 'kept' });
  });
  expect((await operations('shift')).slice(-2).map((o) => o.state)).toEqual(['returned', 'returned']);
  expect(await volumeOf('charts-b')).toMatchObject({ instance, instance_to: null });
  expect((await carving()).instances.every((i) => !i.leaving)).toBe(true);
});

test('what the backend does to instances by itself is followed: shares that moved, one made larger, an empty one that is gone', async () => {
  await share('charts-f', 100);
  const { instance: before, volume_name } = await volumeOf('charts-f');
  const pool = gneiss().pool('gneiss-shared');
  const other = (await carving()).instances.find((i) => i.id !== before && i.shares !== null)!;
  const volume = (await findVolume(volume_name))!;
  gneiss().change(volume.id, { instance: other.id });
  await eventuallyHolds('it is held where it lies', async () => {
    expect(await volumeOf('charts-f')).toMatchObject({ instance: other.id });
  });
  gneiss().change(volume.id, { instance: before! });
  await eventuallyHolds('it is held where it lies', async () => {
    expect(await volumeOf('charts-f')).toMatchObject({ instance: before });
    expect(await world.rows('SELECT used FROM instances WHERE id = $1', [other.id])).toEqual([{ used: 0 }]);
  });
  gneiss().instances.giveBack(pool.id, other.id);
  await eventuallyHolds('the empty one is gone', async () => {
    expect((await carving()).instances.map((i) => i.id)).not.toContain(other.id);
  });
});

test('a backend is not forgotten while instances are bought of it', async () => {
  for (const name of ['charts-f', 'charts-b', 'charts-c']) await drop(name);
  const refused = await tom.call<{ detail: string }>('DELETE', '/api/backends/gneiss');
  expect([refused.status, refused.data.detail]).toEqual([409, expect.stringMatching(/bought of it; give/)]);
});

test('who may not look after storage sees nothing of it', async () => {
  const ivo = await new Caller(address).signIn('ivo');
  expect(await ivo.call('GET', path)).toMatchObject({ status: 403 });
  const rows = await tom.ok<{ rows: OperationRow[] }>('GET', '/api/operations?show=ended');
  expect(rows.rows.some((o) => o.kind === 'give-back')).toBe(true);
});
