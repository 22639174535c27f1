import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startProgram } from './program.mjs';

/** Starts the three stand-ins; each keeps its journal in `folder`. Gives their addresses and how to end them. */
export async function startStandins(folder, onExit) {
  const start = async (name) => {
    const { line, stop } = await startProgram('apps/standins/dist/main.mjs', [name, '0', '0', folder], {
      name: `The stand-in ${name}`,
      until: / ready at /,
      onExit: (code, said) => onExit?.(`the stand-in ${name}`, code, said),
    });
    const [, url, control] = / ready at (\S+), control at (\S+)/.exec(line);
    return { url, control, stop };
  };
  const [platform, basalt, kelp] = await Promise.all(['platform', 'basalt', 'kelp'].map(start));
  return { platform, basalt, kelp, stop: () => Promise.all([platform, basalt, kelp].map((s) => s.stop())) };
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
export function writeEstate(folder, standins) {
  mkdirSync(folder, { recursive: true });
  const estate = {
    site: 'quayside',
    platform: { server: standins.platform.url },
    backends: [
      {
        id: 'basalt',
        title: 'Basalt, all flash',
        address: standins.basalt.url,
        username: 'moorage',
        password: 'harbour-wall',
      },
      {
        id: 'kelp',
        title: 'Kelp storage cluster',
        address: standins.kelp.url,
        username: 'moorage',
        password: 'holdfast',
      },
    ],
    people,
  };
  const estateFile = join(folder, 'estate.json');
  const keyFile = join(folder, 'key');
  writeFileSync(estateFile, JSON.stringify(estate, null, 2), { mode: 0o600 });
  if (!existsSync(keyFile)) writeFileSync(keyFile, randomBytes(32).toString('hex'), { mode: 0o600 });
  if (readFileSync(keyFile, 'utf8').trim().length !== 64) throw new Error(`${keyFile} is damaged`);
  return { MOORAGE_ESTATE: estateFile, MOORAGE_KEY_FILE: keyFile };
}
