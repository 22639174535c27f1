import type { ClassRow } from '@moorage/contract/classes';
import type { Line } from '@moorage/contract/claims';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { RunningServer } from '../server';
import { aClaim, eventually, makeWorld, moorClass, type Caller, type World } from '../testing/world';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let caller: Caller;

beforeAll(async () => {
  world = await makeWorld({ backendTimeoutMs: 1500 });
  world.kelp.backend.duplicateNames = true;
  world.basalt.backend.duplicateNames = true;
  server = await world.start();
  caller = await world.operator(server);
  await moorClass(caller, 'tide-fast', ['kelp-nvme', 'basalt-swift'], {
    iopsFloor: { kind: 'per-gib', perGiB: 12 },
    iopsCeiling: { kind: 'fixed', value: 5000 },
  });
  await moorClass(caller, 'keep', ['basalt-broad'], { reclaim: 'Retain', copies: 2 });
  await moorClass(caller, 'block-only', ['basalt-swift', 'basalt-broad'], { copies: 2 });
  await moorClass(caller, 'with-pod', ['kelp-nvme'], { binding: 'WaitForFirstConsumer', copies: 2, locality: true });
});
afterAll(() => world.end());
afterEach(() => {
  world.kelp.faults.heal();
  world.basalt.faults.heal();
});

const volumesNamed = (uid: string) =>
  [...world.kelp.backend.volumes.values(), ...world.basalt.backend.volumes.values()].filter(
    (v) => v.name === `pvc-${uid}`,
  );

describe('a claim that fits', () => {
  test('is bound: one volume, one persistent volume that names it, one reservation', async () => {
    await caller.ok('POST', '/api/claims', aClaim('level-log', 'tide-fast', { size: '79.5Gi' }));
    const { claim, decisions } = await caller.inState('level-log', 'bound');
    expect(claim).toMatchObject({ pool: 'kelp-nvme', backend: 'kelp', requested: 79.5 * GiB, provisioned: 80 * GiB });
    expect(decisions[0]!.trace).toMatchObject({ winner: 'kelp-nvme', runnerUp: 'basalt-swift', iopsFloor: 960 });
    const [volume, ...others] = volumesNamed(claim.uid);
    expect(others).toEqual([]);
    expect(volume).toMatchObject({
      id: claim.volumeId,
      capacity: 80 * GiB,
      raidType: 'RAID1Triple',
      serviceClass: 'iops-5000',
      // whose it is, for who looks after the backend
      shownAs: expect.stringMatching(/^tide-gauges\/level-log, team \w+/) as unknown,
    });
    expect(new Set(volume!.copies.map((c) => world.kelp.backend.drive(c.drive).node)).size).toBe(3);
    const pv = world.platform.store.get('persistentvolumes', undefined, claim.volumeName!);
    expect(pv.spec).toMatchObject({
      claimRef: { name: 'level-log', uid: claim.uid },
      csi: { volumeHandle: `kelp/${volume!.id}` },
      capacity: { storage: '80Gi' },
    });
    // the platform may tell of the end before the binding's own step has
    const [held] = await eventually('the reservation is bound', async () => {
      const rows = await world.rows<{ state: string; bytes: number }>(
        'SELECT state, bytes::float8 FROM reservations WHERE claim_uid = $1',
        [claim.uid],
      );
      return rows.length === 1 && rows[0]!.state === 'bound' && rows;
    });
    expect(held!.bytes).toBe(80 * GiB);
  });

  test('is found by any identifier of either world, with its whole Line', async () => {
    const { claim } = await caller.claim('level-log');
    for (const key of ['tide-gauges/level-log', claim.uid, claim.volumeName!, claim.volumeId!]) {
      const { links } = await caller.ok<Line>('GET', `/api/line?claim=${encodeURIComponent(key)}`);
      expect(links.map((l) => l.kind)).toEqual([
        'namespace',
        'claim',
        'volume',
        'class',
        'pool',
        'backend',
        ...(links.length > 6 ? ['copy', 'copy', 'copy'] : []),
      ]);
      expect(links.find((l) => l.kind === 'volume')).toMatchObject({
        backendId: claim.volumeId,
        name: claim.volumeName,
      });
    }
    expect((await caller.call('GET', '/api/line?claim=nothing')).status).toBe(404);
  });

  test('makes its namespace grow by what was provisioned', async () => {
    const usage = await caller.ok<NamespaceUsage[]>('GET', '/api/namespaces');
    expect(
      usage.find((n) => n.namespace === 'tide-gauges')!.classes.find((c) => c.className === 'tide-fast'),
    ).toMatchObject({ claims: 1, provisioned: 80 * GiB, footprint: 240 * GiB });
  });
});

