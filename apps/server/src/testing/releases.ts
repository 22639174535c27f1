import { Database } from '../database/database';
import { migrations } from '../database/migrations';
import { makeDatabase, type TestDatabase } from './databases';

/** Keys what a migration digests. */
export const secret = Buffer.alloc(32, 7);

/** Databases as releases left them. */
export function releases() {
  const made: TestDatabase[] = [];
  const open: Database[] = [];
  /** Another connection to one of them, or to one that is empty. */
  async function connect(from?: TestDatabase): Promise<Database> {
    const at = from ?? (await makeDatabase());
    if (!from) made.push(at);
    const database = new Database(at.url);
    open.push(database);
    return database;
  }
  return {
    connect,
    /** A database as a release left it, whose last migration was the `count`th. */
    async releaseOf(count: number): Promise<{ at: TestDatabase; database: Database }> {
      const at = await makeDatabase();
      made.push(at);
      const database = await connect(at);
      await database.rows('CREATE TABLE migrations (name text PRIMARY KEY)');
      for (const { name, up } of migrations.slice(0, count)) {
        await up(database, secret);
        await database.rows('INSERT INTO migrations VALUES ($1)', [name]);
      }
      return { at, database };
    },
    /** A database of its own with what another holds; nobody may be connected to that. */
    async copyOf(other: TestDatabase): Promise<TestDatabase> {
      const copy = await makeDatabase(new URL(other.url).pathname.slice(1));
      made.push(copy);
      return copy;
    },
    async dropAll(): Promise<void> {
      for (const database of open.splice(0)) await database.close().catch(() => undefined);
      for (const database of made.splice(0)) await database.drop();
    },
  };
}
