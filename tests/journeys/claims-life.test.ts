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