describe('a claim that fits nowhere', () => {
  test('says which rule failed on each pool, and the smallest change binds it', async () => {
    await caller.ok('POST', '/api/claims', aClaim('tile-share', 'block-only', { modes: ['ReadWriteMany'] }));
    const { claim, decisions } = await caller.inState('tile-share', 'nothing-fits');
    expect(claim.reason!.failed.map((f) => [f.pool, f.check.rule])).toEqual([
      ['basalt-swift', 'access-mode'],
      ['basalt-broad', 'access-mode'],
    ]);
    expect(decisions[0]!.remedies[0]).toMatchObject({
      pool: 'kelp-deep',
      changes: [{ kind: 'moor', pool: 'kelp-deep' }],
    });
    await caller.ok('PUT', '/api/moorings/block-only/kelp-deep', { enabled: true });
    expect((await caller.inState('tile-share', 'bound')).claim.pool).toBe('kelp-deep');
  });

  test('waits for its quota, and goes on when the limit is raised by what the remedy says', async () => {
    await caller.ok('PUT', '/api/namespaces/ferry-desk/enforcement', { byPlatform: false });
    await caller.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: 50 * GiB });
    await caller.ok('POST', '/api/claims', aClaim('bookings', 'tide-fast', { namespace: 'ferry-desk' }));
    const { decisions } = await caller.inState('bookings', 'nothing-fits', 'ferry-desk');
    const change = decisions[0]!.remedies[0]!.changes[0] as { kind: string; limit?: number };
    expect(change).toMatchObject({ kind: 'raise-quota', limit: 80 * GiB });
    await caller.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: change.limit });
    await caller.inState('bookings', 'bound', 'ferry-desk');
  });

  test('waits for its class when that comes later', async () => {
    await caller.ok('POST', '/api/claims', aClaim('early', 'not-yet'));
    expect((await caller.claim('early')).claim.state).toBe('no-class');
    await moorClass(caller, 'not-yet', ['basalt-broad'], { copies: 1 });
    await caller.inState('early', 'bound');
  });
});

describe('a class that waits for the first pod', () => {
  test('says so, and places the volume to suit the pod', async () => {
    await caller.ok('POST', '/api/claims', aClaim('lonely', 'with-pod'));
    const { claim } = await caller.inState('lonely', 'waiting-pod');
    expect(claim.reason!.pod).toBeNull();
    world.platform.store.create('pods', {
      metadata: { name: 'reader', namespace: 'tide-gauges' },
      spec: { volumes: [{ name: 'data', persistentVolumeClaim: { claimName: 'lonely' } }] },
      status: { phase: 'Pending' },
    });
    const bound = await caller.inState('lonely', 'bound');
    expect(bound.claim.backend).toBe('kelp');
    await eventually(
      'the pod runs',
      async () => world.platform.store.get('pods', 'tide-gauges', 'reader').status?.phase === 'Running',
    );
  });
});

describe('a backend that fails', () => {
  const make = async (name: string) => {
    await caller.ok('POST', '/api/claims', aClaim(name, 'keep', { size: '10Gi' }));
    return (await caller.claim(name)).claim.uid;
  };
  const posts = () =>
    world.basalt.faults.calls.filter((c) => c.method === 'POST' && c.path.endsWith('/Volumes')).length;

  test('refuses: the claim says so and is tried again', async () => {
    world.basalt.faults.add({ kind: 'refuse', method: 'POST', path: '/Volumes$', times: 1 });
    const uid = await make('refused');
    const { claim } = await caller.inState('refused', 'retrying');
    expect(claim.reason).toMatchObject({ error: { code: 'backend-unreachable' }, attempts: 1 });
    await caller.inState('refused', 'bound');
    expect(volumesNamed(uid)).toHaveLength(1);
  });

  test('loses the answer after the work is done: the volume is found again, not made twice', async () => {
    const before = posts();
    world.basalt.faults.add({ kind: 'lose-answer', method: 'POST', path: '/Volumes$', times: 1 });
    const uid = await make('lost-answer');
    await caller.inState('lost-answer', 'bound');
    expect(volumesNamed(uid)).toHaveLength(1);
    expect(posts() - before).toBe(1);
  });

  test('hangs: the call ends in time, the claim says so, nothing is made twice', async () => {
    world.basalt.faults.add({ kind: 'hang', method: 'POST', path: '/Volumes$', times: 1 });
    const uid = await make('hung');
    const { claim } = await caller.inState('hung', 'retrying');
    expect(claim.reason!.error!.code).toBe('backend-timed-out');
    await caller.inState('hung', 'bound');
    expect(volumesNamed(uid)).toHaveLength(1);
  });

  test('is full after all: the next pool is chosen and the reservation moves with it', async () => {
    world.kelp.backend.setFull('kelp-nvme', true);
    await caller.ok('POST', '/api/claims', aClaim('spill', 'tide-fast'));
    const { claim } = await caller.inState('spill', 'bound');
    expect(claim.pool).toBe('basalt-swift');
    expect(await world.rows('SELECT pool_id FROM reservations WHERE claim_uid = $1', [claim.uid])).toEqual([
      { pool_id: 'basalt-swift' },
    ]);
    world.kelp.backend.setFull('kelp-nvme', false);
  });

  test('has lost a node: no copy is placed there', async () => {
    world.kelp.backend.setNode('quay-03', false);
    await eventually('the node is known to be down', async () => {
      const pools = (
        await caller.ok<
          { pools: { id: string; facts: { redundancy: { domains?: { name: string; live: boolean }[] } } }[] }[]
        >('GET', '/api/backends')
      ).flatMap((b) => b.pools);
      return (
        pools.find((p) => p.id === 'kelp-nvme')!.facts.redundancy.domains!.find((d) => d.name === 'quay-03')!.live ===
        false
      );
    });
    await caller.ok('POST', '/api/claims', aClaim('elsewhere', 'tide-fast'));
    const { claim } = await caller.inState('elsewhere', 'bound');
    const [volume] = volumesNamed(claim.uid);
    expect(volume!.copies.map((c) => world.kelp.backend.drive(c.drive).node)).not.toContain('quay-03');
    world.kelp.backend.setNode('quay-03', true);
  });
});

