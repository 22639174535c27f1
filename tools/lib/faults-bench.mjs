/** Storms of faults over applications, one for each seed; figures of each, or its first fault. */
import { spawn } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureBuilt } from './built.mjs';
import { isRoot } from './install.mjs';
import { buildInstalled } from './installed.mjs';
import { root } from './places.mjs';
import { startPostgres } from './postgres.mjs';

export async function storms(seeds, acts, say) {
  await Promise.all([ensureBuilt({ web: false }), buildInstalled()]);
  const folder = mkdtempSync(join(isRoot ? '/var/tmp' : tmpdir(), 'moorage-bench-'));
  chmodSync(folder, 0o755);
  const postgres = await startPostgres(folder, { fast: true });
  try {
    return await new Promise((resolve) => {
      const seen = [];
      let told = '';
      const jest = spawn(
        process.execPath,
        [
          join(root, 'node_modules/jest/bin/jest.js'),
          ...['--selectProjects', 'server', '--forceExit', '--silent=false'],
          ...['--testPathPatterns', 'applications/faults'],
        ],
        {
          cwd: root,
          env: {
            ...process.env,
            ...{ NODE_ENV: 'test', MOORAGE_TEST_POSTGRES: postgres.adminUrl, MOORAGE_STORM: `${seeds}x${acts}` },
          },
        },
      );
      const hear = (chunk) => {
        told += chunk;
        for (const [, seed, figures] of String(chunk).matchAll(/seed (\d+): (\{.*\})/g)) {
          seen.push(JSON.parse(figures));
          say(`seed ${seed}: ${acts} acts, all as it should be`);
        }
      };
      jest.stdout.on('data', hear);
      jest.stderr.on('data', hear);
      jest.once('exit', (code) => resolve({ seen, problem: code === 0 ? undefined : told.slice(-4000) }));
    });
  } finally {
    await postgres.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}
