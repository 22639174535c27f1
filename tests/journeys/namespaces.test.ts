import { aClaim, eventually, moorClass, type Caller } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { By } from 'selenium-webdriver';
import { beginJourney } from './journey';

/** Who uses what, now and then: what fills a pool is found, and a moment of the past is looked at. */
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ caller, browser, end } = await beginJourney());
  await moorClass(caller, 'ledger', ['kelp-nvme'], { copies: 2 });
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
  for (const [namespace, name, className, size] of [
    ['tide-gauges', 'level-log', 'ledger', '40Gi'],
    ['ferry-desk', 'bookings', 'ledger', '10Gi'],
    ['ferry-desk', 'receipts', 'general', '90Gi'],
  ] as const)
    await caller.ok('POST', '/api/claims', { ...aClaim(name, className, { size }), namespace });
  await eventually('all are bound', async () => {
    const { counts } = await caller.ok<{ counts: { bound: number } }>('GET', '/api/claims?limit=1');
    return counts.bound === 3;
  });
  await browser.signIn();
});
afterAll(() => end?.());

test('what fills a pool is found in three steps', async () => {
  await browser.go('/namespaces');
  await browser.see('100 GiB');
  await browser.choose('Columns', 'pool');
  await browser.choose('Order', 'largest first');
  // ferry-desk has most in all, tide-gauges most of the pool
  await browser.clickOn('[data-cell="tide-gauges/kelp-nvme"]');
  await browser.see('tide-gauges in kelp-nvme');
  await browser.click('1 claim');
  await browser.see('level-log');
});

test('a moment of the past is shown as it was in every place that has one, plainly marked, and left again', async () => {
  const { at } = await caller.ok<{ at: string }>('GET', '/api/use');
  await caller.ok('POST', '/api/claims', { ...aClaim('spare', 'general', { size: '400Gi' }), namespace: 'wave-model' });
  await caller.inState('spare', 'bound', 'wave-model');
  await caller.ok('PUT', '/api/moorings/general/kelp-nvme', { enabled: true });
  await browser.go('/namespaces');
  await browser.see('wave-model');
  await browser.see('540 GiB');
  await browser.go(`/namespaces?at=${at}`);
  await browser.see('Nothing can be changed here.');
  await browser.see('140 GiB');
  await browser.clickOn('[data-cell="ferry-desk/general"]');
  await browser.see('ferry-desk in general');
  await browser.click('1 claim');
  await browser.see('receipts');
  await browser.see('All 1, on every page');
  await browser.click('Moorings');
  await browser.clickOn('[data-cell="general/kelp-nvme"]');
  await browser.see('Not moored.');
  await browser.click('Backends');
  await browser.see('What others than claims kept there');
  await browser.click('Watch');
  await browser.see('this place shows what is now');
  await browser.click('Namespaces');
  await browser.see('140 GiB');
  await browser.click('Back to now');
  await browser.see('540 GiB');
});

test('on three shores a band leads to the claims that it is made of', async () => {
  await browser.go('/namespaces?view=shores');
  await browser.clickOn('a[aria-label^="ferry-desk, ledger on kelp-nvme"]');
  await browser.see('bookings');
});

test('what a month costs adds up by whatever it is put together', async () => {
  await caller.ok('PUT', '/api/rates', { tier: 'fast', from: '2026-01-01', perGiB: 1000, perIops: 0 });
  await browser.go('/namespaces');
  await browser.click('Statement of a month');
  await browser.see('The month lasts: reckoned up to');
  const whole = async () => {
    const cells = await browser.driver.findElements(By.css('[aria-label^="Statement by"] tr:last-child td'));
    return cells.at(-1)!.getText();
  };
  const all = await whole();
  expect(all).toMatch(/^[\d,]+\.\d\d EUR$/);
  await browser.choose('Together by', 'tier');
  await browser.see('fast');
  expect(await whole()).toBe(all);
});

test('what a namespace held stands over time, with what happened to it, and as a table', async () => {
  await browser.go('/namespaces?namespace=tide-gauges&range=4h');
  await browser.see('tide-gauges over time');
  await browser.clickOn('summary');
  await browser.see('level-log was asked for, 40 GiB');
  await browser.click('As a table');
  await browser.see('Written, mean');
});
