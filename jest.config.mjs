import { installedIn } from './tools/lib/installed.mjs';

/** One Jest project for each kind of test: pure, with a database and stand-ins, and in the real browser. */
const transform = {
  '^.+\\.(t|j|mj)sx?$': [
    '@swc/jest',
    {
      jsc: {
        target: 'es2022',
        parser: { syntax: 'typescript', tsx: true },
        transform: { react: { runtime: 'automatic' } },
      },
      module: { type: 'commonjs' },
      sourceMaps: 'inline',
    },
  ],
};
// these packages ship only ES modules, which Jest takes after a change of form
const esm = ['@seriousme', 'ajv-draft-04', 'get-port'];
const common = {
  transform,
  transformIgnorePatterns: [`/node_modules/(?!(${esm.join('|')})/)`],
  testEnvironment: 'node',
  moduleFileExtensions: ['ts', 'tsx', 'js', 'mjs', 'json'],
  extensionsToTreatAsEsm: [],
};
// as the built server has it: one file that loads in a tenth of the time
const platformClient = { '^\\./platform-client$': '<rootDir>/apps/server/dist/platform-client.cjs' };
const node = { ...common, moduleNameMapper: { ...platformClient, ...installedIn('node') } };

export default {
  projects: [
    {
      ...node,
      displayName: 'unit',
      testMatch: [
        '<rootDir>/packages/**/*.test.ts',
        '<rootDir>/apps/web/**/*.test.ts',
        '<rootDir>/apps/standins/**/*.test.ts',
      ],
    },
    {
      ...common,
      displayName: 'interface',
      testEnvironment: 'jsdom',
      testMatch: ['<rootDir>/apps/web/**/*.test.tsx'],
      moduleNameMapper: { ...installedIn('browser'), '\\.css$': '<rootDir>/apps/web/src/testing/no-style.ts' },
      setupFiles: ['<rootDir>/apps/web/src/testing/browser.ts'],
    },
    { ...node, displayName: 'server', testMatch: ['<rootDir>/apps/server/**/*.test.ts'] },
    { ...node, displayName: 'journeys', testMatch: ['<rootDir>/tests/journeys/**/*.test.ts'] },
  ],
  testTimeout: 300000,
};
