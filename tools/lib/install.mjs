import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './places.mjs';
import { say, Stop } from './say.mjs';

export const isRoot = process.getuid?.() === 0;
const onPath = (name) => spawnSync('sh', ['-c', `command -v ${name}`]).status === 0;

/** The folder of PostgreSQL's server programs, newest version first. */
export function postgresBin() {
  const base = '/usr/lib/postgresql';
  const versions = existsSync(base) ? readdirSync(base).filter((v) => existsSync(join(base, v, 'bin/initdb'))) : [];
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  return newest && join(base, newest, 'bin');
}

/** What each Debian package brings that tells that it is there. */
const signs = {
  postgresql: () => postgresBin() !== undefined,
  chromium: () => existsSync('/usr/bin/chromium'),
  'chromium-driver': () => existsSync('/usr/bin/chromedriver'),
  'python3-sushy': () => spawnSync('/usr/bin/python3', ['-c', 'import sushy']).status === 0,
  'python3-kubernetes': () => spawnSync('/usr/bin/python3', ['-c', 'import kubernetes']).status === 0,
  'python3-boto3': () => spawnSync('/usr/bin/python3', ['-c', 'import boto3']).status === 0,
  redfishtool: () => onPath('redfishtool'),
  openssl: () => onPath('openssl'),
  prometheus: () => onPath('prometheus'),
  'python3-prometheus-client': () =>
    spawnSync('/usr/bin/python3', ['-c', 'import prometheus_client.openmetrics.parser']).status === 0,
};

/** Installs the Debian packages that are missing. As anyone but root it says the command to run instead. */
export function ensurePackages(names) {
  const missing = names.filter((name) => !signs[name]());
  if (missing.length === 0) return;
  const command = `apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  if (!isRoot || !onPath('apt-get')) throw new Stop(`Missing packages. Run as root: ${command}`);
  say(`installing ${missing.join(', ')}`);
  // Debian's package would make and start a server of its own; ours runs in the data folder instead
  mkdirSync('/etc/postgresql-common', { recursive: true });
  if (!existsSync('/etc/postgresql-common/createcluster.conf'))
    writeFileSync('/etc/postgresql-common/createcluster.conf', 'create_main_cluster = false\n');
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const quiet = { env, stdio: ['ignore', 'pipe', 'pipe'] };
  const update = spawnSync('apt-get', ['update', '-qq'], quiet);
  const install = spawnSync(
    'apt-get',
    ['install', '-y', '-qq', '-o', 'Dpkg::Options::=--force-confold', '--no-install-recommends', ...missing],
    quiet,
  );
  if (install.status !== 0)
    throw new Stop(
      `The packages ${missing.join(', ')} could not be installed. apt-get said:\n${update.stderr}${install.stderr}`,
    );
  const still = missing.filter((name) => !signs[name]());
  if (still.length > 0)
    throw new Stop(`apt-get reported success, but ${still.join(', ')} is still not usable. Run: ${command}`);
}

/** Installs the npm packages when they are missing or older than the lock file. */
export function ensureModules() {
  const mark = join(root, 'node_modules/.package-lock.json');
  const lock = join(root, 'package-lock.json');
  if (existsSync(mark) && statSync(mark).mtimeMs >= statSync(lock).mtimeMs) return;
  say('installing npm packages');
  const result = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  if (result.status !== 0) throw new Stop(`npm ci failed:\n${result.stderr}`);
  // npm keeps the lock file's time; the mark must be newer than it
  execFileSync('touch', [mark]);
}

export function ensureNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    throw new Stop(`Node.js 20.19 or newer is needed; this is ${process.versions.node}.`);
}
