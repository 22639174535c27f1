import { type Caller, eventuallyHolds, moorClass } from '@moorage/server/testing/world';
import type { BackendRow } from '@moorage/contract/backends';
import type { ClassRow, Grants } from '@moorage/contract/classes';
import type { MooringRow } from '@moorage/contract/moorings';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import { By, Key } from 'selenium-webdriver';
import type { Browser } from './browser';
import { beginJourney } from './journey';

let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;

beforeAll(async () => {
  ({ caller, browser, end } = await beginJourney());
  await moorClass(caller, 'ledger', ['basalt-swift'], { copies: 1, isDefault: true });
  await moorClass(caller, 'echo-deep', ['basalt-swift', 'basalt-broad'], { copies: 2 });
  await browser.signIn();
});
afterAll(() => end?.());

const classes = async (name: string) =>
  (await caller.ok<ClassRow[]>('GET', '/api/classes')).find((c) => c.storageClass.name === name);
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

const orderOf = async (className: string) =>
  (await caller.ok<MooringRow[]>('GET', '/api/moorings'))
    .filter((m) => m.className === className && m.enabled)
    .sort((a, b) => a.order - b.order)
    .map((m) => m.pool);

test('a weight, a default class, a quota, a limit of a namespace and the limits of a pool are each set and taken back', async () => {
  const weight = async () =>
    (await caller.ok<MooringRow[]>('GET', '/api/moorings')).find(
      (m) => m.className === 'echo-deep' && m.pool === 'basalt-swift',
    )!.weight;
  const takenBack = async <T>(said: string, read: () => Promise<T>, set: T, before: T) => {
    await browser.see(said);
    await eventuallyHolds(said, async () => expect(await read()).toEqual(set));
    await browser.click('Undo');
    await eventuallyHolds(`the way back: ${said}`, async () => expect(await read()).toEqual(before));
  };
  await browser.go('/moorings');
  await browser.clickOn('[data-cell="echo-deep/basalt-swift"]');
  const was = await weight();
  await browser.type('Weight', `7${Key.ENTER}`);
  await takenBack('basalt-swift weighs 7 for echo-deep.', weight, 7, was);

  const isDefault = async () => (await classes('echo-deep'))!.isDefault;
  await caller.ok('PUT', '/api/classes/ledger/default');
  await browser.go('/classes/echo-deep');
  await browser.click('Make it the default');
  await takenBack('echo-deep is now the one default class.', isDefault, true, false);

  const quota = async () =>
    (await caller.ok<Grants>('GET', '/api/classes/echo-deep/grants')).namespaces.find(
      (n) => n.namespace === 'wave-model',
    )!.quota;
  await browser.type('Quota of wave-model in echo-deep', `3Ti${Key.ENTER}`);
  await takenBack('wave-model may take 3 TiB of echo-deep.', quota, 3 * 2 ** 40, null);

  const limit = async () =>
    (await caller.ok<NamespaceUsage[]>('GET', '/api/namespaces')).find((n) => n.namespace === 'wave-model')!.limit;
  await browser.go('/namespaces');
  await browser.clickOn('[data-cell="wave-model/"]');
  await browser.clickOn('[data-limit="bytes/"]');
  await browser.type('Limit of provisioned in all', `5Ti${Key.ENTER}`);
  await takenBack('The limit of provisioned in all of wave-model is 5 TiB.', limit, 5 * 2 ** 40, null);

  const overcommit = async () =>
    (await caller.ok<BackendRow[]>('GET', '/api/backends')).flatMap((b) => b.pools).find((p) => p.id === 'kelp-nvme')!
      .overcommit;
  const promised = await overcommit();
  await browser.go('/backends');
  await browser.click('Limits of kelp-nvme');
  await browser.type('Overcommit', `3.5${Key.ENTER}`);
  await takenBack('The limits of kelp-nvme are changed.', overcommit, 3.5, promised);
}, 400_000);

test('a class that no claim uses is changed as it stands, its moorings stay', async () => {
  await browser.go('/classes/echo-deep');
  await browser.click('Change it');
  expect(await (await browser.control('Name of the class')).getAttribute('readonly')).toBeTruthy();
  await browser.click('Change the class');
  await browser.see('Nothing differs from echo-deep as it is');
  await browser.click('3 copies');
  await until('the manifest', '.cm-line', 'vast-moorage.example/copies: "3"');
  await browser.click('The default, for claims that name no class');
  await browser.click('Change the class');
  await browser.see('Class echo-deep is changed; its moorings and grants are as they were.');
  expect(await classes('echo-deep')).toMatchObject({ isDefault: true, storageClass: { copies: 3 } });
  expect(await orderOf('echo-deep')).toEqual(['basalt-swift', 'basalt-broad']);
}, 400_000);

test('a class is kept for some namespaces, a successor takes over with a plan, and a batch is fitted', async () => {
  await browser.go('/classes/ledger');
  await browser.click('Kept for namespaces that are granted it');
  await browser.see('ledger is kept for the namespaces granted it.');
  await browser.click('Grant ledger to ferry-desk');
  await browser.see('ledger is granted to ferry-desk.');
  // many at once, by what they carry; and back
  const granted = async () =>
    (await caller.ok<Grants>('GET', '/api/classes/ledger/grants')).namespaces
      .filter((n) => n.granted)
      .map((n) => n.namespace);
  await browser.choose('By label', 'orrin-sound.example/team=hydrography (2)');
  await browser.click('Grant to these 2');
  await browser.see('ledger is granted to 2 namespaces.');
  expect(await granted()).toEqual(['ferry-desk', 'tide-gauges', 'wave-model']);
  await browser.click('Undo');
  await eventuallyHolds('the way back', async () => expect(await granted()).toEqual(['ferry-desk']));
  await browser.go('/moorings?ns=tide-gauges');
  await until('the cell', '[data-cell="ledger/basalt-swift"]', 'not granted');
  await browser.clickOn('[data-cell="ledger/basalt-swift"]');
  await browser.see('Grant ledger to tide-gauges');
  await caller.ok('POST', '/api/claims', {
    namespace: 'ferry-desk',
    name: 'bookings',
    className: 'ledger',
    size: '60Gi',
    modes: ['ReadWriteOnce'],
    volumeMode: 'Filesystem',
  });
  await caller.inState('bookings', 'bound', 'ferry-desk');
  await browser.go('/classes/ledger');
  await browser.click('Change it');
  await browser.click('2 copies');
  await browser.click('Make the successor');
  await browser.see('Moving claims from ledger to ledger-2');
  await browser.see('ferry-desk / bookings');
  expect(await orderOf('ledger-2')).toEqual(['basalt-swift']);
  await browser.go('/moorings/batch');
  await browser.choose('Namespace', 'ferry-desk');
  await browser.type('Application', 'seat-map');
  await browser.choose('Class', 'ledger-2');
  await browser.type('Replicas', '4');
  await browser.see('4 of 4 claims fit');
  await browser.click('Keep this plan');
  await browser.see('The plan is kept: 4 claims go to their pools');
  await browser.go('/moorings/batch');
  await browser.see('data-seat-map-0');
  await browser.click('Let the plan for data-seat-map-0 go');
  await browser.see('The plan is let go: 4 claims are placed as their classes choose.');
  await browser.driver.wait(
    async () => (await browser.driver.findElements(By.css('[aria-label="Kept plans"]'))).length === 0,
    60_000,
  );
}, 400_000);
