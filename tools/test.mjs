/** All tests, with what they need: `npm test`; without the browser: `npm run check`. Ends with one line: N passed, N failed. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureModules, ensureNode, ensurePackages, isRoot } from './lib/install.mjs';
import { root } from './lib/places.mjs';
import { say, Stop } from './lib/say.mjs';

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

function bin(name, ...args) {
  const result = spawnSync(process.execPath, [join(root, 'node_modules', name), ...args], {
    cwd: root,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  return [result.status === 0, result.stdout + result.stderr];
}

function jest(projects, env) {
  const folder = mkdtempSync(join(tmpdir(), 'moorage-test-'));
  const report = join(folder, 'report.json');
  const args = [
    'node_modules/jest/bin/jest.js',
    '--selectProjects',
    ...projects,
    '--json',
    '--passWithNoTests',
    `--outputFile=${report}`,
    ...only,
  ];
  // one world at a time; sockets of clients that were torn down must not keep the run from ending
  // each server test has a world of its own; browsers want the machine for themselves
  if (projects.includes('server')) args.push('--maxWorkers=2', '--forceExit');
  if (projects.includes('journeys')) args.push('--runInBand', '--forceExit');
  const run = spawnSync(process.execPath, args, {
    cwd: root,
    encoding: 'utf8',
    env: { ...process.env, ...env },
    maxBuffer: 1 << 28,
    timeout: 2_400_000,
  });
  let result;
  try {
    result = JSON.parse(readFileSync(report, 'utf8'));
  } catch {
    console.log(run.stdout + run.stderr);
    failed += 1;
    return;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  const broken = result.testResults.filter((t) => t.status === 'failed' && t.assertionResults.length === 0).length;
  passed += result.numPassedTests;
  failed += result.numFailedTests + broken;
  say(`${projects.join(', ')}: ${result.numPassedTests} passed, ${result.numFailedTests + broken} failed`);
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
    count('formatting', ...bin('prettier/bin/prettier.cjs', '--check', '--log-level=warn', '.'));
    count('lint', ...bin('eslint/bin/eslint.js', '.'));
    count('types', ...bin('typescript/bin/tsc', '--noEmit', '-p', 'tsconfig.json'));
  }
  const { ensureBuilt } = await import('./lib/built.mjs');
  await ensureBuilt({ web: withBrowser });
  jest(['unit'], {});
  const { startPostgres } = await import('./lib/postgres.mjs');
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-postgres-'));
  const { chmodSync } = await import('node:fs');
  chmodSync(folder, 0o755);
  const postgres = await startPostgres(folder, { fast: true });
  try {
    const env = { MOORAGE_TEST_POSTGRES: postgres.adminUrl };
    jest(['server'], env);
    if (withBrowser) jest(['journeys'], env);
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
