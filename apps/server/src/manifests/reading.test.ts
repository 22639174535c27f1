import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { Caller, makeWorld, type World } from '../testing/world';
import { ManifestReader } from './reading';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await new Caller(server.url).signIn();
});
afterAll(() => world.end());

const hostile: [string, string][] = [
  ['2,000 nested sequences', '['.repeat(2000)],
  ['10,000 members', Array.from({ length: 10_000 }, (_, i) => `key${i}: v`).join('\n')],
  ['12,000 anchors', Array.from({ length: 12_000 }, (_, i) => `- &a${i} x`).join('\n')],
  ['40,000 doubled members', 'a: 1\n'.repeat(40_000)],
  [
    'aliases of aliases',
    `a: &a [x,x,x,x,x,x,x,x,x]\n${'bcdefghi'
      .split('')
      .map((k, i) => `${k}: &${k} [${Array(9).fill(`*${'abcdefgh'[i]}`).join(',')}]`)
      .join('\n')}`,
  ],
];

test.each(hostile)('%s, sent twice, are refused by line and the server lives on', async (_name, text) => {
  for (let i = 0; i < 2; i++) {
    const { status, data } = await maren.call<Problem>('POST', '/api/manifests', { text });
    expect([status, data.code]).toEqual([422, 'invalid']);
    expect(data.detail).toMatch(/line \d+/);
  }
  expect((await maren.call('GET', '/api/session')).status).toBe(200);
});

test('a text that takes too long is stopped, and the next one is read', async () => {
  const reader = new ManifestReader(join(__dirname, '../../dist'), 1);
  const many = Array.from({ length: 150 }, (_, i) => `kind: Secret\nmetadata: {name: x${i}}`).join('\n---\n');
  await expect(reader.read(many)).rejects.toMatchObject({ kind: 'invalid', field: 'text' });
  await reader.stop();
  const patient = new ManifestReader(join(__dirname, '../../dist'));
  expect(await patient.read('kind: Secret\nmetadata: {name: x}')).toMatchObject([{ what: 'other', name: 'x' }]);
  await patient.stop();
});

test('a thread that is slow to start takes none of the time that reading may', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'moorage-reading-'));
  const real = pathToFileURL(join(__dirname, '../../dist/reading-worker.mjs')).href;
  writeFileSync(
    join(folder, 'reading-worker.mjs'),
    `await new Promise((resolve) => setTimeout(resolve, 2500));\nawait import(${JSON.stringify(real)});\n`,
  );
  const reader = new ManifestReader(folder, 2000);
  expect(await reader.read('kind: Secret\nmetadata: {name: x}')).toMatchObject([{ what: 'other', name: 'x' }]);
  await reader.stop();
  rmSync(folder, { recursive: true });
});