describe('a claim that is deleted', () => {
  test('with Delete: used data wants the name; then volume, persistent volume and reservation go', async () => {
    const { claim } = await caller.claim('level-log');
    world.kelp.backend.write(claim.volumeId!, 5 * GiB);
    await eventually(
      'the written bytes are known',
      async () => (await caller.claim('level-log')).claim.consumed === 5 * GiB,
    );
    const refused = await caller.call<{ code: string }>('DELETE', '/api/claims/tide-gauges/level-log');
    expect([refused.status, refused.data.code]).toEqual([409, 'confirm-destruction']);
    expect(volumesNamed(claim.uid)).toHaveLength(1);
    await caller.ok('DELETE', '/api/claims/tide-gauges/level-log?confirm=level-log');
    await eventually('the volume is gone', async () => volumesNamed(claim.uid).length === 0);
    await eventually(
      'the reservation is gone',
      async () => (await world.rows('SELECT 1 FROM reservations WHERE claim_uid = $1', [claim.uid])).length === 0,
    );
    expect(world.platform.store.find('persistentvolumes', undefined, claim.volumeName!)).toBeUndefined();
    expect((await world.rows('SELECT 1 FROM decisions WHERE claim_uid = $1', [claim.uid])).length).toBeGreaterThan(0);
  });

  test('with Delete, but its persistent volume was turned to Retain: the volume stays', async () => {
    await caller.ok('POST', '/api/claims', aClaim('rescued', 'tide-fast'));
    const { claim } = await caller.inState('rescued', 'bound');
    const volume = world.platform.store.get('persistentvolumes', undefined, claim.volumeName!);
    world.platform.store.amend('persistentvolumes', volume, (copy) => {
      copy.spec!.persistentVolumeReclaimPolicy = 'Retain';
    });
    await caller.ok('DELETE', '/api/claims/tide-gauges/rescued');
    await eventually(
      'it is adrift',
      async () =>
        (await world.rows(`SELECT 1 FROM reservations WHERE claim_uid = $1 AND state = 'adrift'`, [claim.uid]))
          .length === 1,
    );
    expect(volumesNamed(claim.uid)).toHaveLength(1);
  });

  test('with Retain: the volume stays, adrift, and still counts', async () => {
    const { claim } = await caller.inState('refused', 'bound');
    await caller.ok('DELETE', '/api/claims/tide-gauges/refused');
    await eventually(
      'it is adrift',
      async () =>
        (await world.rows(`SELECT 1 FROM reservations WHERE claim_uid = $1 AND state = 'adrift'`, [claim.uid]))
          .length === 1,
    );
    expect(volumesNamed(claim.uid)).toHaveLength(1);
  });

  test('before it was ever bound: nothing is left behind, whatever its class keeps', async () => {
    world.basalt.faults.add({ kind: 'refuse', method: 'POST', path: '/Volumes$' });
    await caller.ok('POST', '/api/claims', aClaim('regretted', 'keep'));
    const { claim } = await caller.inState('regretted', 'retrying');
    await caller.ok('DELETE', '/api/claims/tide-gauges/regretted');
    world.basalt.faults.heal();
    await eventually(
      'the reservation is gone',
      async () => (await world.rows('SELECT 1 FROM reservations WHERE claim_uid = $1', [claim.uid])).length === 0,
    );
    expect(volumesNamed(claim.uid)).toEqual([]);
  });
});

test('the counters of the pools equal the sums of their reservations', async () => {
  const wrong = await world.rows(
    `SELECT p.id FROM pools p LEFT JOIN (SELECT pool_id, sum(raw_bytes) AS raw, sum(bytes) AS bytes FROM reservations GROUP BY 1) r ON r.pool_id = p.id
     WHERE p.reserved_raw <> coalesce(r.raw, 0) OR p.reserved_bytes <> coalesce(r.bytes, 0)`,
  );
  expect(wrong).toEqual([]);
});

test('making a class the default leaves exactly one', async () => {
  await caller.ok('PUT', '/api/classes/tide-fast/default');
  await caller.ok('PUT', '/api/classes/keep/default');
  const defaults = (await caller.ok<ClassRow[]>('GET', '/api/classes'))
    .filter((c) => c.isDefault)
    .map((c) => c.storageClass.name);
  expect(defaults).toEqual(['keep']);
  await caller.ok('POST', '/api/claims', aClaim('unnamed', undefined));
  expect((await caller.inState('unnamed', 'bound')).claim.className).toBe('keep');
});
