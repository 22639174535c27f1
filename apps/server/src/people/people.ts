import { hash, verify } from 'argon2';
import type { Person } from '@moorage/contract/people';
import type { Estate } from '../config';
import type { Database } from '../database/database';

interface PersonRow extends Person {
  password_hash: string;
}

/** Adds the people of the estate who are missing; those who are there keep what they have. `cost` is what a password costs to try. */
export async function ensurePeople(
  database: Database,
  people: Estate['people'],
  cost?: Parameters<typeof hash>[1],
): Promise<void> {
  const known = new Set((await database.rows<{ name: string }>('SELECT name FROM people')).map((p) => p.name));
  for (const person of people.filter((p) => !known.has(p.name)))
    await database.rows(
      `INSERT INTO people (name, title, role, namespaces, password_hash) VALUES ($1, $2, $3, $4, $5)
       ON CONFLICT (name) DO NOTHING`,
      [person.name, person.title, person.role, person.namespaces, await hash(person.password, cost)],
    );
}

// compared against when the name is unknown, so that the answer takes as long as for a known one
let decoy: Promise<string> | undefined;

/** The person with this name and password, or undefined. */
export async function findBySignIn(database: Database, name: string, password: string): Promise<Person | undefined> {
  const row = await database.one<PersonRow>(
    'SELECT name, title, role, namespaces, password_hash FROM people WHERE name = $1',
    [name],
  );
  const right = await verify(row?.password_hash ?? (await (decoy ??= hash('nobody'))), password);
  if (!row || !right) return undefined;
  const { password_hash: _hash, ...person } = row;
  return person;
}

export const findPerson = (database: Database, name: string): Promise<Person | undefined> =>
  database.one<Person>('SELECT name, title, role, namespaces FROM people WHERE name = $1', [name]);
