import type { BackendRow } from '@moorage/contract/backends';
import type { FindingRow } from '@moorage/contract/findings';
import { disksOf, type Inventory } from '@moorage/contract/inventory';
import { safe, usable } from '@moorage/core/capacity/usable';
import { aClaim, eventually, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import { eddySeed, gneissSeed } from '@moorage/standins/backend-seeds';
import type { Browser } from './browser';
import { beginJourney } from './journey';

const GiB = 2 ** 30;
let world: World;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;

beforeAll(async () => {
  ({ world, caller, browser, end } = await beginJourney({ more: [gneissSeed, eddySeed], estate: ['eddy'] }));
  await browser.signIn('tom');
});
afterAll(() => end?.());

const shown = async (css: string): Promise<string> => (await browser.find(css)).getText();

test('a backend is registered: wrong credentials are told and store nothing, the right ones bring its pools', async () => {
  await browser.go('/backends');
  await browser.click('Register a backend');
  await browser.type('Address', world.more[0]!.url);
  await browser.type('User', 'moorage');
  await browser.type('Password', 'granite');
  await browser.click('Look at it');
  await browser.find('[data-outcome="wrong-credentials"]');
  await browser.see('It refuses this user and password');
  expect(await world.rows(`SELECT 1 FROM backends WHERE id = 'gneiss'`)).toEqual([]);

  await browser.type('User', 'watcher');
  await browser.type('Password', 'lookout');
  await browser.click('Look at it');
  await browser.find('[data-outcome="lacking-rights"]');

  await browser.type('User', 'moorage');
  await browser.type('Password', 'slow-stone');
  await browser.click('Look at it');
  await browser.find('[data-outcome="ready"]');
  // read from it, not typed in
  expect(await shown('[aria-label="What its pools offer"]')).toMatch(/gneiss-shared[\s\S]*NFS[\s\S]*many[\s\S]*10 GiB/);
  await browser.click('Register');
  await browser.see('gneiss is registered');
  await browser.see('gneiss-shared');

  // an export that misses a node is a finding that names it, and the readiness does what is to do
  await browser.click('Watch');
  await browser.see('An export of gneiss misses quay-12');
  await browser.clickOn('[data-finding="export-misses-node"] a');
  const letIn = 'Export to 10.40.10.33/32 as well';
  await browser.click(letIn);
  await browser.see('gneiss exports to quay-12 (10.40.10.33/32) as well.');
  await browser.see('10.40.10.33 is in a range');
  await eventually(
    'the finding is gone',
    async () => !(await caller.ok<FindingRow[]>('GET', '/api/findings')).some((f) => f.kind === 'export-misses-node'),
  );
  // taken back, it is offered again
  await browser.click('Undo');
  await browser.see('Taken back.');
  await browser.see(letIn);
}, 300_000);

test('a cluster is commissioned out of six mixed nodes, with usable and safe known to the byte beforehand', async () => {
  await browser.go('/backends');
  await browser.click('Commission them');
  await browser.find('[data-usable]');
  const disks = disksOf(await caller.ok<Inventory>('GET', '/api/backends/eddy/inventory'));
  expect(new Set(disks.map((d) => d.node)).size).toBe(6);

  // the system's disk and the mounted one are shown, with the reason, and cannot be chosen
  await browser.click('Listed');
  for (const [use, reason] of [
    ['system', 'holds the system of its node'],
    ['mounted', 'holds a file system that is mounted'],
  ] as const) {
    const { id } = disks.find((d) => d.use === use)!;
    const row = await browser.find(`[role=row][data-id="${id}"]`);
    expect(await row.getText()).toContain(reason);
    expect(await row.findElement({ css: 'input[type=checkbox]' }).isEnabled()).toBe(false);
  }
  await browser.click('Drawn');

  // what was suggested, reckoned again here from the formulas
  const figures = async () => {
    const element = await browser.find('[data-usable]');
    return {
      usable: Number(await element.getAttribute('data-usable')),
      safe: Number(await (await browser.find('[data-safe]')).getAttribute('data-safe')),
    };
  };
  const suggested = await figures();
  await browser.choose('Protection', '4+2');
  const shards = await figures();
  expect(shards.usable).not.toBe(suggested.usable);
  await browser.choose('Protection', '3 copies');
  expect(await figures()).toEqual(suggested);
  await browser.click('Commission 20 disks');
  await browser.see('What is on these 20 disks is lost.');
  await browser.click('Commission 20 disks');

  await browser.find('[data-change="settled"]');
  await browser.see('6 nodes');
  const pool = await eventually('the pool', async () =>
    (await caller.ok<BackendRow[]>('GET', '/api/backends')).flatMap((b) => b.pools).find((p) => p.id === 'eddy-main'),
  );
  const after = disksOf(await caller.ok<Inventory>('GET', '/api/backends/eddy/inventory'));
  const byNode = new Map<string, number>();
  for (const d of after.filter((x) => x.owner === 'eddy-main'))
    byNode.set(d.node, (byNode.get(d.node) ?? 0) + d.capacity);
  const scheme = { kind: 'copies', copies: 3 } as const;
  expect(suggested).toEqual({ usable: usable([...byNode.values()], scheme), safe: safe([...byNode.values()], scheme) });
  const { redundancy } = pool.facts;
  expect(redundancy.kind === 'spread' && redundancy.domains.map((d) => d.capacity).sort()).toEqual(
    [...byNode.values()].sort(),
  );
  await browser.click('Pools');
  await browser.see('eddy-main');
}, 300_000);

test('a disk fails, its copies are followed until they are whole, and the finding leaves', async () => {
  const maren = caller;
  await moorClass(maren, 'tide-fast', ['kelp-nvme']);
  await maren.ok('POST', '/api/claims', aClaim('level-log', 'tide-fast', { size: '80Gi' }));
  const { claim } = await maren.inState('level-log', 'bound');
  const { backend } = world.kelp;
  backend.write(claim.volumeId!, 6 * GiB);
  const { drive } = backend.volume(claim.volumeId!).copies[0]!;
  await browser.go('/watch');
  await browser.find('[data-finding]');
  // what passes by itself is held until it was seen, however slow the browser is
  backend.holdsResync = true;
  backend.setDrive(drive, false);
  // no reload: the findings come by themselves
  await browser.find('[data-finding="disk-failed"]');
  await browser.find('[data-finding="copies-missing"]');
  await browser.clickOn('[data-finding="copies-missing"] a');
  await browser.see('tide-gauges/level-log');
  await browser.see('made whole:');
  backend.holdsResync = false;
  await browser.see('3 in sync');
  expect(backend.volume(claim.volumeId!).copies.every((c) => c.state === 'Synchronized' && c.drive !== drive)).toBe(
    true,
  );
  await browser.click('Watch');
  await browser.driver.wait(
    async () => (await browser.driver.findElements({ css: '[data-finding="copies-missing"]' })).length === 0,
    60_000,
    'the copies are whole and the finding stays',
  );
  await browser.see('Nothing is on it any more.');
  backend.setDrive(drive, true);
}, 300_000);

test('a node that does not fit elsewhere is not taken out, and why is said with the claim and the bytes', async () => {
  for (const i of [1, 2, 3, 4, 5, 6]) {
    await caller.ok('POST', '/api/claims', aClaim(`wave-${i}`, 'tide-fast', { size: '600Gi' }));
    await caller.inState(`wave-${i}`, 'bound');
  }
  await eventually(
    'the backend lists them',
    async () => (await caller.ok<{ total: number }>('GET', '/api/backends/kelp/volumes')).total === 7,
  );
  await browser.go('/backends/kelp?node=quay-03');
  const chosen = await browser.find('[aria-label="Chosen disks"]');
  await browser.driver.wait(
    async () =>
      /A copy of tide-gauges\/wave-\d needs 600 GiB in another node; the best disk has \d+ GiB left/.test(
        await chosen.getText(),
      ),
    60_000,
    'what is short is not said',
  );
  expect(await chosen.getText()).toContain('It cannot be taken out now.');
  const refused = await browser.control('Take out 8 disks');
  expect(await refused.isEnabled()).toBe(false);
}, 300_000);

test('disks are chosen in the drawing by keys alone, and told as they are reached', async () => {
  await browser.go('/backends/kelp');
  await browser.find('canvas[data-drawn]');
  const { Key } = await import('selenium-webdriver');
  await browser.driver.executeScript(`document.querySelector('canvas').focus()`);
  const press = (...keys: string[]) =>
    browser.driver
      .actions()
      .sendKeys(...keys)
      .perform();
  await press(Key.ARROW_RIGHT, Key.ARROW_RIGHT, Key.ENTER);
  await browser.see('1 disk chosen');
  const [disk] = (await (await browser.find('[aria-label="Chosen disks"]')).getText()).match(/quay-\d+/)!;
  expect(await shown('[role=status] strong')).toMatch(/^eui\./);
  expect(await shown('[role=status]:has(strong)')).toContain(disk);
  // the same key lets it go, and with Shift its whole node is chosen
  await press(Key.ENTER);
  await browser.driver.wait(
    async () => (await browser.driver.findElements({ css: '[aria-label="Chosen disks"]' })).length === 0,
    60_000,
    'the disk stays chosen',
  );
  await browser.driver.actions().keyDown(Key.SHIFT).sendKeys(Key.ENTER).keyUp(Key.SHIFT).perform();
  await browser.see(`disks chosen`);
  expect(await (await browser.find('[aria-label="Chosen disks"]')).getText()).toMatch(/^[2-9]\d* disks chosen/);
}, 300_000);

test('a finding is set aside with a reason and a date, and taken up again', async () => {
  await browser.go('/watch');
  const row = '[data-finding="capacity-stranded"]';
  await browser.clickOn(`${row} button`);
  await browser.type('Why', 'disks are ordered');
  await browser.driver.executeScript(`document.querySelector('.MuiPopover-root button[type=submit]').click()`);
  await browser.click('1 set aside');
  expect(await shown(row)).toContain('disks are ordered');
  await browser.click('Take up again');
  await browser.click('Back to what needs you');
  await browser.find(row);
}, 300_000);
