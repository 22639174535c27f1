import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Caller, eventuallyHolds, moorClass } from '@moorage/server/testing/world';
import type { ClassRow } from '@moorage/contract/classes';
import type { MooringRow } from '@moorage/contract/moorings';
import type { RunningServer } from '@moorage/server/server';
import { By, error as failure, Key, until as untilIt } from 'selenium-webdriver';
import type { Browser } from './browser';
import { beginJourney } from './journey';

let server: RunningServer;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
const folder = mkdtempSync(join(tmpdir(), 'moorage-manifests-'));

beforeAll(async () => {
  ({ server, caller, browser, end } = await beginJourney());
  await browser.signIn();
});
afterAll(async () => {
  await end?.();
  rmSync(folder, { recursive: true, force: true });
});

const press = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();
const classes = async (name: string) =>
  (await caller.ok<ClassRow[]>('GET', '/api/classes')).find((c) => c.storageClass.name === name);
/** Puts the caret into the line of the editor that holds a text. */
const caretIn = (text: string) =>
  browser.driver.wait(
    async () => {
      await browser.driver
        .findElement(By.xpath(`//*[contains(concat(" ", @class, " "), " cm-line ")][contains(., "${text}")]`))
        .click();
      return browser.driver.executeScript<boolean>(
        `const at = getSelection().anchorNode; return ((at?.nodeType === 3 ? at.parentElement : at)?.closest('.cm-line')?.textContent ?? '').includes(arguments[0])`,
        text,
      );
    },
    60_000,
    `the caret does not come into the line with ${text}`,
  );
const until = async (what: string, css: string, text: string): Promise<void> => {
  let texts: string[] = [];
  const seen = async () => {
    const found = await browser.driver.findElements(By.css(css));
    texts = await Promise.all(found.map(async (e) => (await e.getText().catch(() => '')).replaceAll('\n', ' ')));
    return texts.some((t) => t.includes(text));
  };
  try {
    await browser.driver.wait(seen, 60_000);
  } catch (cause) {
    throw new Error(`${what}: "${text}" does not appear, but ${texts.join(' | ')}`, { cause });
  }
};

test('ledger is made by answering all five questions, each with its consequence, and the manifest follows', async () => {
  await browser.go('/classes/new');
  await browser.type('Name of the class', 'ledger');
  // how many copies, and where
  await browser.click('2 copies');
  await browser.see('Two copies without a witness');
  await browser.click('5 copies');
  await browser.click('racks');
  await browser.see('No pool can keep 5 copies like this');
  expect(await (await browser.control('Make class')).isEnabled()).toBe(false);
  await browser.click('nodes');
  await browser.click('3 copies');
  await browser.see('Survives 2 failures of a node without loss, 1 failure without interruption');
  await until('the pools', '[aria-label="What the class comes to on each pool"] tr', 'kelp-nvme 3 ×');
  // how fast
  await browser.choose('IOPS floor (reserved)', 'per GiB');
  await browser.type('IOPS floor (reserved): per GiB', '12');
  await browser.type('IOPS floor (reserved): at least', '600');
  await browser.type('IOPS floor (reserved): at most', '15000');
  await browser.see('Reserved: 600 IOPS at 10 GiB, 1,200 IOPS at 100 GiB, 12,288 IOPS at 1 TiB.');
  await browser.see('IOPS kept at');
  await browser.find('[aria-label="Predicted speed"] .recharts-line');
  await browser.click('As a table');
  await browser.find('[aria-label="Predicted requests/s by clients"]');
  // how is it kept
  await browser.click('Encrypted at rest');
  await browser.see('Shuts out');
  await browser.choose('Meant for', 'databases');
  // what happens at the end
  await browser.click('destroy the volume');
  await browser.see('Databases use it, and deleting a claim destroys its data at once');
  await browser.type('Grace, days', '7');
  await browser.see('is kept for 7 days, offline, and destroyed then');
  await browser.click('keep the volume');
  await browser.click('Safeguard: local snapshots');
  await browser.see('The snapshots themselves are not taken yet: do not count on them.');
  await browser.see('Would reach back 7 days, losing 6 h of work at worst.');
  // what may a claim tune
  await browser.click('Let claims tune something');
  await browser.see('Every namespace may ask for iops-floor from 100 to 5,000');
  // the manifest says it all, and what is changed there comes back to the answers
  for (const text of ['vast-moorage.example/grace-days: "7"', 'reclaimPolicy: Retain', 'allow-iops-floor: 100 to 5000'])
    await until('the manifest', '.cm-content', text);
  await caretIn('vast-moorage.example/grace-days');
  await press(Key.END, Key.BACK_SPACE, Key.BACK_SPACE, '9"');
  await browser.see('For 9 days nobody may destroy it.');
  await press(Key.END, ' # agreed with the desk');
  await browser.click('Make class');
  await browser.see('Class ledger is made');
  expect((await classes('ledger'))!.storageClass).toMatchObject({
    copies: 3,
    encrypted: true,
    purpose: 'databases',
    reclaim: 'Retain',
    graceDays: 9,
    safeguard: { everyHours: 6, keep: 28 },
    iopsFloor: { kind: 'per-gib', perGiB: 12, minimum: 600, maximum: 15_000 },
    allowances: [{ setting: 'iops-floor', minimum: 100, maximum: 5000, namespaces: [] }],
  });
}, 400_000);

