/** All tests, with what they need: `npm test`; without the browser: `npm run check`. Ends with one line: N passed, N failed. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureModules, ensureNode, ensurePackages, isRoot } from './lib/install.mjs';
import { root } from './lib/places.mjs';
import { runNode } from './lib/run.mjs';
import { say, Stop } from './lib/say.mjs';

/** Tells how long each file took. */
const showTimes = process.argv.includes('--times');
const withBrowser = !process.argv.includes('--no-browser');
/** Names or paths after `--only` narrow the Jest run, for work on one part. */
const only = process.argv.includes('--only') ? process.argv.slice(process.argv.indexOf('--only') + 1) : [];

let passed = 0;
let failed = 0;
function count(name, ok, output) {
  if (ok) passed += 1;
  else failed += 1;
  say(`${name}: ${ok ? 'good' : 'FAILED'}`);
  if (!ok) console.log(output);
}

async function check(name, script, ...args) {
  const { ok, output } = await runNode(join(root, 'node_modules', script), args);
  count(name, ok, output);
}

async function jest(projects, env) {
  const folder = mkdtempSync(join(tmpdir(), 'moorage-test-'));
  const report = join(folder, 'report.json');
  const args = ['--selectProjects', ...projects, '--json', '--passWithNoTests', `--outputFile=${report}`, ...only];
  // each server test has a world of its own; browsers want the machine for themselves;
  // sockets of clients that were torn down must not keep the run from ending
  if (projects.includes('server')) args.push('--maxWorkers=2', '--forceExit');
  if (projects.includes('journeys')) args.push('--runInBand', '--forceExit');
  const { output } = await runNode('node_modules/jest/bin/jest.js', args, { env, timeoutMs: 2_400_000 });
  let result;
  try {
    result = JSON.parse(readFileSync(report, 'utf8'));
  } catch {
    console.log(output);
    failed += 1;
    return;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  // a file whose preparation or end failed is a failure, although every test in it may have passed
  const broken = result.testResults.filter(
    (t) => t.status === 'failed' && !t.assertionResults.some((a) => a.status === 'failed'),
  ).length;
  passed += result.numPassedTests;
  failed += result.numFailedTests + broken;
  say(`${projects.join(', ')}: ${result.numPassedTests} passed, ${result.numFailedTests + broken} failed`);
  if (showTimes)
    for (const { name, startTime, endTime } of result.testResults.toSorted((a, b) => a.startTime - b.startTime))
      say(`${((endTime - startTime) / 1000).toFixed(1).padStart(7)} s  ${name.replace(root + '/', '')}`);
  for (const { message, name } of result.testResults)
    if (message) console.log(`${name.replace(root + '/', '')}\n${message}`);
}

async function main() {
  ensureNode();
  ensurePackages([
    'postgresql',
    'python3-prometheus-client',
    'python3-sushy',
    'python3-kubernetes',
    'redfishtool',
    'openssl',
    ...(withBrowser ? ['chromium', 'chromium-driver'] : []),
  ]);
  ensureModules();
  if (only.length === 0) {
    await check('formatting', 'prettier/bin/prettier.cjs', '--check', '--log-level=warn', '.');
    await check('lint', 'eslint/bin/eslint.js', '.');
    await check('types', 'typescript/bin/tsc', '--noEmit', '-p', 'tsconfig.json');
  }
  const { ensureBuilt } = await import('./lib/built.mjs');
  await ensureBuilt({ web: withBrowser });
  await jest(['unit'], {});
  const { startPostgres } = await import('./lib/postgres.mjs');
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-postgres-'));
  const { chmodSync } = await import('node:fs');
  chmodSync(folder, 0o755);
  const postgres = await startPostgres(folder, { fast: true });
  try {
    const env = { MOORAGE_TEST_POSTGRES: postgres.adminUrl };
    await jest(['server'], env);
    if (withBrowser) await jest(['journeys'], env);
  } finally {
    await postgres.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

try {
  await main();
} catch (error) {
  console.error(error instanceof Stop ? error.message : error);
  failed += 1;
}
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed > 0 ? 1 : 0);
