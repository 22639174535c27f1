/** The demo: PostgreSQL, the stand-ins and the server on this machine, with the scenario loaded once. */
import { existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { ensureModules, ensureNode, ensurePackages } from './lib/install.mjs';
import { root } from './lib/places.mjs';
import { isFree } from './lib/ports.mjs';
import { say, Stop } from './lib/say.mjs';

const port = Number(process.env.MOORAGE_PORT ?? 4400);
const data = resolve(process.env.MOORAGE_DATA ?? join(root, '.moorage'));
const fresh = process.argv.includes('--fresh');

/** What was started, last first. */
const endings = [];
let ending;
function end(code) {
  ending ??= (async () => {
    for (const stop of endings.splice(0).reverse()) await stop().catch(() => undefined);
    process.exit(code);
  })();
  return ending;
}

function onExit(what, code, said) {
  console.error(`\n${what} ended unexpectedly (${code}). It said last:\n${said.split('\n').slice(-12).join('\n')}`);
  void end(1);
}

function clearData() {
  const marks = ['postgres', 'journal', 'estate.json', 'key'];
  const strange = existsSync(data) && !marks.some((m) => existsSync(join(data, m)));
  if (strange)
    throw new Stop(
      `${data} does not look like a data folder of the demo, so --fresh leaves it alone. Name another with MOORAGE_DATA.`,
    );
  rmSync(data, { recursive: true, force: true });
  rmSync(`/var/tmp/moorage${data.replaceAll('/', '-')}`, { recursive: true, force: true });
}

async function main() {
  if (!Number.isInteger(port) || port < 1 || port > 65535)
    throw new Stop(`MOORAGE_PORT is "${process.env.MOORAGE_PORT}", which is no port number.`);
  ensureNode();
  if (!(await isFree(port)))
    throw new Stop(
      `Port ${port} is taken by another program. Set MOORAGE_PORT to a free one: MOORAGE_PORT=4500 npm run demo`,
    );
  ensurePackages(['postgresql']);
  ensureModules();
  if (fresh) {
    say('beginning anew');
    clearData();
  }
  mkdirSync(data, { recursive: true });

  const [{ ensureBuilt }, { startPostgres }, { startProgram }, { startStandins, writeEstate, people, backends }] =
    await Promise.all([
      import('./lib/built.mjs'),
      import('./lib/postgres.mjs'),
      import('./lib/program.mjs'),
      import('./lib/stand.mjs'),
    ]);
  say('starting PostgreSQL on loopback');
  const [postgres] = await Promise.all([startPostgres(data), ensureBuilt()]);
  endings.push(postgres.stop);
  say(`starting the stand-ins: platform, ${Object.keys(backends).join(', ')}`);
  const standins = await startStandins(join(data, 'journal'), {
    names: Object.keys(backends),
    onExit,
    pace: 'lively',
    writes: true,
  });
  endings.push(standins.stop);
  say('starting the server');
  const server = await startProgram('apps/server/dist/main.mjs', [], {
    name: 'The server',
    until: /listening/,
    onExit: (code, said) => onExit('the server', code, said),
    env: {
      ...writeEstate(data, standins),
      MOORAGE_DEMO: '1',
      MOORAGE_PORT: String(port),
      MOORAGE_DATABASE_URL: postgres.url,
      MOORAGE_DATABASE_FOLDER: data,
      MOORAGE_WEB_ROOT: join(root, 'apps/web/dist'),
      MOORAGE_LOG_LEVEL: process.env.MOORAGE_LOG_LEVEL ?? 'info',
    },
  });
  endings.push(server.stop);
  const url = `http://127.0.0.1:${port}`;
  await untilReady(url);
  const mark = join(data, 'scenario-loaded');
  if (!existsSync(mark)) {
    say('loading the scenario: classes, moorings, applications');
    const { loadScenario } = await import('./scenario.mjs');
    await loadScenario({ url, standins, say });
    writeFileSync(mark, new Date().toISOString());
  }
  say('ready');
  console.log(`\n  Vast Moorage   ${url}\n\n  Accounts (password "lighthouse"):`);
  for (const { name, title, role } of people) console.log(`    ${name.padEnd(8)} ${title}, ${role}`);
  console.log(`\n  Stand-ins, and their control ports for faults:`);
  for (const name of ['platform', ...Object.keys(backends)]) {
    const { url: address, control } = standins[name];
    const password = backends[name] ? `   user moorage, password ${backends[name].password}` : '';
    console.log(`    ${name.padEnd(9)} ${address}   control ${control}${password}`);
  }
  console.log('\n  Ctrl-C ends everything.');
}

async function untilReady(url) {
  for (let i = 0; i < 600; i++) {
    const response = await fetch(`${url}/api/health`).catch(() => undefined);
    if (response?.ok) return;
    await new Promise((r) => setTimeout(r, 100));
  }
  throw new Stop('The server did not become ready within a minute; its log above says why.');
}

process.on('SIGINT', () => {
  console.log('');
  say('ending everything');
  void end(0);
});
process.on('SIGTERM', () => void end(0));
process.on('SIGHUP', () => void end(0));

main().catch((error) => {
  console.error(error instanceof Stop ? `\n${error.message}` : error);
  void end(1);
});
