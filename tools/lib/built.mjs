import { existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { buildPrograms, buildWeb } from '../build.mjs';
import { buildInstalled } from './installed.mjs';
import { root } from './places.mjs';
import { say } from './say.mjs';

function newest(path) {
  let latest = 0;
  if (statSync(path).isFile()) return statSync(path).mtimeMs;
  for (const entry of readdirSync(path, { withFileTypes: true, recursive: true }))
    if (entry.isFile()) latest = Math.max(latest, statSync(join(entry.parentPath ?? entry.path, entry.name)).mtimeMs);
  return latest;
}

const stale = (output, sources) => {
  const file = join(root, output);
  return !existsSync(file) || statSync(file).mtimeMs < Math.max(...sources.map((s) => newest(join(root, s))));
};
const shared = ['packages/core/src', 'packages/contract/src', 'packages/manifests/src'];

/** Builds what is missing or older than its sources. */
export async function ensureBuilt({ web = true } = {}) {
  if (
    stale('apps/server/dist/main.mjs', ['apps/server/src', ...shared]) ||
    stale('apps/server/dist/platform-client.cjs', ['apps/server/src/platform', 'package-lock.json']) ||
    stale('apps/standins/dist/main.mjs', ['apps/standins/src', ...shared])
  )
    await buildPrograms();
  if (web && stale('apps/web/dist/index.html', ['apps/web/src', ...shared])) {
    say('building the interface');
    await buildWeb();
  }
}

/** What the tests load of what is installed, when that has changed. */
export async function ensureInstalledBuilt() {
  if (stale('dist/installed/done', ['package-lock.json', 'tools/lib/installed.mjs'])) await buildInstalled();
}
