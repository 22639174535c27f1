import { By, Key, until } from 'selenium-webdriver';
import { aClaim, moorClass, type Caller } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { beginJourney } from './journey';

/** A namespace reaches its limit, asks for more, and gets it. */
let caller: Caller;
let browser: Browser;
let world: Awaited<ReturnType<typeof beginJourney>>['world'];
let end: () => Promise<void>;
beforeAll(async () => {
  ({ caller, browser, end, world } = await beginJourney());
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
  await browser.clickOn('[data-limit="bytes/"]');
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
  await browser.clickOn('[data-limit="bytes/"]');
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

test('what is wasted is found, and followed to its act', async () => {
  await world.rows(`UPDATE uses SET from_at = now() - interval '21 days' WHERE claim_name = 'seats'`);
  await as('maren');
  await browser.go('/');
  await browser.see('1 claim is mounted by no pod');
  await browser.clickOn('[data-finding="waste-found"] a');
  await browser.see('No pod has mounted it for 21 days.');
  await browser.click('Keep or delete it');
  await browser.see('seats');
  await browser.see('Delete');
});

test('the owner of ferry-desk tries to see wave-model eight ways, and learns nothing', async () => {
  await caller.ok('POST', '/api/claims', aClaim('deep-runs', 'general', { namespace: 'wave-model', size: '7Gi' }));
  await caller.inState('deep-runs', 'bound', 'wave-model');
  await caller.ok('PUT', '/api/namespaces/wave-model/limit', { bytes: 40 * 2 ** 30 });
  await as('ivo');
  const told = /wave-model(?!\?)|deep-runs/;
  // by address: the places say no more of it than of what was never there
  for (const [path, shows] of [
    ['/namespaces?namespace=wave-model', 'Limits of ferry-desk'],
    ['/claims?namespace=wave-model', 'No claim matches'],
    ['/namespaces/runway?q=wave', 'No runway is reckoned yet'],
    ['/namespaces/waste?q=deep', 'Nothing is wasted'],
  ] as const) {
    await browser.go(path);
    await browser.see(shows);
    const main = await browser.driver.wait(until.elementLocated(By.css('main')));
    expect([path, told.test((await main.getText()).replace(/Part of a name.*/g, ''))]).toEqual([path, false]);
  }
  // by the API, exports, history, metrics, a token, and the stream
  const asked = async (path: string, init = '{}') =>
    browser.driver.executeAsyncScript<{ status: number; text: string }>(
      `const done = arguments[arguments.length - 1];
       fetch(arguments[0], JSON.parse(arguments[1])).then(async (r) => done({ status: r.status, text: await r.text() }));`,
      path,
      init,
    );
  const absent = async (path: string) => {
    const [there, nowhere] = [
      await asked(path),
      await asked(path.replaceAll('wave-model', 'no-such').replaceAll('deep-runs', 'nothing')),
    ];
    expect([path, there.status]).toEqual([path, nowhere.status]);
    expect(there.text.replaceAll('wave-model', 'no-such').replaceAll('deep-runs', 'nothing')).toBe(nowhere.text);
  };
  await absent('/api/claims/wave-model/deep-runs');
  await absent('/api/namespaces/wave-model/limits');
  const [from, to] = [new Date(Date.now() - 3_600_000).toISOString(), new Date().toISOString()];
  await absent(`/api/history?of=namespace&name=wave-model&from=${from}&to=${to}`);
  await absent('/api/forecast?kind=namespace&name=wave-model&against=limit');
  for (const path of [
    '/api/use/export',
    '/api/claims/export?format=csv',
    '/api/metrics',
    '/api/runways/export',
    '/api/logbook',
  ]) {
    const { status, text } = await asked(path);
    expect([path, status, told.test(text)]).toEqual([path, 200, false]);
  }
  const token = (namespace: string) =>
    asked(
      '/api/tokens',
      JSON.stringify({
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ name: 'x', days: 1, namespaces: [namespace] }),
      }),
    );
  expect((await token('wave-model')).status).toBe((await token('no-such')).status);
});
