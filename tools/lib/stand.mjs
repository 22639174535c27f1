import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { isFree } from './ports.mjs';
import { join } from 'node:path';
import { startProgram } from './program.mjs';

/** The backends of the demo: what they are called and how one signs in. */
export const backends = {
  basalt: { title: 'Basalt, all flash', password: 'harbour-wall', sites: ['quayside'] },
  kelp: { title: 'Kelp storage cluster', password: 'holdfast', sites: ['quayside'] },
  gneiss: { title: 'Gneiss, shared files', password: 'slow-stone', sites: ['quayside'] },
  limpet: { title: 'Limpet, the outpost', password: 'low-water', sites: ['gull-rock'] },
  eddy: { title: 'Eddy, six spare nodes', password: 'turning-tide', sites: ['quayside'] },
};
/** For figures alone: far larger than the demo's. */
const shoal = { title: 'Shoal, very large', password: 'deep-water', sites: ['quayside'] };

/**
 * Starts the platform's stand-in and those of the backends named; each keeps its journal in `folder`, and its address from one
 * start to the next where that is free. Where it is said so, pods read and write what their volumes hold. Gives their addresses
 * and how to end them.
 */
export async function startStandins(folder, { names = ['basalt', 'kelp'], onExit, pace = '', writes = false } = {}) {
  mkdirSync(folder, { recursive: true });
  const portsFile = join(folder, 'ports.json');
  const known = existsSync(portsFile) ? JSON.parse(readFileSync(portsFile, 'utf8')) : {};
  const start = async (name) => {
    const port = known[name] && (await isFree(known[name])) ? known[name] : 0;
    const { line, stop } = await startProgram('apps/standins/dist/main.mjs', [name, String(port), '0', folder, pace], {
      name: `The stand-in ${name}`,
      until: / ready at /,
      onExit: (code, said) => onExit?.(`the stand-in ${name}`, code, said),
    });
    const [, url, control] = / ready at (\S+), control at (\S+)/.exec(line);
    return { url, control, stop };
  };
  const all = ['platform', ...names];
  const started = await Promise.all(all.map(start));
  const running = Object.fromEntries(all.map((name, i) => [name, started[i]]));
  const ports = Object.fromEntries(all.map((name) => [name, Number(new URL(running[name].url).port)]));
  if (writes)
    await fetch(`${running.platform.control}/data-paths`, {
      ...{ method: 'POST', headers: { 'Content-Type': 'application/json' } },
      body: JSON.stringify(Object.fromEntries(names.map((name) => [name, running[name].control]))),
    });
  writeFileSync(portsFile, JSON.stringify({ ...known, ...ports }));
  return { ...running, stop: () => Promise.all(started.map((s) => s.stop())) };
}

/** Accounts of the demo: made-up people of the Orrin Sound Hydrographic Office. */
export const people = [
  { name: 'maren', title: 'Maren Holt', role: 'operator', password: 'lighthouse' },
  { name: 'ada', title: 'Ada Quill', role: 'administrator', password: 'lighthouse' },
  { name: 'tom', title: 'Tom Reef', role: 'storage-engineer', password: 'lighthouse' },
  { name: 'ivo', title: 'Ivo Sand', role: 'namespace-owner', password: 'lighthouse', namespaces: ['ferry-desk'] },
  { name: 'guest', title: 'Guest', role: 'viewer', password: 'lighthouse' },
];

/** Writes what the server needs to know of its surroundings; gives the environment that points at it. */
export function writeEstate(folder, standins, named = Object.keys(backends).filter((id) => id !== 'gneiss')) {
  mkdirSync(folder, { recursive: true });
  const estate = {
    site: 'quayside',
    platform: { server: standins.platform.url },
    // in the demo gneiss is left to be registered, by the same call as a person would
    backends: named
      .filter((id) => standins[id])
      .map((id) => ({ id, ...{ ...backends, shoal }[id], address: standins[id].url, username: 'moorage' })),
    people,
  };
  const estateFile = join(folder, 'estate.json');
  const keyFile = join(folder, 'key');
  writeFileSync(estateFile, JSON.stringify(estate, null, 2), { mode: 0o600 });
  if (!existsSync(keyFile)) writeFileSync(keyFile, randomBytes(32).toString('hex'), { mode: 0o600 });
  if (readFileSync(keyFile, 'utf8').trim().length !== 64) throw new Error(`${keyFile} is damaged`);
  return { MOORAGE_ESTATE: estateFile, MOORAGE_KEY_FILE: keyFile };
}
