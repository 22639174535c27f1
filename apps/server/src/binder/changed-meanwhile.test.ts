import { provisioner } from '@moorage/core/classes/manifest';
import pg from 'pg';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { advance } from '../operations/operations';
import { makeDatabase } from '../testing/databases';
import { eventually } from '../testing/world';
import { beginBinding } from './begin';
import { claimHeld } from './choose.sql';
import { binding } from './kinds';

let made: Awaited<ReturnType<typeof makeDatabase>>;
let database: Database;
let other: pg.Client;
beforeAll(async () => {
  made = await makeDatabase();
  database = new Database(made.url);
  await migrate(database, Buffer.alloc(32));
  other = new pg.Client(made.url);
  await other.connect();
  const put = (plural: string, uid: string, body: object) =>
    other.query(
      `INSERT INTO platform_objects (plural, uid, namespace, name, version, body, class_name, phase, size_bytes, created_at)
       VALUES ($1, $2, 'tide-gauges', $2, '1', $3, 'later', 'Pending', 1, now())`,
      [plural, uid, JSON.stringify({ metadata: { name: uid }, ...body })],
    );
  await put('storageclasses', 'later', { provisioner });
  await other.query(`UPDATE platform_objects SET name = 'later' WHERE uid = 'later'`);
  await put('persistentvolumeclaims', 'claim-1', { spec: { storageClassName: 'later' } });
});
afterAll(async () => {
  await other.end();
  await database.close();
  await made.drop();
});

test('a claim that changes while it is decided is looked at again: who hears of it waits for the decision', async () => {
  const [id] = await beginBinding(database, ['claim-1']);
  let heard: Promise<unknown> | undefined;
  await database.transaction(async () => {
    await claimHeld(database, 'claim-1');
    // the platform chose a node meanwhile
    heard = other.query(
      `UPDATE platform_objects SET body = jsonb_set(body, '{metadata,annotations}', '{"volume.kubernetes.io/selected-node": "quay-01"}')
       WHERE uid = 'claim-1'`,
    );
    await eventually('the change waits for the decision', async () => {
      const [row] = await database.rows<{ waiting: boolean }>(
        `SELECT EXISTS (SELECT 1 FROM pg_locks WHERE NOT granted) AS waiting`,
      );
      return row!.waiting;
    });
    await advance(database, binding, { id: id!, state: 'deciding' }, 'waiting', { waitingFor: 'first-consumer' });
  });
  await heard;
  // told now, it finds a binding that waits
  expect(await beginBinding(database, ['claim-1'])).toEqual([id]);
});
