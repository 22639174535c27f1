import { readdirSync } from 'node:fs';
import js from '@eslint/js';
import globals from 'globals';
import hooks from 'eslint-plugin-react-hooks';
import ts from 'typescript-eslint';

/** Arrows run one way: core ← contract ← manifests ← server, web; standins know only core's sizes; nothing imports an app. */
const forbid = (...patterns) => ({ 'no-restricted-imports': ['error', { patterns }] });
const apps = {
  group: ['@moorage/server/*', '@moorage/web/*', '@moorage/standins/*'],
  message: 'Nothing imports an app.',
};
const contract = {
  group: ['@moorage/contract/*', '@moorage/manifests/*'],
  message: 'The contract stands above this package.',
};
const io = {
  group: ['node:*', 'react', 'react-*', '@mui/*', 'express', 'sequelize', 'pg'],
  message: 'The core is pure: no I/O and no interface code.',
};

/** The server's rooms from the ground up: each knows those below it alone. `engine.ts` and `server.ts` stand on top of all. */
const rooms = [
  ...['refusals', 'secrets', 'metrics', 'database', 'people', 'live', 'logbook', 'tokens', 'idempotency', 'operations'],
  ...[
    'platform',
    'mirror',
    'acts',
    'pools',
    'reservations',
    'swordfish',
    'backends',
    'usage',
    'namespaces',
    'past',
    'moorings',
    'classes',
    'forecast',
  ],
  ...[
    'successions',
    'placement',
    'drafts',
    'claims',
    'line',
    'lookup',
    'static-volumes',
    'readiness',
    'reshapes',
    'registration',
    'applications',
    'findings',
    'waste',
  ],
  ...[
    'binder',
    'growth',
    'tuning',
    'copies',
    'instances',
    'rounds',
    'salvage',
    'buckets',
    'drift',
    'manifests',
    'http',
  ],
];
const folders = readdirSync(new URL('apps/server/src', import.meta.url), { withFileTypes: true });
const unlisted = folders.filter((f) => f.isDirectory() && f.name !== 'testing' && !rooms.includes(f.name));
if (unlisted.length > 0) throw new Error(`Say where these rooms stand: ${unlisted.map((f) => f.name).join(', ')}`);
const roomRules = rooms.slice(0, -1).map((room, at) => ({
  files: [`apps/server/src/${room}/**/*.ts`],
  ignores: ['**/*.test.ts'],
  rules: forbid(apps, {
    group: [
      ...rooms.slice(at + 1).map((above) => `../${above}/*`),
      ...(room === 'http' ? [] : ['../engine', '../server']),
    ],
    message: `This stands above ${room}.`,
  }),
}));

export default ts.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.moorage/**', 'coverage/**'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  {
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': 'error',
      eqeqeq: 'error',
      // what does not fit in the head
      'max-lines': ['error', 400],
    },
  },
  {
    files: ['packages/core/src/**/*.ts'],
    rules: {
      ...forbid(apps, contract, io),
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'The clock is handed in.' },
        { object: 'Math', property: 'random', message: 'Randomness is handed in.' },
      ],
    },
  },
  {
    files: ['packages/contract/src/**/*.ts'],
    rules: forbid(apps, io, {
      group: ['@moorage/manifests/*', 'yaml'],
      message: 'The contract holds schemas only; texts are read above it.',
    }),
  },
  { files: ['packages/manifests/src/**/*.ts'], rules: forbid(apps, io) },
  { files: ['apps/server/src/**/*.ts'], ignores: ['**/*.test.ts', '**/testing/**'], rules: forbid(apps) },
  ...roomRules,
  {
    files: ['apps/server/src/**/*.ts'],
    ignores: ['**/*.test.ts', '**/testing/**', '**/*.sql.ts', '**/database/statement.ts', '**/database/migration-*.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        ...["[callee.object.name='database']", "[callee.object.property.name='database']"].map((at) => ({
          selector: `CallExpression[callee.property.name=/^(rows|one)$/]${at}`,
          message: "Rows go through a model, or through a named statement in the room's ….sql.ts.",
        })),
      ],
    },
  },
  {
    files: ['apps/standins/src/**/*.ts'],
    rules: forbid({ group: ['@moorage/server/*', '@moorage/web/*'], message: 'Nothing imports an app.' }, contract, {
      regex: '^@moorage/core/(?!sizes/)',
      message: "Stand-ins import only the core's sizes.",
    }),
  },
  {
    files: ['apps/web/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: { ...forbid(apps), 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
);
