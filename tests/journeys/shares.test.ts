import { aClaim, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import { gneissSeed } from '@moorage/standins/backend-seeds';
import type { Browser } from './browser';
import { beginJourney } from './journey';

/** Files that many write: who does, and who is shut out. */
let world: World;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ world, caller, browser, end } = await beginJourney({ more: [gneissSeed] }));
  await caller.ok('POST', '/api/backends', {
    ...{ id: 'gneiss', title: 'Gneiss', address: world.more[0]!.url },
    ...{ username: 'moorage', password: 'slow-stone', sites: ['quayside'] },
  });
  await moorClass(caller, 'charts-shared', ['gneiss-shared'], { copies: 1 });
  await browser.signIn('tom');
});
afterAll(() => end?.());

const writer = (name: string, node: string) =>
  world.platform.store.create('pods', {
    metadata: { name, namespace: 'tide-gauges' },
    spec: {
      nodeName: node,
      containers: [{ name: 'press', volumeMounts: [{ name: 'tiles', mountPath: '/tiles' }] }],
      volumes: [{ name: 'tiles', persistentVolumeClaim: { claimName: 'chart-tiles' } }],
    },
    status: { phase: 'Running' },
  });

test('two write one share, one of them is shut out, and is let in where that is seen', async () => {
  await caller.ok(
    'POST',
    '/api/claims',
    aClaim('chart-tiles', 'charts-shared', { size: '2Ti', modes: ['ReadWriteMany'] }),
  );
  await caller.inState('chart-tiles', 'bound');
  await browser.go('/claims/tide-gauges/chart-tiles');
  await browser.see('No pod names it.');
  writer('tile-press-0', 'quay-01');
  writer('tile-press-1', 'quay-12');
  // both are there without a reload, and one does not write
  await browser.see('1 pod writes now, on 1 node.');
  await browser.see(
    'quay-12 is shut out: 10.40.10.33 lies in none of the ranges of gneiss, and its pods cannot use the share.',
  );
  await browser.click('Export to 10.40.10.33/32 as well');
  await browser.see('2 pods write now, on 2 nodes.');
  await browser.see('gneiss exports to quay-12 (10.40.10.33/32) as well.');
  const { ranges } = world.more[0]!.backend.clients;
  expect([...ranges.values()]).toContainEqual({ address: '10.40.10.33', mask: '255.255.255.255' });
  // a pod writes through it by now: it is not taken away under it
  await browser.click('Undo');
  await browser.see('The pod tide-gauges/tile-press-1 on quay-12 uses its claim');
  expect([...ranges.values()].some((r) => r.address === '10.40.10.33')).toBe(true);
}, 300_000);

test('an instance is freed: what has to move is said, done, and the instance is given back', async () => {
  const share = async (name: string, size: string) => {
    await caller.ok('POST', '/api/claims', aClaim(name, 'charts-shared', { size, modes: ['ReadWriteMany'] }));
    await caller.inState(name, 'bound');
  };
  await share('plates', '1900Gi');
  // the first instance is full: this one has to be bought
  await share('wave-atlas', '200Gi');
  await caller.ok('DELETE', '/api/claims/tide-gauges/plates?confirm=plates');
  await browser.go('/backends/gneiss');
  await browser.click('Instances');
  await browser.see('of 5 TiB bought in 2 instances (44 %)');
  await browser.see('Moving 1 share of 200 GiB frees');
  await browser.click('Move and give back');
  await browser.see('tide-gauges/wave-atlas, 200 GiB, to');
  await browser.clickOn('[role=dialog] .MuiButton-contained');
  await browser.see('of 4 TiB bought in 1 instance (55 %)');
  const { instances, volumes } = world.more[0]!.backend;
  expect(instances.of('gneiss-shared')).toHaveLength(1);
  expect(new Set([...volumes.values()].map((v) => v.instance)).size).toBe(1);
}, 300_000);