test('a manifest from elsewhere with two faults is mended in its lines; classes of others stay as they are', async () => {
  const plank = `apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: driftwood, annotations: {plank.example/owner: crew}}
provisioner: plank.example
parameters:
  plank.example/grain: along   # as it grew
`;
  const file = join(folder, 'classes.yaml');
  writeFileSync(
    file,
    `${plank}---
# for the tide desk
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata:
  name: tide-desk
provisioner: vast-moorage.example
parameters:
  vast-moorage.example/copies: three
  vast-moorage.example/encripted: "true"
reclaimPolicy: Retain
`,
  );
  await browser.go('/classes/manifests');
  await browser.find('.cm-content');
  await (await browser.find('input[type=file]')).sendKeys(file);
  await browser.see('2 objects, 2 faults to mend');
  await browser.see(
    'Kept untouched: metadata.annotations.plank.example/owner (line 3), parameters.plank.example/grain (line 6).',
  );
  await browser.see(
    'Line 15, parameters.vast-moorage.example/copies: "three" is not a value this setting takes. Was "3" meant?',
  );
  await browser.see('2 objects: 1 new, 1 refused.');
  expect(await (await browser.control('Make 1')).isEnabled()).toBe(false);
  // one by the mending that is offered in the line, one by hand
  await (await browser.find('.cm-content')).click();
  await browser.driver
    .actions()
    .keyDown(Key.CONTROL)
    .keyDown(Key.SHIFT)
    .sendKeys('m')
    .keyUp(Key.SHIFT)
    .keyUp(Key.CONTROL)
    .perform();
  await browser.click('Write "3"');
  await browser.see('2 objects, 1 fault to mend');
  await caretIn('encripted');
  await press(Key.HOME, ...Array<string>('vast-moorage.example/encr'.length).fill(Key.ARROW_RIGHT), Key.DELETE, 'y');
  await browser.see('2 objects, no fault in the text');
  await browser.see('2 objects: 2 new.');
  await browser.click('Make 2');
  await browser.see('Made: driftwood, tide-desk.');
  expect((await classes('tide-desk'))!.storageClass).toMatchObject({ copies: 3, encrypted: true });
  const [foreign] = await caller.ok<{ manifest: object }[]>('GET', '/api/foreign-classes');
  expect(foreign!.manifest).toMatchObject({
    provisioner: 'plank.example',
    metadata: { name: 'driftwood', annotations: { 'plank.example/owner': 'crew' } },
    parameters: { 'plank.example/grain': 'along' },
  });
  // read again as it stands: nothing to do
  await browser.see('2 objects: 2 as they stand.');
  expect(await (await browser.control('Nothing to do')).isEnabled()).toBe(false);
}, 300_000);

const orderOf = async (className: string) =>
  (await caller.ok<MooringRow[]>('GET', '/api/moorings'))
    .filter((m) => m.className === className && m.enabled)
    .sort((a, b) => a.order - b.order)
    .map((m) => m.pool);

test('pools are moored, dragged into another order, and claims tried until one is refused, with its remedy followed', async () => {
  await browser.go('/moorings?ns=ferry-desk');
  for (const pool of ['kelp-nvme', 'basalt-swift']) {
    await browser.clickOn(`[data-cell="ledger/${pool}"]`);
    await browser.click('not moored');
    await browser.find(`[data-cell="ledger/${pool}"]:not([data-mooring=none])`);
  }
  await until('the cell', '[data-cell="ledger/kelp-nvme"]', 'lands here');
  await until('the class', 'tbody th', 'more of 100 GiB');
  const first = By.css('[data-cell="ledger/basalt-swift"][data-mooring="1st"]');
  // figures that come late move the grid: what was let go of beside its goal is dragged again, as one would
  await browser.driver.wait(
    async () => {
      const grip = await browser.find('[data-grip="ledger/basalt-swift"]');
      const goal = await browser.find('[data-cell="ledger/kelp-nvme"]');
      const actions = browser.driver.actions();
      await actions
        .move({ origin: grip })
        .press()
        .move({ origin: grip, x: 12, y: 2 })
        .move({ origin: goal })
        .release()
        .perform();
      try {
        await browser.driver.wait(untilIt.elementLocated(first), 5000);
        return true;
      } catch (error) {
        if (error instanceof failure.TimeoutError) return false;
        throw error;
      }
    },
    60_000,
    'basalt-swift cannot be dragged to the first place',
  );
  await browser.find('[data-cell="ledger/basalt-swift"][data-mooring="1st"]');
  await eventuallyHolds('the order', async () =>
    expect(await orderOf('ledger')).toEqual(['basalt-swift', 'kelp-nvme']),
  );
  // larger and larger
  await browser.type('Size', '500Gi');
  await until('the cell', '[data-cell="ledger/basalt-swift"]', 'lands here');
  await browser.type('IOPS floor, ledger', '9000');
  await until('the cell', '[data-cell="ledger/basalt-swift"]', 'beyond allowance');
  await browser.see('Asks for IOPS floor 9000; the class allows 100 to 5000.');
  await browser.type('IOPS floor, ledger', '5000');
  await until('the cell', '[data-cell="ledger/basalt-swift"]', 'lands here');
  // a limit of the namespace refuses; the remedy is one step away
  await caller.ok('PUT', '/api/namespaces/ferry-desk/enforcement', { byPlatform: false });
  await caller.ok('PUT', '/api/namespaces/ferry-desk/limit', { bytes: 100 * 2 ** 30 });
  await until('the cell', '[data-cell="ledger/basalt-swift"]', 'over quota');
  await browser.see('Raise the limit of ferry-desk to 500 GiB, 400 GiB more');
  await browser.click('Raise the limit');
  await until('the cell', '[data-cell="ledger/basalt-swift"]', 'lands here');
}, 400_000);

