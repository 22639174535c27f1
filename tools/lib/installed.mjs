/**
 * Installed packages that every test file loads anew, many hundreds of files: one file for each kind of world, which loads in a
 * fraction of the time. What is not named here is loaded as it is installed, such as packages with workers or native parts.
 */
import { mkdir, writeFile } from 'node:fs/promises';
import { dirname, join, relative } from 'node:path';
import { root } from './places.mjs';

const named = {
  node: [
    ...['ajv/dist/2020', 'aws4', 'cockatiel', 'connect-pg-simple', 'express'],
    ...['express-session', 'fast-check', 'fast-json-patch', 'fast-xml-parser', 'helmet', 'ipaddr.js', 'pg', 'pg-boss'],
    ...['pino', 'prom-client', 'rate-limiter-flexible', 'sequelize', 'umzug', 'undici', 'yaml', 'zod'],
  ],
  // whatever shares React or the theme stands here whole: two copies of either know nothing of each other
  browser: [
    ...['@emotion/cache', '@emotion/react', '@hookform/resolvers/zod', '@mui/icons-material/Close'],
    ...['@mui/icons-material/ContentCopy', '@mui/material', '@mui/material/styles', '@mui/system', '@mui/x-data-grid'],
    ...['@tanstack/react-query', '@testing-library/dom', '@testing-library/react', '@testing-library/user-event'],
    ...['@dnd-kit/core', 'dayjs', 'dayjs/plugin/relativeTime', 'react-dom', 'react-dom/client'],
    ...['react-error-boundary', 'react-hook-form', 'react-router', 'recharts', 'yaml', 'zod'],
    ...['zustand', 'zustand/middleware'],
  ],
};

/** Jest's map from the names of these packages to their place. */
export const installedIn = (world) => ({
  [`^(${named[world].join('|').replaceAll('.', '\\.')})$`]: `<rootDir>/dist/installed/${world}/$1.cjs`,
});

/** Built of what is installed now; `dist/installed/done` is younger than the lock file afterwards. */
export async function buildInstalled() {
  const { build } = await import('esbuild');
  const folder = join(root, 'dist/installed');
  for (const [world, packages] of Object.entries(named)) {
    const outfile = join(folder, `${world}.cjs`);
    await build({
      absWorkingDir: root,
      stdin: {
        // each is loaded when it is first asked for
        contents: packages.map((p) => `exports['${p}'] = () => require('${p}');`).join('\n'),
        resolveDir: join(root, world === 'node' ? 'apps/server' : 'apps/web'),
      },
      bundle: true,
      format: 'cjs',
      // what Jest takes: the way in for `require`, and for a browser where there is one
      platform: 'node',
      mainFields: ['main', 'module'],
      conditions: world === 'browser' ? ['browser'] : [],
      // React asks its own module for Node's timers; the others are not there, and asked for when used alone
      external: ['react', 'pg-native', 'pg-hstore'],
      target: 'node20',
      define: { 'process.env.NODE_ENV': '"test"' },
      logLevel: 'error',
      outfile,
    });
    for (const name of packages) {
      const place = join(folder, world, `${name}.cjs`);
      await mkdir(dirname(place), { recursive: true });
      await writeFile(place, `module.exports = require('${relative(dirname(place), outfile)}')['${name}']();\n`);
    }
  }
  await writeFile(join(folder, 'done'), '');
}
