import { aClaim, eventually, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { beginJourney } from './journey';

/** The life of claims after they are bound: grown, let go, brought back. */
let world: World;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ world, caller, browser, end } = await beginJourney());
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1, expansion: true });
  await browser.signIn();
});
afterAll(() => end?.());

const volumes = (name: string) => [...world.basalt.backend.volumes.values()].filter((v) => v.name === name);

test('a claim is grown: what fits is seen before, what does not is refused with its remedy, which is followed', async () => {
  await caller.ok('POST', '/api/claims', aClaim('tide-log', 'general', { size: '20Gi' }));
  const { claim } = await caller.inState('tide-log', 'bound');
  world.platform.store.create('pods', {
    metadata: { name: 'tide-log-0', namespace: 'tide-gauges' },
    spec: { volumes: [{ name: 'data', persistentVolumeClaim: { claimName: 'tide-log' } }] },
    status: { phase: 'Pending' },
  });
  await browser.go('/claims/tide-gauges/tide-log');
  await browser.click('Grow');
  await browser.type('New size', '30Gi');
  await browser.see('Fits where it is: 10 GiB more on basalt-broad.');
  await browser.clickOn('[aria-label="Grow this claim"] .MuiButton-contained');
  // asked, made larger, told, and grown on its node: seen without a reload
  await browser.see('Asked 30 GiB, got 30 GiB');
  await browser.driver.wait(
    async () => (await browser.driver.findElements({ css: '[aria-label="Growth"]' })).length === 0,
    60_000,
    'the growth does not come to its end on the screen',
  );
  expect(volumes(claim.volumeName!).map((v) => v.capacity)).toEqual([30 * 2 ** 30]);

  await caller.ok('PUT', '/api/namespaces/tide-gauges/enforcement', { byPlatform: false });
  await caller.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: 40 * 2 ** 30 });
  await browser.click('Grow');
  await browser.type('New size', '60Gi');
  await browser.see('60 GiB does not fit where it is; 40 GiB is the most that does.');
  await browser.click('Ask all the same, and let it wait');
  await browser.see('Cannot grow to 60 GiB yet.');
  await browser.click('Raise the limit');
  await browser.see('Asked 60 GiB, got 60 GiB');
  await eventually('it has grown', async () => (await caller.claim('tide-log')).claim.growth === null);
  await caller.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: null });
  expect(volumes(claim.volumeName!).map((v) => v.capacity)).toEqual([60 * 2 ** 30]);
}, 300_000);

test('a volume keeps one copy more, followed until it is in step, and one fewer again', async () => {
  const allowances = [{ setting: 'copies', minimum: 2, maximum: 4, namespaces: [] }];
  await moorClass(caller, 'copied', ['kelp-nvme'], { copies: 3, allowances });
  await caller.ok('POST', '/api/claims', aClaim('tide-copies', 'copied', { size: '20Gi' }));
  const { claim } = await caller.inState('tide-copies', 'bound');
  const { backend } = world.kelp;
  backend.write(claim.volumeId!, 4 * 2 ** 30);
  const before = backend.volume(claim.volumeId!).copies.map((c) => c.drive);
  backend.holdsResync = true;
  await browser.go('/claims/tide-gauges/tide-copies');
  await browser.click('Copies');
  await browser.see('3 copies, all in step.');
  await browser.see('With 4 copies it survives 3 failures of a node without loss');
  await browser.click('Make one more copy');
  await browser.click('Copies');
  await browser.see('4 copies, 3 in step.');
  await browser.see('brought up to date:');
  backend.holdsResync = false;
  await browser.see('4 copies, all in step.');
  const [added] = backend.volume(claim.volumeId!).copies.filter((c) => !before.includes(c.drive));
  expect(added?.state).toBe('Synchronized');
  await browser.choose('Keep', 'one fewer');
  await browser.see('goes, and gives 20 GiB of raw space back.');
  await browser.click('Take the copy away');
  await browser.click('Copies');
  await browser.see('3 copies, all in step.');
  expect(backend.volume(claim.volumeId!).copies).toHaveLength(3);
}, 300_000);

test('a set is grown in one round, picked in the list', async () => {
  const names = [0, 1, 2].map((i) => `data-set-${i}`);
  for (const name of names) await caller.ok('POST', '/api/claims', aClaim(name, 'general', { size: '5Gi' }));
  for (const name of names) await caller.inState(name, 'bound');
  await browser.go('/claims?q=data-set');
  await browser.see('3 of 3 shown');
  await browser.clickOn('.MuiDataGrid-columnHeader input[type=checkbox]');
  await browser.click('Grow them');
  await browser.type('Size', '2Gi');
  await browser.see('3 claims would grow by 6 GiB in all.');
  await browser.click('Grow 3 claims');
  await browser.see('All 3 claims were asked for.');
  await eventually('all have more', async () =>
    (await Promise.all(names.map((n) => caller.claim(n)))).every((d) => d.claim.provisioned === 7 * 2 ** 30),
  );
}, 300_000);

