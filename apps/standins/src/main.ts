import { join } from 'node:path';
import { basaltSeed, kelpSeed, platformSeed } from './seeds';
import { startBackend, startPlatform } from './start';

/** Runs one stand-in: `node main.mjs platform|basalt|kelp PORT CONTROL_PORT JOURNAL_FOLDER`. */
const [name = '', port = '0', controlPort = '0', folder = ''] = process.argv.slice(2);
const where = {
  port: Number(port),
  controlPort: Number(controlPort),
  journal: folder ? join(folder, `${name}.jsonl`) : undefined,
};
const seeds = { basalt: basaltSeed, kelp: kelpSeed };

const running =
  name === 'platform'
    ? await startPlatform(platformSeed, where)
    : name in seeds
      ? await startBackend(seeds[name as keyof typeof seeds](), where)
      : undefined;
if (!running) {
  console.error(`There is no stand-in "${name}": say platform, basalt or kelp.`);
  process.exit(2);
}
console.log(`${name} ready at ${running.url}, control at ${running.controlUrl}`);
const end = () => void running.stop().then(() => process.exit(0));
process.on('SIGTERM', end);
process.on('SIGINT', end);
