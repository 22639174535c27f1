/** All tests, with what they need: `npm test`; without the browser: `npm run check`. Ends with one line: N passed, N failed. */
import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureModules, ensureNode, ensurePackages, isRoot } from './lib/install.mjs';
import { root } from './lib/places.mjs';
import { runNode } from './lib/run.mjs';
import { say, Stop } from './lib/say.mjs';

/** Tells how long each file took. */
const showTimes = process.argv.includes('--times');
const withBrowser = !process.argv.includes('--no-browser');
/** Words or paths narrow the run to what concerns one concept, `npm run check -- moorings`: its tests, and its files checked. */
const only = process.argv.slice(2).filter((word) => !word.startsWith('--'));

/** Test files at once; the waits of each are another's time. Journeys begin apart, when the interface is built. */
const workers = { journeys: 2, others: 4 };

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

const kinds = {
  interface: /\.test\.tsx$/,
  unit: /^(packages|apps\/(web|standins))\//,
  server: /^apps\/server\//,
  journeys: /^tests\/journeys\//,
};
const kindOf = ({ name }) => Object.keys(kinds).find((kind) => kinds[kind].test(name));

/** Runs test files of these kinds, several at once: most of what they do is waiting for others. */
async function jest(projects, atOnce, env) {
  const folder = mkdtempSync(join(tmpdir(), 'moorage-test-'));
  const report = join(folder, 'report.json');
  const args = [
    ...['--selectProjects', ...projects],
    ...['--json', `--outputFile=${report}`, '--passWithNoTests', `--maxWorkers=${atOnce}`],
    `--testSequencer=${join(root, 'tools/lib/longest-first.mjs')}`,
    // sockets of clients that were torn down must not keep the run from ending
    '--forceExit',
    ...only,
  ];
  const { ok, output } = await runNode('node_modules/jest/bin/jest.js', args, { env, timeoutMs: 2_400_000 });
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
  const files = result.testResults.map((file) => ({ ...file, name: file.name.replace(`${root}/`, '') }));
  let told = 0;
  for (const kind of [...projects, undefined])
    told += tell(
      kind ?? 'elsewhere',
      files.filter((file) => kindOf(file) === kind),
    );
  if (!ok && told === 0) {
    // a run that fails although each of its files passed: it says itself why
    console.log(output);
    failed += 1;
  }
  if (showTimes)
    for (const { name, startTime, endTime } of files.toSorted((x, y) => x.startTime - y.startTime))
      say(`${((endTime - startTime) / 1000).toFixed(1).padStart(7)} s  ${name}`);
  for (const { message, name } of files) if (message) console.log(`${name}\n${message}`);
}

/** Tells how the files of one kind went; gives how many failures that were. */
function tell(project, files) {
  if (files.length === 0) return 0;
  const counted = (status) => files.flatMap((f) => f.assertionResults).filter((a) => a.status === status).length;
  // a file whose preparation or end failed is a failure, although every test in it may have passed
  const broken = files.filter((f) => f.status === 'failed' && !f.assertionResults.some((a) => a.status === 'failed'));
  const failures = counted('failed') + broken.length;
  passed += counted('passed');
  failed += failures;
  say(`${project}: ${counted('passed')} passed, ${failures} failed`);
  return failures;
}

/** Files of the concepts that were named; undefined: all. */
function concerned() {
  if (only.length === 0) return undefined;
  const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', '*.ts', '*.tsx', '*.mjs'], { cwd: root });
  const found = String(files)
    .split('\n')
    .filter((file) => only.some((word) => file.includes(word)) && existsSync(join(root, file)));
  if (found.length === 0)
    throw new Stop(`No file has ${only.join(' or ')} in its path. Name a concept, such as moorings.`);
  return found;
}

/** Rules that need types, and circles among all files. */
const typed = ['oxlint/bin/oxlint', '--type-aware', '--tsconfig', 'tsconfig.json'];

async function checks() {
  const files = concerned();
  if (files) {
    await check('formatting', 'prettier/bin/prettier.cjs', '--check', '--log-level=warn', ...files);
    await check('lint', 'eslint/bin/eslint.js', ...files);
    await check('promises', ...typed, ...files);
    return;
  }
  await check('formatting', 'prettier/bin/prettier.cjs', '--check', '--log-level=warn', '.');
  await check('lint', 'eslint/bin/eslint.js', '.');
  await check('circles, promises', ...typed);
  await check('types', 'typescript-native/bin/tsc', '--noEmit', '-p', 'tsconfig.json');
  await check('unused', 'knip/bin/knip.js', '--include', 'exports,types,files,dependencies', '--no-progress');
}

async function tests() {
  const [{ ensureBuilt, ensureInstalledBuilt }, { startPostgres }] = await Promise.all([
    import('./lib/built.mjs'),
    import('./lib/postgres.mjs'),
  ]);
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-postgres-'));
  chmodSync(folder, 0o755);
  const postgres = await startPostgres(folder, { fast: true });
  try {
    await Promise.all([ensureBuilt({ web: false }), ensureInstalledBuilt()]);
    // building the interface leaves its own word for this behind
    const env = { MOORAGE_TEST_POSTGRES: postgres.adminUrl, NODE_ENV: 'test' };
    const journeys = async () => {
      await ensureBuilt();
      await jest(['journeys'], workers.journeys, env);
    };
    await Promise.all([
      jest(['unit', 'interface', 'server'], workers.others, env),
      ...(withBrowser ? [journeys()] : []),
    ]);
  } finally {
    await postgres.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

async function main() {
  ensureNode();
  ensurePackages([
    'postgresql',
    'python3-prometheus-client',
    'python3-sushy',
    'python3-kubernetes',
    'python3-boto3',
    'redfishtool',
    'openssl',
    'prometheus',
    ...(withBrowser ? ['chromium', 'chromium-driver'] : []),
  ]);
  ensureModules();
  await Promise.all([checks(), tests()]);
}

try {
  await main();
} catch (error) {
  console.error(error instanceof Stop ? error.message : error);
  failed += 1;
}
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed > 0 ? 1 : 0);
