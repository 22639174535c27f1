import { Key } from 'selenium-webdriver';
import { aClaim, moorClass, type Caller } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { beginJourney } from './journey';

/** A namespace reaches its limit, asks for more, and gets it. */
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ caller, browser, end } = await beginJourney());
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
  await caller.ok('POST', '/api/claims', aClaim('seats', 'general', { namespace: 'ferry-desk', size: '30Gi' }));
  await caller.inState('seats', 'bound', 'ferry-desk');
});
afterAll(() => end?.());

const as = async (name: string) => {
  await browser.driver.manage().deleteAllCookies();
  await browser.signIn(name);
};

test('a limit is set, a claim is held back by it, more is asked for and given in part, and the claim binds', async () => {
  await as('maren');
  await browser.go('/namespaces?namespace=ferry-desk');
  await browser.click('The platform refuses claims beyond the limits');
  await browser.see('They are made, and wait here with their reason.');
  await browser.click('Provisioned in all');
  await browser.type('Limit of provisioned in all', '20Gi');
  await browser.see('Over at once, by 10 GiB');
  await browser.type('Limit of provisioned in all', '50Gi');
  await browser.see('Leaves 20 GiB');
  await browser.type('Limit of provisioned in all', Key.ENTER);
  await browser.see('The limit of provisioned in all of ferry-desk is 50 GiB.');

  await caller.ok('POST', '/api/claims', aClaim('bookings', 'general', { namespace: 'ferry-desk', size: '40Gi' }));
  await caller.inState('bookings', 'nothing-fits', 'ferry-desk');
  await as('ivo');
  await browser.go('/claims/ferry-desk/bookings');
  await browser.see('the namespace may take 20 GiB more');
  await browser.go('/namespaces?namespace=ferry-desk');
  await browser.click('Provisioned in all');
  await browser.type('Ask for provisioned in all', '200Gi');
  await browser.see('Lets 1 waiting claim bind, as far as pools do: bookings.');
  await browser.type('Why', `the summer timetable${Key.ENTER}`);
  await browser.see('waits for an answer');

  await as('maren');
  await browser.go('/');
  await browser.see('ferry-desk asks for a higher limit');
  await browser.click('Answer it');
  await browser.see('the summer timetable');
  await browser.type('Give', '100Gi');
  await browser.type('Words to them', 'until the disks are here');
  await browser.click('Give it');
  await browser.see('ferry-desk may use 100 GiB now.');
  await caller.inState('bookings', 'bound', 'ferry-desk');

  await as('ivo');
  await browser.go('/namespaces?namespace=ferry-desk');
  await browser.see('given in part, 100 GiB by maren: until the disks are here');
});

test('a what-if on the numbers of the day ends in what to buy, and is kept by its name', async () => {
  await as('maren');
  await browser.go('/namespaces');
  await browser.click('Runway');
  await browser.click('What if');
  await browser.see('nothing has to be bought');
  await browser.click('a new application');
  await browser.choose('Class', 'general');
  await browser.type('Provisioned', '140Ti');
  await browser.see('What to add');
  await browser.see('no price given');
  await browser.type('EUR a raw TiB, standard', '30');
  await browser.see('× 1 TiB');
  await browser.see('EUR');
  await browser.type('Keep it as', `the archive${Key.ENTER}`);
  await browser.see('"the archive" is kept.');
  await browser.go('/namespaces/what-if?scenario=the+archive');
  await browser.see('× 1 TiB');
});
