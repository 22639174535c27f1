/** Figures, each beside the thing it is compared with in the same run: `npm run bench`. */
import { spawnSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
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

/** Runs a bench in a process of its own, so that its peak memory is its own; gives the JSON it prints. */
function runBench(name) {
  const run = spawnSync(process.execPath, [join(root, `packages/core/dist/${name}.bench.mjs`)], { encoding: 'utf8' });
  if (run.status !== 0) throw new Stop(`the ${name} bench failed:\n${run.stderr}`);
  return JSON.parse(run.stdout);
}

/** Placement beside the optimum of the same instance, from a MILP solver. */
function placing() {
  say(
    'placing: seven kinds of sites, claims that all fit and claims that do not, beside the optimum (about ten minutes)',
  );
  const { strategies, results } = runBench('placing');
  const percent = (share) => `${(100 * share).toFixed(1)} %`;
  const mean = (of) => of.reduce((sum, v) => sum + v, 0) / of.length;
  const meanAndWorst = (of) => `${percent(mean(of))} / ${percent(Math.min(...of))}`;
  table(
    'A batch that fits as a whole, at 85 to 97 %: complete plans',
    results.map((r) => [
      r.kind,
      `${r.complete} of ${r.fitting}`,
      `${r.claims.toFixed(0)} claims, plan ${r.planMs.toFixed(0)} ms; wanted: 98 of 100`,
    ]),
  );
  table(
    'A batch a quarter larger than what fits: bytes planned, of the most that any plan places (mean / worst)',
    results.map((r) => [
      r.kind,
      meanAndWorst(r.planned),
      `wanted: 98 %; solver ${(r.solverMs / 1000).toFixed(1)} s${r.unproven ? `, ${r.unproven} of ${r.planned.length} beside the linear bound` : ''}`,
    ]),
  );
  for (const [title, of] of [
    ['One by one, more than fits: bytes placed, of the most that any plan places (mean / worst)', 'alone'],
    ['One by one, what would fit: bytes placed before the first refusal, of all (mean / worst)', 'early'],
  ])
    table(
      `${title}: ${strategies.join(', ')}`,
      results.map((r) => [r.kind, strategies.map((s) => meanAndWorst(r[of][s])).join('   ')]),
    );
}

/** What a pressed key costs where a claim is tried on the whole grid, and mean value analysis. */
function trying() {
  say('trying: a claim on 60 classes and 200 pools; mean value analysis');
  const r = runBench('trying');
  const ms = (v) => `${v.toFixed(2)} ms`;
  table(`A claim tried on ${r.classes} classes and ${r.pools} pools`, [
    ['the whole grid, median', ms(r.key), 'wanted: within a frame, 16 ms'],
    ['with the state made ready anew', ms(r.cold), `${(r.cold / r.key).toFixed(1)} times; done when the state changes`],
    ['one cell in full', ms(r.one), ''],
    ['how much more every class takes', ms(r.outlook), ''],
  ]);
  table('Mean value analysis', [
    ['512 clients, 12 stations, median', ms(r.mva), 'wanted: within 5 ms'],
    ['one device, 8 clients', `${r.checkOne.toFixed(2)}/s`, 'wanted: 3,057.72/s'],
    ['and a delay of 0.2 ms', `${r.checkTwo.toFixed(2)}/s`, 'wanted: 2,884.91/s'],
  ]);
}

function decisions() {
  say('decisions: 100,000 claims over 200 pools, 10 moorings a class');
  const r = runBench('decisions');
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

/** Small shares packed into the fewest large instances. */
function carving() {
  const { count, results } = runBench('carving');
  say(`carving: ${count.toLocaleString('en-GB')} shares out of instances of 1 to 10 TiB`);
  table(
    'Carving',
    results.map(({ kind, ms, instances, bound, utilisation }) => [
      `shares: ${kind}`,
      `${ms.toFixed(0)} ms`,
      `${instances.toLocaleString('en-GB')} instances, ${bound.toLocaleString('en-GB')} at least; ${(100 * utilisation).toFixed(1)} % used; wanted: under a second, one above the bound at most`,
    ]),
  );
}

/** Everything that stands around a measurement, started in a folder of its own and ended after it. */
async function around(names, measure, web = false) {
  const { ensureBuilt } = await import('./lib/built.mjs');
  const { startPostgres } = await import('./lib/postgres.mjs');
  const { startStandins, writeEstate } = await import('./lib/stand.mjs');
  const { startProgram } = await import('./lib/program.mjs');
  await ensureBuilt({ web });
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-bench-'));
  chmodSync(folder, 0o755);
  const endings = [];
  try {
    const postgres = await startPostgres(folder);
    endings.push(postgres.stop);
    const standins = await startStandins(join(folder, 'journal'), { names });
    endings.push(standins.stop);
    const { line, stop, pid } = await startProgram('apps/server/dist/main.mjs', [], {
      name: 'The server',
      until: /listening/,
      env: {
        ...writeEstate(folder, standins, names),
        MOORAGE_PORT: '0',
        MOORAGE_DATABASE_URL: postgres.url,
        MOORAGE_LOG_LEVEL: 'info',
        ...(web && { MOORAGE_WEB_ROOT: join(root, 'apps/web/dist') }),
      },
    });
    endings.push(stop);
    const { url } = JSON.parse(line);
    return await measure({ url, pid, standins });
  } finally {
    for (const stop of endings.reverse()) await stop().catch(() => undefined);
    rmSync(folder, { recursive: true, force: true });
  }
}

async function binding() {
  say('binding: claim created to bound, beside the calls to platform and backend');
  const { measureBinding } = await import('./lib/binding-bench.mjs');
  const r = await around(['basalt', 'kelp'], measureBinding);
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
}

async function growing() {
  say('growing: a thousand claims in one round, beside the calls to their backend (about two minutes)');
  const { measureGrowing } = await import('./lib/growing-bench.mjs');
  const r = await around(['basalt', 'kelp'], measureGrowing);
  table(`Growing ${r.claims.toLocaleString('en-GB')} claims in one round`, [
    ['planned', `${r.planMs.toFixed(0)} ms`, `${r.goes.toLocaleString('en-GB')} of them fit`],
    ['asked to the last that has its size', `${r.seconds.toFixed(1)} s`, r.right ? 'all have it' : 'NOT all have it'],
    [
      "sum of the backend's calls",
      `${r.callsS.toFixed(1)} s`,
      'several at once: each is as long as it took beside the others',
    ],
    ['ratio', r.ratio.toFixed(2), 'wanted: within 1.5'],
  ]);
}

/** Runs a harness of the server over an empty database of its own; gives the JSON it prints. */
async function overDatabase(name, ...words) {
  const { startPostgres } = await import('./lib/postgres.mjs');
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-bench-'));
  chmodSync(folder, 0o755);
  const postgres = await startPostgres(folder);
  try {
    const run = spawnSync(
      process.execPath,
      [join(root, `packages/core/dist/${name}-harness.mjs`), postgres.url, ...words.map(String)],
      { encoding: 'utf8', maxBuffer: 1 << 28 },
    );
    if (run.status !== 0) throw new Stop(`the ${name} bench failed:\n${run.stderr}`);
    return JSON.parse(run.stdout);
  } finally {
    await postgres.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Pages beside statements written by hand. */
const pages = (listed, part) =>
  listed.map(({ name, ours, byHand }) => [
    `a page and its counts: ${name}`,
    `${ours.toFixed(1)} ms`,
    `${part}; by hand ${byHand.toFixed(1)} ms: ${(ours / byHand).toFixed(2)} times; wanted: within 2`,
  ]);

/** A platform of many claims: taken in, followed, and listed, beside statements written by hand. */
async function listing() {
  const [claims = 100_000, seconds = 60] = numbers;
  say(`listing: ${claims.toLocaleString('en-GB')} claims taken in, ${seconds} s of changes, and pages of them`);
  const r = await overDatabase('listing', claims, seconds);
  table(`A platform of ${r.claims.toLocaleString('en-GB')} claims`, [
    ['first listing taken in', `${(r.listMs / 1000).toFixed(1)} s`, 'wanted: within 60 s'],
    [
      'changes, one after the other',
      `${r.perSecond.toFixed(0)}/s`,
      `${r.changes.toLocaleString('en-GB')} of them; ${(r.behindMs / 1000).toFixed(2)} s behind at their end`,
    ],
    ...pages(r.listed, '99th percentile'),
  ]);
}

/** Applications: plans of them, and many of them listed beside statements written by hand. */
async function applications() {
  const [count = 10_000] = numbers;
  say(`applications: starts and places planned, ${count.toLocaleString('en-GB')} of them reckoned and listed`);
  const plans = runBench('starting');
  table('Plans, 12 pools and 200 nodes', [
    [
      '500 replicas with 2 claims each',
      `${plans.startMs.toFixed(0)} ms`,
      `${plans.fits ? 'all of it fits' : 'does not fit'}; wanted: within 500 ms`,
    ],
    ['1,000 pods put on nodes', `${plans.placeMs.toFixed(0)} ms`, `${plans.placed} placed; wanted: within 200 ms`],
  ]);
  const r = await overDatabase('applications', count);
  table(`${r.applications.toLocaleString('en-GB')} applications of 3 replicas`, [
    ['all reckoned anew', `${(r.reckonMs / 1000).toFixed(1)} s`],
    ['one reckoned for a change of one pod', `${r.onceMs.toFixed(0)} ms`],
    ...pages(r.listed, '95th percentile'),
  ]);
}

/** Use over time: sampled, rolled up and asked for; numbers are volumes and days. */
async function usage() {
  const [volumes = 20_000, days = 60] = numbers;
  say(`usage: ${volumes.toLocaleString('en-GB')} volumes over ${days} days sampled, rolled up and asked for`);
  const { usageRows } = await import('./lib/usage-bench.mjs');
  const reckoned = { ...runBench('trend'), ...runBench('forecast') };
  table('Use over time', usageRows(await overDatabase('usage', volumes, days), reckoned));
}

/** Pages and sweeps over a large made-up site; numbers are claims, namespaces, classes and pools. */
async function site() {
  const sizes = [300_000, 2000, 60, 200].map((usual, i) => numbers[i] ?? usual);
  say(`site: ${sizes[0].toLocaleString('en-GB')} claims of a made-up site, its pages and sweeps (about ten minutes)`);
  const { siteTables } = await import('./lib/site-bench.mjs');
  for (const [title, rows] of siteTables(await overDatabase('site', ...sizes))) table(title, rows);
}

async function besideSlow() {
  say('one slow backend: the others beside it, in turns with it quick (about a minute)');
  const { measureBesideSlow } = await import('./lib/slow-bench.mjs');
  const r = await around(['basalt', 'kelp', 'gneiss'], ({ url, standins }) =>
    measureBesideSlow({ url, control: standins.gneiss.control }),
  );
  const row = (name, of) => [
    name,
    `${r.slow[of].toFixed(0)} ms`,
    `${r.quick[of].toFixed(0)} ms when all are quick: ${(r.slow[of] / r.quick[of]).toFixed(2)} times; wanted: within 1.2`,
  ];
  table('One backend answers after 30 s', [
    row('binding on another, median', 'bind'),
    row('a page of another, median', 'page'),
  ]);
}

async function vast() {
  say('a very large backend: opened, drawn, and a commissioning changed');
  const { measureVast, vastRows } = await import('./lib/vast-bench.mjs');
  const [nodes, disks] = [1000, 24_000];
  const r = await around(['basalt', 'kelp', 'shoal'], ({ url }) => measureVast({ url, nodes, disks }), true);
  table(`A backend of ${nodes.toLocaleString('en-GB')} nodes and ${disks.toLocaleString('en-GB')} disks`, vastRows(r));
}

async function bodies() {
  say('bodies: how long a server answers nobody else while it takes one');
  const { measureBodies } = await import('./lib/bodies-bench.mjs');
  const { quiet, results } = await around(['basalt', 'kelp'], measureBodies);
  table(
    `One body, beside a small question's ${quiet.toFixed(1)} ms`,
    results.map(({ name, bytes, ms }) => [
      name,
      `${ms.toFixed(0)} ms`,
      `${Math.round(bytes / 1024)} KiB; wanted: within 50 ms`,
    ]),
  );
}

/** Hostile requests over all routes; a seed may follow, then how many. */
async function fuzz() {
  const [seed = 1, count = 100_000] = numbers;
  say(`fuzz: ${count.toLocaleString('en-GB')} hostile requests over all routes, seed ${seed}`);
  const { operatorAt } = await import('./lib/bench-api.mjs');
  await around(['basalt', 'kelp'], async ({ url }) => {
    const operator = await operatorAt(url);
    const cookie = operator.cookie();
    operator.end();
    const run = spawnSync(
      process.execPath,
      [join(root, 'packages/core/dist/fuzz-harness.mjs'), url, String(seed), String(count), cookie],
      { encoding: 'utf8', stdio: ['ignore', 'pipe', 'inherit'], maxBuffer: 1 << 28 },
    );
    if (run.status !== 0) throw new Stop('the fuzzing program failed');
    const { statuses, wrong } = JSON.parse(run.stdout);
    table(
      'Answers',
      Object.entries(statuses).map(([status, n]) => [status, n.toLocaleString('en-GB'), '']),
    );
    table('What must never be', [['errors of ours, or no answer', String(wrong.length), 'wanted: 0']]);
    for (const line of wrong.slice(0, 20)) console.log(`  ${line}`);
  });
}

/** Applications in storms of faults; how many seeds may follow, then how many acts of each. */
async function faults() {
  const [seeds = 20, acts = 500] = numbers;
  say(`faults: ${acts} acts on applications with faults among them, ${seeds} seeds (about a minute each)`);
  const { storms } = await import('./lib/faults-bench.mjs');
  const { seen, problem } = await storms(seeds, acts, say);
  const sum = (of) => seen.reduce((all, s) => all + s[of], 0).toLocaleString('en-GB');
  table('Nothing acknowledged lost, attached twice or left half done', [
    ['seeds', `${seen.length} of ${seeds}`, 'wanted: all'],
    ['acts', sum('acts'), `${sum('kills')} of them killed the server, ${sum('refused')} were refused`],
    ['writes acknowledged', sum('writes'), ''],
  ]);
  if (problem !== undefined) throw new Stop(`a storm ended badly:\n${problem}`);
}

/** Everything killed in turn under a load of claims; a seed may follow. */
async function kills() {
  const [seed = 1] = numbers;
  say(`kills: 600 claims made and deleted over 20 rounds, seed ${seed}`);
  const { ensureBuilt } = await import('./lib/built.mjs');
  await ensureBuilt({ web: false });
  const { chaos } = await import('./lib/chaos.mjs');
  const r = await chaos({ seed, say });
  table('Two servers, PostgreSQL, the platform and each backend killed in turn', [
    [
      'claims made',
      String(r.made),
      `${r.claims} left, ${r.rounds} rounds, all counts equal, nothing missed by the mirror`,
    ],
    [
      'slowest to be as it should be',
      `${(r.slowestMs / 1000).toFixed(1)} s`,
      'after all were back; wanted: within 30 s',
    ],
  ]);
}

/** All of them, or those named on the command line; numbers there are a seed and a count. */
const parts = {
  decisions,
  trying,
  carving,
  placing,
  binding,
  growing,
  listing,
  applications,
  usage,
  site,
  slow: besideSlow,
  vast,
  bodies,
  fuzz,
  faults,
  kills,
};
const numbers = process.argv
  .slice(2)
  .filter((word) => /^\d+$/.test(word))
  .map(Number);

try {
  const named = process.argv.slice(2).filter((name) => name in parts);
  ensureNode();
  ensurePackages(['postgresql', 'chromium', 'chromium-driver']);
  ensureModules();
  const { buildBench } = await import('./build.mjs');
  await buildBench();
  for (const name of named.length > 0 ? named : Object.keys(parts)) await parts[name]();
} catch (error) {
  console.error(error instanceof Stop ? error.message : error);
  process.exit(1);
}
