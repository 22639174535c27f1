/**
 * A server that ends itself, as `kill -9` would, right after one named state of an operation was reached. A program of the tests:
 * the product knows nothing of it but its step listener.
 */
import { readFileSync } from 'node:fs';
import type { Config } from '../config';
import { startServer } from '../server';

const [configFile = '', dieAfter = ''] = process.argv.slice(2);
/** `state`, or `state:2` for the second time that it is reached. */
const [dieIn, nth = '1'] = dieAfter.split(':');
let times = Number(nth);
const config = JSON.parse(readFileSync(configFile, 'utf8')) as Omit<Config, 'key'> & { key: string };
const server = await startServer(
  { ...config, key: Buffer.from(config.key, 'hex') },
  {
    onStep: ({ state }) => {
      if (state === dieIn && --times === 0) process.kill(process.pid, 'SIGKILL');
    },
  },
);
await server.ready;
console.log(`ready at ${server.url}`);
