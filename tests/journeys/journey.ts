import { join } from 'node:path';
import { makeWorld, type Caller, type World, type WorldOptions } from '@moorage/server/testing/world';
import type { RunningServer } from '@moorage/server/server';
import { Browser } from './browser';

/** The whole application with the built interface, an operator at its API, and a browser before it. */
export async function beginJourney(options: WorldOptions = {}): Promise<{
  world: World;
  server: RunningServer;
  caller: Caller;
  browser: Browser;
  end(): Promise<void>;
}> {
  const world = await makeWorld(options);
  const server = await world.start(undefined, { webRoot: join(__dirname, '../../apps/web/dist') });
  const caller = await world.operator(server);
  const browser = await Browser.open(server.url);
  return {
    world,
    server,
    caller,
    browser,
    end: async () => {
      await browser.close();
      await world.end();
    },
  };
}
