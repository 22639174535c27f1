import { eventually, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { beginJourney } from './journey';

let browser: Browser;
let world: World;
let caller: Caller;
let end: () => Promise<void>;
beforeAll(async () => {
  const journey = await beginJourney();
  ({ browser, world, caller, end } = journey);
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1 });
  await browser.signIn('maren');
});
afterAll(() => end?.());

const claim = (name: string) => `apiVersion: v1
kind: PersistentVolumeClaim
metadata:
  name: ${name}
  namespace: ferry-desk
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: general
  resources:
    requests:
      storage: 5Gi
`;
/** Two claims of which the platform refuses the second. */
async function stop(first: string, second: string): Promise<void> {
  world.platform.faults.add({
    ...{ kind: 'refuse', method: 'POST', path: 'persistentvolumeclaims$', skip: 1, status: 422, times: 1 },
  });
  await caller.call('POST', '/api/manifests', { text: `${claim(first)}---\n${claim(second)}` });
}
const onPlatform = (name: string) => world.platform.store.find('persistentvolumeclaims', 'ferry-desk', name);

test('what stopped half way is told at the head of every place, gone on with, or taken back after a second look', async () => {
  await stop('berth-a', 'berth-b');
  await browser.go('/claims');
  await browser.click('1 stopped');
  await browser.see('claim ferry-desk/berth-a');
  await browser.see('1 of 2 steps');
  await browser.see('refused; waits for you');
  await browser.click('Try now');
  await browser.see('Nothing has stopped');
  await eventually('the second is made', () => Promise.resolve(onPlatform('berth-b')));

  await stop('buoy-a', 'buoy-b');
  await browser.see('claim ferry-desk/buoy-a');
  await browser.click('Take back');
  await browser.see('what it made is taken away again');
  await browser.click('Leave it');
  await browser.driver.wait(async () => (await browser.driver.findElements({ css: '[role=dialog]' })).length === 0);
  expect(onPlatform('buoy-a')).toBeDefined();
  await browser.click('Take back');
  await browser.click('Take back');
  await browser.see('Nothing has stopped');
  await eventually('the first is taken away again', () => Promise.resolve(!onPlatform('buoy-a')));

  await browser.click('Ended');
  await browser.see('Taken back because');
  // of one kind alone
  await browser.go('/under-way?show=ended&kind=class');
  await browser.see('Changing a class general');
  expect(await browser.driver.findElements({ css: '[data-operation=bind]' })).toHaveLength(0);
}, 300_000);

test('a place that fails to draw says so, and the others are as they were', async () => {
  await browser.go('/under-way?show=ended');
  await browser.see('berth-a');
  // the answer of a server that is not ours: not what was agreed on
  await browser.driver.executeScript(`
    const real = window.fetch;
    window.fetch = async (url, init) => {
      const answer = await real(url, init);
      return String(url).includes('/api/use') ? new Response('{"rows": 7}', { headers: answer.headers }) : answer;
    };`);
  await browser.click('Namespaces');
  await browser.see('This place cannot be shown');
  await browser.click('Backends');
  await browser.find('[aria-label="Backends and pools"]');
}, 300_000);