test('claims for three replicas are made from one template', async () => {
  await browser.go('/claims?new=claim');
  await browser.type('Name', 'data-buoys');
  await browser.type('For a set: replicas', '3');
  await browser.choose('Class', 'general');
  await browser.type('Size', '5Gi');
  await browser.see('3 claims, 15 GiB asked in all: 3 on basalt-broad.');
  await browser.choose('Namespace', 'tide-gauges');
  await browser.click('Make 3 claims');
  await browser.see('3 claims of tide-gauges/data-buoys are made.');
  for (const i of [0, 1, 2]) await caller.inState(`data-buoys-${i}`, 'bound');
}, 300_000);

test('forty documents, two of them refused: seen before, left out, the rest made as one', async () => {
  const claim = (i: number, more = '') =>
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ping-${i}, namespace: tide-gauges}\nspec:\n  accessModes: [ReadWriteOnce]\n  storageClassName: general\n  resources:\n    requests: {storage: 1Gi${more}}\n`;
  const documents = Array.from({ length: 40 }, (_, i) => claim(i));
  documents[7] = claim(7, 'b');
  documents[21] = claim(20);
  await browser.go('/claims?new=claim');
  await browser.find('.MuiDrawer-root form');
  await browser.click('as a manifest');
  await browser.paste('Manifest, YAML or JSON', documents.join('---\n'));
  await browser.see('40 objects: 38 new, 2 refused.');
  await browser.see('Refused: stands in the text twice; the first is on line 181.');
  await browser.click('Leave out the 2 refused');
  await browser.click('Make 38');
  await browser.see('Left out: tide-gauges/ping-7, tide-gauges/ping-20.');
  await eventually(
    'all are there',
    async () =>
      world.platform.store.list('persistentvolumeclaims').filter((c) => c.metadata.name.startsWith('ping-')).length ===
      38,
  );
}, 300_000);

test('a set deleted by mistake comes back whole, one by one or together, and a volume of others is adopted', async () => {
  await moorClass(caller, 'ledger', ['kelp-nvme'], { copies: 2, reclaim: 'Delete', graceDays: 7 });
  const names = [0, 1, 2].map((i) => `data-gauges-${i}`);
  for (const name of names) await caller.ok('POST', '/api/claims', aClaim(name, 'ledger', { size: '5Gi' }));
  const ids: string[] = [];
  for (const [i, name] of names.entries()) {
    const { claim } = await caller.inState(name, 'bound');
    world.kelp.backend.write(claim.volumeId!, (i + 1) * 2 ** 30);
    ids.push(claim.volumeId!);
    await eventually('written bytes are known', async () => ((await caller.claim(name)).claim.consumed ?? 0) > 0);
    await caller.ok('DELETE', `/api/claims/tide-gauges/${name}`);
  }
  await browser.go('/claims');
  await browser.click('Salvage');
  await browser.see('3 volumes, 15 GiB promised, held by no claim. 3 of these are destroyed within 7 days.');
  // one by itself: its row, then the button
  await browser.clickOn(`[aria-label="Volumes that no claim holds"] [role=row][data-id]`);
  await browser.click('Give it back');
  await browser.see('2 volumes, 10 GiB promised');
  // the others together
  await browser.clickOn('.MuiDataGrid-columnHeader input[type=checkbox]');
  await browser.click('Give 2 back to their old names');
  await browser.see('Every volume is held by a claim.');
  for (const [i, name] of names.entries())
    await eventually(`${name} is as it was`, async () => {
      const { claim } = await caller.claim(name);
      return claim.volumeId === ids[i] && claim.consumed === (i + 1) * 2 ** 30;
    });

  const made = world.basalt.backend.create({
    name: 'Plate archive 1987',
    capacity: 20 * 2 ** 30,
    pool: 'basalt-broad',
    drives: [],
  });
  world.basalt.backend.write(made.volume.id, 4 * 2 ** 30);
  await browser.see('Plate archive 1987');
  await browser.clickOn(`[aria-label="Volumes that no claim holds"] [role=row][data-id]`);
  await browser.choose('Namespace', 'chart-tiles');
  await browser.type('Claim', 'plates');
  await browser.choose('Class', 'general');
  await browser.click('Give it to this claim');
  await browser.see('Every volume is held by a claim.');
  await eventually(
    'it is held',
    async () => (await caller.claim('plates', 'chart-tiles')).claim.volumeId === made.volume.id,
  );
}, 300_000);
