import { eventually, eventuallyHolds, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { Browser } from './browser';
import { beginJourney } from './journey';

let world: World;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;

beforeAll(async () => {
  ({ world, caller, browser, end } = await beginJourney());
});
afterAll(() => end?.());

test('an operator maps a class to pools, sees a claim bind, finds its volume on the backend and its bytes in the namespace', async () => {
  await browser.signIn();
  await browser.click('Backends');
  for (const name of ['basalt', 'kelp', 'basalt-swift', 'kelp-nvme']) await browser.see(name);
  await browser.see('hold more than any mix of nodes can match');

  await browser.click('Classes');
  await browser.click('New class');
  await browser.type('Name of the class', 'tide-fast');
  await browser.click('3 copies');
  await browser.see('Survives 2 failures of a node without loss, 1 failure without interruption');
  await browser.choose('IOPS floor (reserved)', 'per GiB');
  await browser.type('IOPS floor (reserved): per GiB', '12');
  await browser.see('120 IOPS at 10 GiB');
  await browser.see('vast-moorage.example/iops-floor: 12 per GiB');
  await browser.click('Make class');

  await browser.see('Where would a claim land'.toLowerCase());
  await browser.clickOn('[data-cell="tide-fast/kelp-nvme"]');
  await browser.click('not moored');
  await browser.find('[data-cell="tide-fast/kelp-nvme"][data-mooring="1st"]');
  await browser.clickOn('[data-cell="tide-fast/basalt-swift"]');
  await browser.click('not moored');
  await browser.find('[data-cell="tide-fast/basalt-swift"][data-mooring="2nd"]');
  const cell = await browser.find('[data-cell="tide-fast/kelp-nvme"]');
  await browser.driver.wait(async () => (await cell.getText()).includes('lands here'), 60_000);

  await browser.click('Claims');
  await browser.click('New claim');
  await browser.find('.MuiDrawer-root form');
  await browser.choose('Namespace', 'tide-gauges');
  await browser.type('Name', 'level-log');
  await browser.choose('Class', 'tide-fast');
  await browser.type('Size', '80Gi');
  await browser.see('It would land on kelp-nvme, provisioned as 80 GiB');
  await browser.click('Make claim');

  // no reload from here on: the live changes bring it
  const row = '//*[@role="row"][contains(., "level-log")]';
  await browser.driver.wait(
    async () =>
      (await browser.driver.findElements({ xpath: `${row}[contains(., "bound")][contains(., "on kelp-nvme")]` }))
        .length === 1,
    60_000,
    'the claim does not become bound on the screen',
  );

  await browser.click('Line ▴');
  const sheet = await browser.find('#line-sheet');
  const { claim } = await caller.claim('level-log');
  await eventuallyHolds('the Line shows the identifier of the backend', async () =>
    expect(await sheet.getText()).toContain(claim.volumeId!),
  );
  const onBackend = await fetch(`${world.kelp.url}/redfish/v1/Storage/kelp/Volumes/${claim.volumeId}`, {
    headers: { Authorization: `Basic ${Buffer.from('moorage:holdfast').toString('base64')}` },
  }).then((r) => r.json() as Promise<{ Id: string; Name: string; CapacityBytes: number }>);
  expect(onBackend).toMatchObject({ Id: claim.volumeId, Name: claim.volumeName, CapacityBytes: 80 * 2 ** 30 });

  await browser.click('Namespaces');
  const cellOf = await browser.find('[data-cell="tide-gauges/tide-fast"]');
  await browser.driver.wait(async () => (await cellOf.getText()).includes('80 GiB'), 60_000);
  const usage = await caller.ok<NamespaceUsage[]>('GET', '/api/namespaces');
  expect(usage.find((n) => n.namespace === 'tide-gauges')!.provisioned).toBe(80 * 2 ** 30);
}, 400_000);

test('many writers of a block-only class: the screen says which rule failed and offers the change; doing it binds the claim', async () => {
  await moorClass(caller, 'charts-shared', ['basalt-swift', 'basalt-broad'], { copies: 2 });
  await browser.go('/claims?new=claim');
  await browser.find('.MuiDrawer-root form');
  await browser.choose('Namespace', 'chart-tiles');
  await browser.type('Name', 'tile-share');
  await browser.choose('Class', 'charts-shared');
  await browser.type('Size', '2Ti');
  await browser.choose('Access mode', 'ReadWriteMany');
  await browser.see('Nothing fits');
  await browser.click('Make claim');
  // what needs a person comes to Watch by itself, with its remedy one step away
  await browser.click('Watch');
  await browser.see('1 claim of charts-shared fits nowhere');
  await browser.clickOn('[data-finding="claims-stuck"] a');
  await browser.see('Asks for ReadWriteMany; block storage gives one writer node');
  const trace = await browser.find('[aria-label="Trace of the decision"]');
  const failures = (await trace.getText()).split('\n').filter((l) => l.includes('fails'));
  expect(failures.join(' ').match(/ReadWriteMany \/ block/g)).toHaveLength(2);
  await browser.see('Moor charts-shared to kelp-deep');
  await browser.click('Moor it');
  await browser.see('Why kelp-deep');
  await browser.click('Watch');
  await browser.driver.wait(
    async () => (await browser.driver.findElements({ css: '[data-finding="claims-stuck"]' })).length === 0,
    60_000,
    'the claim is bound and its finding stays',
  );
  await eventually('bound', async () => (await caller.claim('tile-share', 'chart-tiles')).claim.state === 'bound');
}, 400_000);

test('wrong input is told at the field, and nothing is made', async () => {
  await browser.go('/claims?new=claim');
  await browser.find('.MuiDrawer-root form');
  await browser.type('Name', 'Not a name');
  await browser.type('Size', '80GiB');
  await browser.click('Make claim');
  await browser.see('Only a-z, 0-9');
  await browser.see('Unknown unit');
  await browser.go('/classes/new');
  await browser.type('Name of the class', 'tide-fast');
  await browser.see('A class of this name exists already');
  expect(await (await browser.control('Make class')).isEnabled()).toBe(false);
}, 300_000);

test('a manifest with a wrong size is told by its line, and made once it is mended', async () => {
  const manifest = (size: string) =>
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: written-out, namespace: wave-model}\nspec:\n  accessModes: [ReadWriteOnce]\n  storageClassName: tide-fast\n  resources:\n    requests: {storage: ${size}}\n`;
  await browser.go('/claims?new=claim');
  await browser.find('.MuiDrawer-root form');
  await browser.click('as a manifest');
  await browser.paste('Manifest, YAML or JSON', manifest('12 barrels'));
  await browser.see('Refused: line 8, spec.resources.requests.storage: Not a size');
  await browser.paste('Manifest, YAML or JSON', manifest('12Gi'));
  await browser.see('1 object: 1 new.');
  await browser.click('Make 1');
  await browser.see('Made: wave-model/written-out');
  await caller.inState('written-out', 'bound', 'wave-model');
}, 300_000);

test('the Moorings grid answers to keys alone', async () => {
  await browser.go('/moorings');
  await browser.clickOn('[data-cell="tide-fast/kelp-nvme"]');
  const { Key } = await import('selenium-webdriver');
  const press = (...keys: string[]) =>
    browser.driver
      .actions()
      .sendKeys(...keys)
      .perform();
  await browser.driver.executeScript(`document.querySelector('[data-cell="tide-fast/kelp-nvme"]').focus()`);
  await press(' ');
  await browser.find('[data-cell="tide-fast/kelp-nvme"][data-mooring="off"]');
  await press(' ');
  await browser.find('[data-cell="tide-fast/kelp-nvme"][data-mooring="1st"]');
  await browser.driver.actions().keyDown(Key.ALT).sendKeys(Key.ARROW_DOWN).keyUp(Key.ALT).perform();
  await browser.find('[data-cell="tide-fast/kelp-nvme"][data-mooring="2nd"]');
  await eventually(
    'the order is kept',
    async () =>
      (
        await world.rows<{ pool_id: string }>(
          `SELECT pool_id FROM moorings WHERE class_name = 'tide-fast' ORDER BY rank`,
        )
      )
        .map((m) => m.pool_id)
        .join() === 'basalt-swift,kelp-nvme',
  );
  // pools stand by backend, and there from fast to deep
  await press(Key.ARROW_RIGHT);
  await browser.see('tide-fast on kelp-deep');
}, 300_000);

test('what a deletion does is said before, and a class that keeps volumes destroys nothing', async () => {
  const { claim } = await caller.claim('level-log');
  world.kelp.backend.write(claim.volumeId!, 3 * 2 ** 30);
  await eventually(
    'the written bytes are known',
    async () => ((await caller.claim('level-log')).claim.consumed ?? 0) > 0,
  );
  await browser.go('/claims/tide-gauges/level-log');
  await browser.click('Delete');
  await browser.see('Its volume stays behind, adrift, with 3 GiB of written data: nothing is destroyed');
  await browser.see('No pod uses it');
  await browser.click('Delete claim');
  await browser.see('The platform was asked to delete tide-gauges/level-log');
  // the class keeps volumes
  await eventually(
    'adrift',
    async () =>
      (await world.rows(`SELECT 1 FROM reservations WHERE claim_uid = $1 AND state = 'adrift'`, [claim.uid])).length ===
      1,
  );
}, 300_000);
