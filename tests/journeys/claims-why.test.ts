import { aClaim, eventually, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { beginJourney } from './journey';

/** Why a claim waits, what it could have, and where it really is. */
const GiB = 2 ** 30;
let world: World;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ world, caller, browser, end } = await beginJourney());
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1, expansion: true });
  await moorClass(caller, 'with-pod', ['basalt-broad'], { copies: 1, binding: 'WaitForFirstConsumer' });
  await browser.signIn();
});
afterAll(() => end?.());

const claimed = (name: string, part: object) =>
  world.platform.store.create('persistentvolumeclaims', {
    metadata: { name, namespace: 'tide-gauges' },
    spec: {
      ...{ accessModes: ['ReadWriteOnce'], volumeMode: 'Filesystem', storageClassName: 'general' },
      resources: { requests: { storage: '5Gi' } },
      ...part,
    },
    status: { phase: 'Pending' },
  });

test('each kind of pending says its reason, and is resolved from there', async () => {
  // no class of that name
  claimed('misspelt', { storageClassName: 'genral' });
  await browser.go('/claims/tide-gauges/misspelt');
  await browser.see('There is no class "genral". Was "general" meant?');

  // its first pod
  await caller.ok('POST', '/api/claims', aClaim('for-a-pod', 'with-pod', { size: '2Gi' }));
  await browser.go('/claims/tide-gauges/for-a-pod');
  await browser.see('Waits for its first pod; no pod uses it yet. Not a fault.');
  world.platform.store.create('pods', {
    metadata: { name: 'for-a-pod-0', namespace: 'tide-gauges' },
    spec: { volumes: [{ name: 'data', persistentVolumeClaim: { claimName: 'for-a-pod' } }] },
    status: { phase: 'Pending' },
  });
  await browser.see('on basalt-broad');

  // a limit
  await caller.ok('PUT', '/api/namespaces/ferry-desk/enforcement', { byPlatform: false });
  await caller.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: GiB });
  await caller.ok('POST', '/api/claims', {
    ...aClaim('over-limit', 'general', { size: '4Gi' }),
    namespace: 'ferry-desk',
  });
  await browser.go('/claims/ferry-desk/over-limit');
  await browser.see('Needs 4 GiB; the namespace may take 1 GiB more');
  await browser.click('Raise the limit');
  await browser.see('on basalt-broad');

  // a backend that fails, which is tried again when a person says so
  world.basalt.faults.add({ kind: 'refuse', method: 'POST', path: 'Volumes$', status: 503 });
  await caller.ok('POST', '/api/claims', aClaim('retried', 'general', { size: '2Gi' }));
  await browser.go('/claims/tide-gauges/retried');
  await browser.see('trying again');
  // its next try is far off: it is bound because a person said so
  await eventually('it rests', async () => {
    const resting = await world.rows(
      `UPDATE operations SET next_attempt_at = now() + interval '1 hour'
       WHERE about = 'tide-gauges/retried' AND runner IS NULL AND next_attempt_at > now() RETURNING id`,
    );
    return resting.length > 0;
  });
  world.basalt.faults.heal();
  await browser.click('Try now');
  await browser.see('on basalt-broad');
}, 300_000);

test('a volume made beforehand: the candidates are ranked, one is chosen by hand, and the best is found by itself', async () => {
  for (const [name, gib] of [
    ['Old Export', 40],
    ['Old Levels', 12],
  ] as const)
    world.basalt.backend.create({ ...{ name, capacity: gib * GiB, pool: 'basalt-broad', drives: [] } });
  await browser.go('/claims/salvage?origin=foreign');
  await browser.see('2 volumes, 52 GiB promised, held by no claim.');
  await browser.clickOn('.MuiDataGrid-columnHeader input[type=checkbox]');
  await browser.click('Offer 2 to claims');
  await browser.choose('Class', 'with-pod');
  await browser.see('2 objects: 2 new.');
  await browser.click('Make 2');
  await browser.see('Nothing matches');

  await caller.ok('POST', '/api/claims', aClaim('finds-old', 'with-pod', { size: '10Gi' }));
  await browser.go('/claims/tide-gauges/finds-old');
  await browser.see('2 of 2 match.');
  await browser.see('The best that matches: 2 GiB more than it asks, for nobody else to use.');
  await browser.click('Use it');
  await browser.see('on a volume made beforehand');
  await eventually('it has the smaller one', async () =>
    /^old-levels-/.test((await caller.claim('finds-old')).claim.volumeName ?? ''),
  );
}, 300_000);

test('what a backend did by itself is seen, proven from both sides, and put right', async () => {
  await caller.ok('POST', '/api/claims', aClaim('drifts', 'general', { size: '4Gi' }));
  const { claim } = await caller.inState('drifts', 'bound');
  world.basalt.backend.change(claim.volumeId!, { capacity: 6 * GiB });
  await browser.go('/claims/drift');
  await browser.see('It has 6 GiB; 4 GiB are counted.');
  await browser.go('/claims/tide-gauges/drifts/proof');
  await browser.see('1 of 14 checks of tide-gauges/drifts did not pass.');
  await browser.go('/claims/drift');
  await browser.click('Count it as it is');
  // the platform is told by the next one
  await browser.see('The platform says 4 GiB; it has 6 GiB.');
  await browser.click('Tell the platform its size');
  await browser.see('Every volume is as it was declared, on its backend and on the platform.');
}, 300_000);

test('ceilings and floors are tuned at once, within the class and what the pool can promise', async () => {
  await moorClass(caller, 'tunable', ['basalt-swift'], {
    ...{ copies: 1, iopsFloor: { kind: 'fixed', value: 500 }, iopsCeiling: { kind: 'fixed', value: 4000 } },
    allowances: [{ setting: 'iops-ceiling', minimum: 1000, maximum: 9000, namespaces: [] }],
  });
  await caller.ok('POST', '/api/claims', aClaim('tuned', 'tunable', { size: '2Gi' }));
  const { claim } = await caller.inState('tuned', 'bound');
  await browser.go('/claims/tide-gauges/tuned');
  await browser.click('Tune');
  await browser.type('IOPS ceiling', '20000');
  await browser.see('The class allows 1,000 to 9,000.');
  await browser.type('IOPS ceiling', '8000');
  await browser.see('In force at once; no pod has to start again, and nothing of its data moves.');
  await browser.clickOn('[aria-label="Tune this claim"] .MuiButton-contained');
  await browser.see('tide-gauges/tuned is being tuned.');
  await eventually('the backend holds it to that', () =>
    Promise.resolve(world.basalt.backend.volumes.get(claim.volumeId!)!.serviceClass === 'iops-8000'),
  );
}, 300_000);

test('a disk and a device path are found in the box, with the claims on them', async () => {
  await moorClass(caller, 'spread', ['kelp-nvme'], { copies: 3 });
  await caller.ok('POST', '/api/claims', aClaim('on-disks', 'spread', { size: '4Gi' }));
  const { claim } = await caller.inState('on-disks', 'bound');
  const id = await eventually(
    'its disk is known',
    async () =>
      (
        await world.rows<{ disk: string }>('SELECT disk FROM reservation_copies WHERE claim_uid = $1 LIMIT 1', [
          claim.uid,
        ])
      )[0]?.disk,
  );
  for (const text of [id, `/dev/disk/by-id/nvme-${id}`]) {
    await browser.go('/watch');
    await browser.type('Find or command', text);
    await browser.see('the claims on it');
    await browser.clickOn('[role=option]');
    await browser.see('1 of 1 shown');
    await browser.see('on-disks');
  }
}, 300_000);
