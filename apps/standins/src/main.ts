import { join } from 'node:path';
import { backendSeeds } from './backend-seeds';
import { atOnce, lively } from './platform/pace';
import { platformSeed } from './seeds';
import { startBackend, startPlatform } from './start';

/** Runs one stand-in: `node main.mjs NAME PORT CONTROL_PORT JOURNAL_FOLDER [lively]`. */
const [name = '', port = '0', controlPort = '0', folder = '', pace = ''] = process.argv.slice(2);
const where = {
  port: Number(port),
  controlPort: Number(controlPort),
  journal: folder ? join(folder, `${name}.jsonl`) : undefined,
};

const running =
  name === 'platform'
    ? await startPlatform(platformSeed, where, pace === 'lively' ? lively : atOnce)
    : name in backendSeeds
      ? await startBackend(backendSeeds[name as keyof typeof backendSeeds](), where)
      : undefined;
if (!running) {
  console.error(`There is no stand-in "${name}": say platform, ${Object.keys(backendSeeds).join(', ')}.`);
  process.exit(2);
}
console.log(`${name} ready at ${running.url}, control at ${running.controlUrl}`);
const end = () => void running.stop().then(() => process.exit(0));
process.on('SIGTERM', end);
process.on('SIGINT', end);
