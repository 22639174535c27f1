import { makeDatabase } from '../testing/databases';
import { Database } from './database';
import { statement } from './statement';

let made: Awaited<ReturnType<typeof makeDatabase>>;
let database: Database;
beforeEach(async () => {
  made = await makeDatabase();
  database = new Database(made.url);
  await database.rows('CREATE TABLE things (name text PRIMARY KEY)');
});
afterEach(async () => {
  await database.close();
  await made.drop();
});

const connection = async (): Promise<number> =>
  (await database.one<{ pid: number }>('SELECT pg_backend_pid() AS pid'))!.pid;
/** Something to wait for, and what opens it. */
function gate(): { opened: Promise<void>; open: () => void } {
  let open = () => {};
  const opened = new Promise<void>((resolve) => (open = resolve));
  return { opened, open };
}
const keep = (name: string) => database.rows('INSERT INTO things VALUES ($1)', [name]);
const things = async (): Promise<string[]> =>
  (await database.rows<{ name: string }>('SELECT name FROM things ORDER BY name')).map((t) => t.name);

test('what is called inside a transaction is part of it, however deep', async () => {
  const seen = await database.transaction(async () => {
    const deep = async () => [await connection(), await database.transaction(connection)];
    return [await connection(), ...(await deep()), ...(await Promise.all([connection(), connection()]))];
  });
  expect(new Set(seen).size).toBe(1);
});

test('what fails at the end takes everything with it, the inner transactions too', async () => {
  const failed = database.transaction(async () => {
    await keep('outer');
    await database.transaction(() => keep('inner'));
    throw new Error('at the end');
  });
  await expect(failed).rejects.toThrow('at the end');
  expect(await things()).toEqual([]);
});

test('transactions at the same time know nothing of each other', async () => {
  const [one, other] = [gate(), gate()];
  const first = database.transaction(async () => {
    await keep('first');
    one.open();
    await other.opened;
    expect(await things()).toEqual(['first']);
  });
  await one.opened;
  // written and read outside of it
  expect(await things()).toEqual([]);
  const refused = database.transaction(async () => {
    await keep('second');
    throw new Error('not this one');
  });
  await expect(refused).rejects.toThrow('not this one');
  other.open();
  await first;
  expect(await things()).toEqual(['first']);
});

test('more transactions than connections, each with work inside, all end', async () => {
  await Promise.all(
    Array.from({ length: 64 }, (_, i) =>
      database.transaction(async () => {
        await keep(`a${i}`);
        await database.transaction(() => keep(`b${i}`));
      }),
    ),
  );
  expect(await things()).toHaveLength(128);
});

test('after its end, what it began goes on outside of it', async () => {
  let late: Promise<string[]> | undefined;
  const ended = gate();
  await database.transaction(async () => {
    await keep('kept');
    late = ended.opened.then(things);
  });
  ended.open();
  expect(await late).toEqual(['kept']);
});

describe('what is gathered', () => {
  const sent: (readonly string[])[] = [];
  beforeEach(() => void (sent.length = 0));
  const send = async (_database: Database, values: readonly string[]) => {
    // in the transaction itself: told with its commit, or not at all
    sent.push([...values, ...(await things())]);
  };

  test('is sent once, each value once, before the commit, and with what was done until then', async () => {
    await database.transaction(async () => {
      await database.gather(['a', 'b'], send);
      await database.transaction(() => database.gather(['b', 'c'], send));
      expect(sent).toEqual([]);
      await keep('later');
    });
    expect(sent).toEqual([['a', 'b', 'c', 'later']]);
  });

  test('is sent at once outside of a transaction, and again in the next one', async () => {
    await database.gather(['a'], send);
    expect(sent).toEqual([['a']]);
    await database.transaction(() => database.gather(['a'], send));
    expect(sent).toEqual([['a'], ['a']]);
  });

  test('is not sent when the transaction fails', async () => {
    const failed = database.transaction(async () => {
      await database.gather(['a'], send);
      throw new Error('at the end');
    });
    await expect(failed).rejects.toThrow('at the end');
    await database.transaction(() => Promise.resolve());
    expect(sent).toEqual([]);
  });

  test('takes the transaction with it when it cannot be sent', async () => {
    const failed = database.transaction(async () => {
      await keep('untold');
      await database.gather(['a'], () => Promise.reject(new Error('nobody can be told')));
    });
    await expect(failed).rejects.toThrow('nobody can be told');
    expect(await things()).toEqual([]);
  });

  test('is not lost when it comes after the end, from work that nobody waited for', async () => {
    const { opened, open } = gate();
    let late: Promise<void> | undefined;
    await database.transaction(() => {
      late = opened.then(() => database.gather(['late'], () => Promise.reject(new Error('asked to send'))));
      return Promise.resolve();
    });
    open();
    await expect(late).rejects.toThrow('asked to send');
  });

  test('of two transactions at once stays apart', async () => {
    const { opened, open } = gate();
    const first = database.transaction(async () => {
      await database.gather(['of the first'], send);
      await opened;
    });
    await database.transaction(() => database.gather(['of the second'], send));
    expect(sent).toEqual([['of the second']]);
    open();
    await first;
    expect(sent).toEqual([['of the second'], ['of the first']]);
  });
});

describe('a statement that is planned once', () => {
  const keepOnce = statement<{ name: string }, [name: string]>(
    'INSERT INTO things VALUES ($1) RETURNING name',
    'planned once',
  );
  const found = statement<{ name: string | null; n: number }, [name: string | undefined, n: number]>(
    'SELECT (SELECT name FROM things WHERE name = $1) AS name, $2::int AS n',
    'planned once',
  );

  test('is known to its connection by a name, and answers for whatever values', async () => {
    await database.transaction(async () => {
      await keepOnce(database, 'a');
      await keepOnce(database, 'b');
      expect(await found(database, 'b', 1)).toEqual([{ name: 'b', n: 1 }]);
      expect(await found(database, undefined, 2)).toEqual([{ name: null, n: 2 }]);
      const prepared = await database.rows<{ statement: string }>('SELECT statement FROM pg_prepared_statements');
      expect(prepared.map((p) => p.statement).sort()).toEqual([keepOnce.text, found.text].sort());
    });
    expect(await things()).toEqual(['a', 'b']);
  });

  test('serves many at once, each on its own connection', async () => {
    const names = Array.from({ length: 60 }, (_, i) => `n${i}`);
    await Promise.all(names.map((name) => keepOnce(database, name)));
    expect(await things()).toEqual([...names].sort());
    const read = await Promise.all(names.map((name, i) => found(database, name, i)));
    expect(read).toEqual(names.map((name, i) => [{ name, n: i }]));
  });

  test('goes on after it was refused, and tells why as any other', async () => {
    await keepOnce(database, 'a');
    await expect(keepOnce(database, 'a')).rejects.toMatchObject({ original: { code: '23505' } });
    const failed = database.transaction(async () => {
      await keepOnce(database, 'b');
      await keepOnce(database, 'a');
    });
    await expect(failed).rejects.toMatchObject({ original: { code: '23505' } });
    await keepOnce(database, 'c');
    expect(await things()).toEqual(['a', 'c']);
  });

  test('is planned anew when its table changes under it', async () => {
    const all = statement<{ name: string }, [name: string]>('SELECT * FROM things WHERE name = $1', 'planned once');
    await keep('a');
    expect(await all(database, 'a')).toEqual([{ name: 'a' }]);
    await database.rows('ALTER TABLE things ADD COLUMN size int DEFAULT 7');
    expect(await all(database, 'a')).toEqual([{ name: 'a', size: 7 }]);
  });
});
