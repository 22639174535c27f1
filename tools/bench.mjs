/** Figures, each beside the thing it is compared with in the same run: `npm run bench`. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureModules, ensureNode, ensurePackages, isRoot } from './lib/install.mjs';
import { root } from './lib/places.mjs';
import { say, Stop } from './lib/say.mjs';

function table(title, rows) {
  console.log(`\n${title}`);
  const wide = Math.max(...rows.map(([name]) => name.length));
  for (const [name, value, note = ''] of rows)
    console.log(`  ${name.padEnd(wide)}  ${String(value).padStart(14)}  ${note}`);
}

/** Runs the core's bench in a process of its own, so that its peak memory is its own. */
function decisions() {
  say('decisions: 100,000 claims over 200 pools, 10 moorings a class');
  const run = spawnSync(process.execPath, [join(root, 'packages/core/dist/decisions.bench.mjs')], { encoding: 'utf8' });
  if (run.status !== 0) throw new Stop(`the decisions bench failed:\n${run.stderr}`);
  const r = JSON.parse(run.stdout);
  table('Decisions', [
    [
      'decide, with the whole trace',
      `${Math.round(r.decisionsPerSecond).toLocaleString('en-GB')}/s`,
      `${r.placed.toLocaleString('en-GB')} of ${r.claims.toLocaleString('en-GB')} placed`,
    ],
    [
      'bare loop, bytes only',
      `${Math.round(r.bareLoopPerSecond).toLocaleString('en-GB')}/s`,
      'the same arrays, the same order',
    ],
    ['ratio', `1 : ${(r.bareLoopPerSecond / r.decisionsPerSecond).toFixed(1)}`, ''],
    ['peak memory', `${r.peakMegabytes} MB`, 'wanted: under 300 MB'],
  ]);
}

async function binding() {
  say('binding: claim created to bound, beside the calls to platform and backend');
  const { ensureBuilt } = await import('./lib/built.mjs');
  const { startPostgres } = await import('./lib/postgres.mjs');
  const { startStandins, writeEstate } = await import('./lib/stand.mjs');
  const { startProgram } = await import('./lib/program.mjs');
  await ensureBuilt({ web: false });
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-bench-'));
  const { chmodSync } = await import('node:fs');
  chmodSync(folder, 0o755);
  const endings = [];
  try {
    const postgres = await startPostgres(folder);
    endings.push(postgres.stop);
    const standins = await startStandins(join(folder, 'journal'));
    endings.push(standins.stop);
    const { line, stop, pid } = await startProgram('apps/server/dist/main.mjs', [], {
      name: 'The server',
      until: /listening/,
      env: {
        ...writeEstate(folder, standins),
        MOORAGE_PORT: '0',
        MOORAGE_DATABASE_URL: postgres.url,
        MOORAGE_LOG_LEVEL: 'info',
      },
    });
    endings.push(stop);
    const { url } = JSON.parse(line);
    const { measureBinding } = await import('./lib/binding-bench.mjs');
    const r = await measureBinding({ url, pid });
    table('Binding, one claim after another', [
      ['created to bound, median', `${r.boundMs.toFixed(0)} ms`, `${r.claims} claims, seen on the event stream`],
      [
        'sum of the calls, median',
        `${r.callsMs.toFixed(0)} ms`,
        `create claim, make volume (${r.makeMs.toFixed(0)} ms of it the backend's work and its task), write volume`,
      ],
      ['ratio', r.ratio.toFixed(2), 'wanted: within 1.5'],
      ['idle server, resident', `${r.idleMegabytes} MB`, 'wanted: under 200 MB'],
      ['busy server, peak', `${r.peakMegabytes} MB`, ''],
    ]);
  } finally {
    for (const end of endings.reverse()) await end();
    rmSync(folder, { recursive: true, force: true });
  }
}

try {
  ensureNode();
  ensurePackages(['postgresql']);
  ensureModules();
  const { buildBench } = await import('./build.mjs');
  await buildBench();
  decisions();
  await binding();
} catch (error) {
  console.error(error instanceof Stop ? error.message : error);
  process.exit(1);
}
