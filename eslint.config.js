import js from '@eslint/js';
import globals from 'globals';
import hooks from 'eslint-plugin-react-hooks';
import ts from 'typescript-eslint';

/** Arrows run one way: core ← contract ← server, web; standins know only core's sizes; nothing imports an app. */
const forbid = (...patterns) => ({ 'no-restricted-imports': ['error', { patterns }] });
const apps = {
  group: ['@moorage/server/*', '@moorage/web/*', '@moorage/standins/*'],
  message: 'Nothing imports an app.',
};
const contract = { group: ['@moorage/contract/*'], message: 'The contract stands above this package.' };
const io = {
  group: ['node:*', 'react', 'react-*', '@mui/*', 'express', 'sequelize', 'pg'],
  message: 'The core is pure: no I/O and no interface code.',
};

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
  { files: ['packages/contract/src/**/*.ts'], rules: forbid(apps, io) },
  { files: ['apps/server/src/**/*.ts'], ignores: ['**/*.test.ts', '**/testing/**'], rules: forbid(apps) },
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
