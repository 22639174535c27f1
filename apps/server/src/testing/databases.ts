import { createHash, randomBytes } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import pg from 'pg';
import pino from 'pino';
import type { Estate } from '../config';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { OperationQueue } from '../operations/queue';
import { ensurePeople } from '../people/people';

const adminUrl = (): string => {
  const url = process.env.MOORAGE_TEST_POSTGRES;
  if (!url)
    throw new Error(
      'MOORAGE_TEST_POSTGRES is not set: run the tests with npm test or npm run check, which start PostgreSQL.',
    );
  return url;
};
const urlOf = (name: string): string => {
  const url = new URL(adminUrl());
  url.pathname = `/${name}`;
  return url.toString();
};

async function administer<T>(work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client({ connectionString: adminUrl() });
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
  }
}

export interface TestDatabase {
  readonly url: string;
  drop(): Promise<void>;
}

/** A database of its own: empty, or a copy of another. */
export async function makeDatabase(template?: string): Promise<TestDatabase> {
  const name = `test_${randomBytes(6).toString('hex')}`;
  await administer((client) => client.query(`CREATE DATABASE ${name}${template ? ` TEMPLATE ${template}` : ''}`));
  return {
    url: urlOf(name),
    drop: () => administer(async (client) => void (await client.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`))),
  };
}

const rooms = ['../database', '../operations'].map((room) => join(__dirname, room));

/**
 * The name of a database as it is after a first start, made once for all tests: migrated, with the queue, and with these people,
 * whose passwords are hashed cheaply.
 */
export async function preparedDatabase(people: Estate['people']): Promise<string> {
  const digest = createHash('sha256').update(JSON.stringify(people));
  for (const room of rooms) for (const file of readdirSync(room).sort()) digest.update(readFileSync(join(room, file)));
  const name = `prepared_${digest.digest('hex').slice(0, 16)}`;
  await administer(async (client) => {
    await client.query('SELECT pg_advisory_lock(4499)');
    if ((await client.query('SELECT 1 FROM pg_database WHERE datname = $1', [name])).rowCount) return;
    const making = `${name}_making`;
    await client.query(`DROP DATABASE IF EXISTS ${making} WITH (FORCE)`);
    await client.query(`CREATE DATABASE ${making}`);
    await prepare(urlOf(making), people);
    await client.query(`ALTER DATABASE ${making} RENAME TO ${name}`);
  });
  return name;
}

async function prepare(url: string, people: Estate['people']): Promise<void> {
  const database = new Database(url);
  await migrate(database, randomBytes(32));
  await ensurePeople(database, people, { timeCost: 2, memoryCost: 1024, parallelism: 1 });
  await database.close();
  const queue = new OperationQueue(url, pino({ level: 'silent' }));
  await queue.start();
  await queue.stop();
}

/** A database of its own with today's tables, empty. */
export async function migratedDatabase(): Promise<{
  readonly database: Database;
  readonly url: string;
  end(): Promise<void>;
}> {
  const made = await makeDatabase();
  const database = new Database(made.url);
  await migrate(database, Buffer.alloc(32, 7));
  return {
    database,
    url: made.url,
    end: async () => {
      await database.close();
      await made.drop();
    },
  };
}
