import { Writable } from 'node:stream';
import type { ClaimExportQuery, ClaimRow } from '@moorage/contract/claims';
import { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import { Sight } from '../people/sight';
import { migratedDatabase } from '../testing/databases';
import { exportClaims } from './export';

let made: Awaited<ReturnType<typeof migratedDatabase>>;
beforeAll(async () => {
  made = await migratedDatabase();
  const rows = Array.from({ length: 1203 }, (_, i) => {
    const name = `log-${String(i).padStart(4, '0')}`;
    const namespace = i % 3 === 0 ? 'ferry-desk' : 'tide-gauges';
    return {
      ...{ plural: 'persistentvolumeclaims' as const, uid: `u-${i}`, namespace, name, version: '1' },
      body: { metadata: { name }, spec: { accessModes: ['ReadWriteOnce'] } },
      ...{ className: i === 0 ? '=1+1' : 'a "b", c', phase: 'Pending', sizeBytes: 5, createdAt: new Date(1e12 + i) },
    };
  });
  await platformObjects.in(made.database).bulkCreate(rows);
}, 60_000);
afterAll(() => made.end());

/** What was written, and whether it came to its end. */
async function written(
  part: Partial<ClaimExportQuery>,
  sight = Sight.everything,
  database = made.database,
  most = Infinity,
) {
  const texts: string[] = [];
  const to = new Writable({
    highWaterMark: 64,
    write(chunk: Buffer, _encoding, done) {
      texts.push(chunk.toString());
      if (texts.length >= most) void database.close();
      setImmediate(done);
    },
  });
  const ended = new Promise<boolean>((resolve) => {
    to.on('finish', () => resolve(true));
    to.on('error', () => resolve(false));
  });
  const problem = await exportClaims(
    database,
    sight,
    { format: 'csv', sort: 'name', direction: 'asc', ...part },
    to,
  ).then(
    () => undefined,
    (error: unknown) => error,
  );
  return { text: texts.join(''), whole: await ended, problem };
}

test('CSV holds every claim of all pages once, quoted where it must be, and no formula', async () => {
  const { text, whole } = await written({});
  const lines = text.trimEnd().split('\r\n');
  expect([whole, lines.length, lines[0]!.split(',').slice(0, 3)]).toEqual([
    true,
    1204,
    ['namespace', 'claim', 'class'],
  ]);
  expect(lines[1]).toMatch(/^ferry-desk,log-0000,'=1\+1,no-class,5,,,ReadWriteOnce,Filesystem,/);
  expect(lines[2]).toMatch(/^tide-gauges,log-0001,"a ""b"", c",/);
  expect(new Set(lines).size).toBe(1204);
});

test('JSON is a list of the same rows, filtered as the list is, and one of none', async () => {
  const { text } = await written({ format: 'json', namespace: 'tide-gauges' });
  const rows = JSON.parse(text) as ClaimRow[];
  expect([rows.length, rows.every((r) => r.namespace === 'tide-gauges')]).toEqual([802, true]);
  expect(JSON.parse((await written({ format: 'json', q: 'nothing like it' })).text)).toEqual([]);
});

test('who sees some namespaces alone gets the claims of these alone', async () => {
  const owner = Sight.of({ name: 'ivo', title: 'Ivo', role: 'namespace-owner', namespaces: ['ferry-desk'] });
  expect((await written({}, owner)).text.trimEnd().split('\r\n')).toHaveLength(1 + 401);
});

test('what fails half way ends short, and is not taken for whole', async () => {
  const { text, whole, problem } = await written({}, Sight.everything, new Database(made.url), 20);
  expect([whole, problem instanceof Error]).toEqual([false, true]);
  expect(text.split('\r\n').length).toBeLessThan(1203);
});
