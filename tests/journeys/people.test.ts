import { aClaim, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { beginJourney } from './journey';

let browser: Browser;
let caller: Caller;
let world: World;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ browser, caller, world, end } = await beginJourney());
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
});
afterAll(() => end?.());

test('a wrong password is told in words; a viewer sees everything and is offered no change', async () => {
  await browser.go('/');
  await browser.control('Sign in');
  expect((await browser.faults()).faults).toEqual([]);
  await browser.type('Name', 'guest');
  await browser.type('Password', 'wrong');
  await browser.click('Sign in');
  await browser.see('Name and password do not belong together');
  await browser.type('Password', 'lighthouse');
  await browser.click('Sign in');
  await browser.find('nav[aria-label=Places]');
  await browser.go('/moorings');
  await browser.see('Your role may look, not change.');
  await browser.go('/claims');
  await browser.see('There is no claim yet');
  const buttons = await browser.driver.findElements({ xpath: '//button[normalize-space(.)="New claim"]' });
  expect(buttons).toHaveLength(0);
}, 300_000);

test('the box at the top finds by part of a name and carries out commands; g and a letter leads to a place', async () => {
  const { Key } = await import('selenium-webdriver');
  await browser.go('/backends');
  await browser.find('[aria-label="Backends and pools"]');
  await browser.driver.actions().sendKeys('/').perform();
  await browser.driver.actions().sendKeys('go to nam').perform();
  await browser.see('Go to Namespaces');
  await browser.driver.actions().sendKeys(Key.ENTER).perform();
  await browser.find('[aria-label="Use by namespace and class"]');
  await browser.driver.executeScript('document.activeElement.blur()');
  await browser.driver.actions().sendKeys('g').sendKeys('m').perform();
  await browser.find('[role=gridcell]');
  await browser.driver.actions().sendKeys('?').perform();
  await browser.see('find, or a command');
  await browser.driver.actions().sendKeys(Key.ESCAPE).perform();

  // a disk by its device path leads to the claims whose copies lie on it
  await moorClass(caller, 'copied', ['kelp-nvme'], { copies: 2 });
  await caller.ok('POST', '/api/claims', aClaim('on-disks', 'copied', { size: '2Gi' }));
  await caller.inState('on-disks', 'bound');
  const [{ disk }] = (await world.rows<{ disk: string }>('SELECT disk FROM reservation_copies LIMIT 1')) as [
    { disk: string },
  ];
  await browser.go('/watch');
  await browser.find('nav[aria-label=Places]');
  await browser.driver.actions().sendKeys('/').perform();
  await browser.driver.actions().sendKeys(`/dev/disk/by-id/nvme-${disk}`).perform();
  await browser.see('the claims on it');
  await browser.driver.actions().sendKeys(Key.ENTER).perform();
  await browser.see('on-disks');
}, 300_000);
