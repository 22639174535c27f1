import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { Caller, World } from '@moorage/server/testing/world';
import { eventually } from '@moorage/server/testing/world';
import type { Browser } from './browser';
import { beginJourney } from './journey';

const run = promisify(execFile);

let world: World;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ world, caller, browser, end } = await beginJourney());
  await browser.signIn();
});
afterAll(() => end?.());

/** What an application does with the secret it is given, by an ordinary client library of the protocol. */
async function application(secret: string, ...acts: string[]): Promise<string[]> {
  const data = world.platform.store.find('secrets', 'tide-gauges', secret)!.data as { BucketInfo: string };
  const info = Buffer.from(data.BucketInfo, 'base64').toString('utf8');
  const { stdout } = await run('/usr/bin/python3', [join(__dirname, 'application.py'), info, ...acts]);
  return JSON.parse(stdout) as string[];
}
const granted = (secret: string) =>
  eventually(`${secret} is there`, () =>
    Promise.resolve(world.platform.store.find('secrets', 'tide-gauges', secret) !== undefined),
  );

test('a bucket is asked for, written and read with its key by an ordinary client, counted, and destroyed by name', async () => {
  // a class first
  await browser.go('/claims/buckets?see=classes');
  await browser.type('Name', 'gauge-objects');
  await browser.type('Pools, the first that fits is taken', 'kelp-deep\n');
  await browser.type('May hold, where a claim says nothing', '2Gi');
  await browser.choose('Without its claim, a bucket is', 'emptied and removed');
  await browser.click('Make it');
  await browser.see('Bucket class gauge-objects is made.');
  // where it would land is said before it is asked for
  await browser.go('/claims/buckets');
  await browser.click('New bucket');
  // the list behind it has a namespace to choose as well
  await browser.find('[aria-label="New bucket"] form');
  await browser.choose('Namespace', 'tide-gauges');
  await browser.type('Name', 'exports');
  await browser.choose('Bucket class', 'gauge-objects');
  await browser.see('It would land on kelp-deep: 2 GiB promised, 3 GiB of the pool');
  await browser.click('Ask for it');
  await browser.see('at http://');
  await browser.type('Key for', 'exporter');
  await browser.click('Give a key');
  await browser.see('The secret tide-gauges/exporter-secret will hold the key.');
  await granted('exporter-secret');
  expect(
    await application('exporter-secret', 'put:low-water=1.4 m', 'parts:large', 'get:low-water', 'list', 'delete:large'),
  ).toEqual(['put', 'parts', '1.4 m', 'large low-water', 'deleted']);
  await browser.see('5 B');
  // its key opens this bucket and no other
  await caller.ok('POST', '/api/buckets', { namespace: 'tide-gauges', name: 'private', className: 'gauge-objects' });
  const other = await eventually('another bucket', async () => {
    const { bucket } = await caller.ok<{ bucket: { state: string; bucket: string } }>(
      'GET',
      '/api/buckets/tide-gauges/private',
    );
    return bucket.state === 'ready' && bucket.bucket;
  });
  expect(await application('exporter-secret', `look:${other}`)).toEqual(['AccessDenied']);
  // taken back, it opens nothing
  const before = world.platform.store.find('secrets', 'tide-gauges', 'exporter-secret')!;
  await browser.click('Take back');
  await browser.see('What uses it reads and writes nothing any more');
  await browser.clickOn('[role=dialog] button:last-of-type');
  await browser.see('exporter is taken back.');
  await eventually('its secret is gone', () =>
    Promise.resolve(world.platform.store.find('secrets', 'tide-gauges', 'exporter-secret') === undefined),
  );
  world.platform.store.create('secrets', {
    metadata: { name: 'kept-by-somebody', namespace: 'tide-gauges' },
    data: before.data,
  });
  expect(await application('kept-by-somebody', 'get:low-water')).toEqual(['InvalidAccessKeyId']);
  await browser.click('Delete');
  await browser.see('1 object of 5 B is destroyed for good');
  await browser.type('Type exports to destroy it', 'exports');
  await browser.click('Delete it');
  await browser.see('tide-gauges/exports is deleted.');
  await eventually('only the other one is left', () =>
    Promise.resolve(world.kelp.backend.buckets.list().every((b) => b.name === other)),
  );
});
