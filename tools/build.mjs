/** Builds what runs: the server and the stand-ins as one file each with what is installed, which starts in less time; the interface with Vite. */
import { build } from 'esbuild';
import { join } from 'node:path';
import { root } from './lib/places.mjs';

/** Built apart, to one file beside the programs that load it. */
const platformClient = 'apps/server/src/platform/platform-client.ts';
const platformClientFile = 'platform-client.cjs';

/** What cannot go into one file: parts in machine code, workers, and what is never installed. */
const outside = ['argon2', 'workerpool', 'highs', 'pg-native', 'pg-hstore'];

const common = {
  absWorkingDir: root,
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  sourcemap: true,
  minifyWhitespace: true,
  keepNames: true,
  logLevel: 'warning',
  external: [...outside, `./${platformClientFile}`],
  // packages that are modules of the older kind ask for Node's own parts in their way
  banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
  plugins: [
    {
      name: 'platform-client-beside',
      setup(b) {
        // asked for in the older way: an import would read the whole file once more for the names in it
        b.onResolve({ filter: /^\.\/platform-client$/ }, () => ({ path: platformClientFile, namespace: 'beside' }));
        b.onLoad({ filter: /./, namespace: 'beside' }, ({ path }) => ({
          contents: `module.exports = require('./${path}')`,
        }));
      },
    },
  ],
  outExtension: { '.js': '.mjs' },
};

/** The platform's own client, beside what loads it. */
const buildPlatformClient = (folder) =>
  build({
    absWorkingDir: root,
    entryPoints: [platformClient],
    bundle: true,
    platform: 'node',
    format: 'cjs',
    target: 'node20',
    logLevel: 'error',
    outfile: `${folder}/${platformClientFile}`,
    minify: true,
    keepNames: true,
  });

/** Server and stand-ins, in about a second. */
export async function buildPrograms() {
  await Promise.all([
    build({
      ...common,
      entryPoints: [
        'apps/server/src/main.ts',
        'apps/server/src/testing/kill-harness.ts',
        'apps/server/src/manifests/reading-worker.ts',
      ],
      outdir: 'apps/server/dist',
      entryNames: '[name]',
    }),
    build({ ...common, entryPoints: ['apps/standins/src/main.ts'], outdir: 'apps/standins/dist' }),
    buildPlatformClient('apps/server/dist'),
  ]);
}

/** The benches of what is computed. */
export async function buildBench() {
  await buildPlatformClient('packages/core/dist');
  await build({
    ...common,
    entryPoints: [
      'packages/core/src/placement/decisions.bench.ts',
      'packages/core/src/placement/placing.bench.ts',
      'packages/core/src/shares/carving.bench.ts',
      'packages/core/src/applications/starting.bench.ts',
      'apps/web/src/moorings/trying.bench.ts',
      'apps/server/src/testing/fuzz-harness.ts',
      'apps/server/src/testing/listing-harness.ts',
      'apps/server/src/testing/applications-harness.ts',
      'apps/server/src/testing/usage-harness.ts',
      'apps/server/src/testing/site-harness.ts',
      'packages/core/src/usage/trend.bench.ts',
      'packages/core/src/usage/forecast.bench.ts',
    ],
    outdir: 'packages/core/dist',
    outbase: '.',
    entryNames: '[name]',
  });
}

/** The interface. */
export async function buildWeb() {
  const vite = await import('vite');
  await vite.build({ root: join(root, 'apps/web'), logLevel: 'warn' });
}

if (process.argv[1]?.endsWith('build.mjs')) {
  await buildPrograms();
  await buildWeb();
}