test('a draft of three changes says what it brings about, meets another person’s change, and is applied', async () => {
  await moorClass(caller, 'echo-deep', ['basalt-broad', 'basalt-swift'], { copies: 2 });
  await browser.go('/moorings');
  await browser.find('[data-cell="echo-deep/basalt-swift"][data-mooring="2nd"]');
  await browser.click('as a draft');
  await browser.see('Nothing is drafted yet');
  await browser.clickOn('[data-cell="ledger/kelp-nvme"]');
  await browser.click('moored');
  await browser.see('ledger no longer uses kelp-nvme');
  await browser.see('ledger is left with one pool');
  await browser.clickOn('[data-cell="echo-deep/basalt-swift"]');
  await browser.click('Earlier');
  await browser.see('echo-deep: basalt-swift, then basalt-broad');
  await browser.type('Weight', `2${Key.ENTER}`);
  await browser.see('echo-deep may use basalt-swift, weight 2');
  await browser.see('3 drafted changes');
  // nothing of it is made yet
  expect(await orderOf('echo-deep')).toEqual(['basalt-broad', 'basalt-swift']);
  expect(await orderOf('ledger')).toContain('kelp-nvme');
  // somebody else is faster, with another meaning
  const other = await new Caller(server.url).signIn('maren');
  await other.ok('PUT', '/api/moorings/echo-deep/basalt-swift', { weight: 5 });
  await browser.click('Apply the draft');
  await until('the conflict', '[aria-label=Draft] [role=alert]', 'changed it: on, weight 5.');
  expect(await orderOf('ledger')).toContain('kelp-nvme');
  expect(await (await browser.control('Apply the draft')).isEnabled()).toBe(false);
  await browser.click('Mean mine');
  await browser.click('Apply the draft');
  await browser.see('3 changes are made.');
  expect(await orderOf('echo-deep')).toEqual(['basalt-swift', 'basalt-broad']);
  expect(await orderOf('ledger')).toEqual(['basalt-swift']);
  const moorings = await caller.ok<MooringRow[]>('GET', '/api/moorings');
  expect(moorings.find((m) => m.className === 'echo-deep' && m.pool === 'basalt-swift')!.weight).toBe(2);
  await browser.click('at once');
}, 400_000);

test('how a class chooses is changed where it shows, at once with a way back, and in a draft with what it brings about', async () => {
  const strategyOf = async () => (await classes('echo-deep'))!.storageClass.strategy;
  const pick = 'select[aria-label="How echo-deep chooses among pools that fit"]';
  const choose = (option: string) => browser.clickOn(`${pick} option[value=${option}]`);
  await caller.ok('PUT', '/api/moorings/echo-deep/basalt-broad', { weight: 3 });
  await browser.go('/moorings');
  await choose('pack');
  await browser.see('echo-deep chooses the pool that a claim fills best.');
  expect(await strategyOf()).toBe('pack');
  await browser.click('Undo');
  await eventuallyHolds('the way back', async () => expect(await strategyOf()).toBe('in-order'));
  // a draft is made against what is shown
  await eventuallyHolds('it is shown', async () =>
    expect(await browser.driver.findElement(By.css(pick)).getAttribute('value')).toBe('in-order'),
  );
  await browser.click('as a draft');
  await choose('spread');
  await browser.see('echo-deep chooses the pool with most room left');
  await browser.see('echo-deep: the next claim of 100 GiB lands on basalt-broad; it was basalt-swift');
  expect(await strategyOf()).toBe('in-order');
  // somebody else changes another setting of it: both are kept
  const { storageClass, isDefault } = (await classes('echo-deep'))!;
  await caller.ok('PUT', '/api/classes/echo-deep', { ...storageClass, isDefault, expansion: !storageClass.expansion });
  await browser.click('Apply the draft');
  await browser.see('1 change is made.');
  expect((await classes('echo-deep'))!.storageClass).toMatchObject({
    strategy: 'spread',
    expansion: !storageClass.expansion,
  });
  await browser.click('at once');
}, 400_000);
