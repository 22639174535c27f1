import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { ApplicationPage, ApplicationSeen } from '@moorage/contract/applications';
import { eventually, eventuallyHolds, makeWorld, moorClass, type Caller, type World } from '../testing/world';

const run = promisify(execFile);
let world: World;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  maren = await world.operator(await world.start());
  await moorClass(maren, 'kept', ['kelp-nvme'], { copies: 2 });
});
afterAll(() => world.end());

/** Does one thing by a client library that nobody here wrote. */
const client = (act: string) => run('/usr/bin/python3', [join(__dirname, 'client.py'), world.platform.url, act]);
const row = async () =>
  (await maren.ok<ApplicationPage>('GET', '/api/applications?q=logger')).applications.find((a) => a.name === 'logger');
const shows = (what: object) => eventuallyHolds('it is shown', async () => expect(await row()).toMatchObject(what));

test('a set that another client makes, scales, changes and deletes is shown at each step', async () => {
  await client('make');
  await shows({ kind: 'StatefulSet', wanted: 2, ready: 2, claims: 2, pools: ['kelp-nvme'], worst: 'in-sync' });
  await client('scale');
  await shows({ wanted: 3, pods: 3, ready: 3, claims: 3 });
  await client('roll');
  await eventuallyHolds('each of its pods ended and came back', async () => {
    const { moves } = await maren.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/logger');
    expect(
      moves
        .filter((m) => m.readyAt !== null)
        .map((m) => m.pod)
        .sort(),
    ).toEqual([0, 1, 2].map((i) => `logger-${i}`));
  });
  await shows({ ready: 3 });
  await client('delete');
  await eventually('it is gone', async () => (await row()) === undefined);
  // the claims stayed, bound, with what they hold
  for (const i of [0, 1, 2]) await maren.inState(`data-logger-${i}`, 'bound');
});
