import { Cookie, type SessionData } from 'express-session';
import pg from 'pg';
import pino from 'pino';
import type { Request } from 'express';
import { people } from '../people/person-model';
import { migratedDatabase } from '../testing/databases';
import { SessionStore, sessionMs } from './sessions';

let made: Awaited<ReturnType<typeof migratedDatabase>>;
let pool: pg.Pool;
let store: SessionStore;
let now = 0;
const minute = 60_000;

beforeAll(async () => {
  made = await migratedDatabase();
  pool = new pg.Pool({ connectionString: made.url, max: 2 });
});
afterAll(async () => {
  await pool.end();
  await made.end();
});
beforeEach(() => {
  now = Date.now();
  store = new SessionStore(pool, made.database, pino({ level: 'silent' }), () => now);
});
afterEach(() => store.close());

const data = (at = now): SessionData => {
  const cookie = new Cookie();
  cookie.expires = new Date(at + sessionMs);
  return { cookie, person: 'maren' };
};
const set = (sid: string) =>
  new Promise<void>((resolve, reject) => store.set(sid, data(), (e: unknown) => (e ? reject(e as Error) : resolve())));
const touch = (sid: string) => new Promise<void>((resolve) => store.touch(sid, data(), resolve));
const get = (sid: string) =>
  new Promise<SessionData | null | undefined>((resolve, reject) =>
    store.get(sid, (e: unknown, found) => (e ? reject(e as Error) : resolve(found))),
  );
const destroy = (sid: string) => new Promise<void>((resolve) => store.destroy(sid, () => resolve()));
/** Minutes until a session ends, seen from when the test began. */
const endsIn = async (sid: string, from: number) => {
  const { rows } = await pool.query<{ expire: Date }>('SELECT expire FROM session WHERE sid = $1', [sid]);
  return Math.round((rows[0]!.expire.getTime() - from) / minute);
};

test('the end of a session that is used is put off, not with each request, and by each server for itself', async () => {
  const from = now;
  await set('used');
  expect(await endsIn('used', from)).toBe(720);
  now += minute;
  await touch('used');
  expect(await endsIn('used', from)).toBe(721);
  now += 9 * minute;
  await touch('used');
  expect(await endsIn('used', from)).toBe(721);
  now += minute;
  await touch('used');
  expect(await endsIn('used', from)).toBe(731);
  const other = new SessionStore(pool, made.database, pino({ level: 'silent' }), () => now + minute);
  await new Promise<void>((resolve) => other.touch('used', data(now + minute), resolve));
  other.close();
  expect(await endsIn('used', from)).toBe(732);
});

test('a session that was ended is not there again because it was used meanwhile', async () => {
  await set('ended');
  expect((await get('ended'))?.person).toBe('maren');
  await destroy('ended');
  await touch('ended');
  expect(await get('ended')).toBeFalsy();
});

describe('whom a request is of', () => {
  const request = () => ({}) as unknown as Request;
  const ofSession = async (sid: string) => {
    const [read, asked] = [await get(sid), request()];
    if (read) store.createSession(asked, read);
    return store.personOf(asked);
  };
  beforeAll(() =>
    people.in(made.database).create({
      ...{ name: 'maren', title: 'Maren', role: 'operator', namespaces: ['ferry-desk'], passwordHash: 'sealed' },
    }),
  );

  test('is read with the session, as the person is at that moment, and never with the password', async () => {
    await set('mine');
    expect(await ofSession('mine')).toEqual({
      ...{ name: 'maren', title: 'Maren', role: 'operator', namespaces: ['ferry-desk'] },
    });
    await people.in(made.database).update({ role: 'viewer', namespaces: [] }, { where: { name: 'maren' } });
    expect(await ofSession('mine')).toMatchObject({ role: 'viewer', namespaces: [] });
  });

  test('is nobody without a session, after its end, and when the person is no longer there', async () => {
    expect(await ofSession('never')).toBeUndefined();
    expect(store.personOf(request())).toBeUndefined();
    await set('over');
    await pool.query(`UPDATE session SET expire = now() - interval '1 second' WHERE sid = 'over'`);
    expect(await ofSession('over')).toBeUndefined();
    await set('left');
    await people.in(made.database).destroy({ where: { name: 'maren' } });
    expect(await get('left')).toMatchObject({ person: 'maren' });
    expect(await ofSession('left')).toBeUndefined();
  });

  test('a database that does not answer is told as that, not as nobody', async () => {
    await pool.query('ALTER TABLE session RENAME TO away');
    await expect(get('mine')).rejects.toThrow(/session/);
    await pool.query('ALTER TABLE away RENAME TO session');
  });
});
