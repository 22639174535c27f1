import type { Person } from '@moorage/contract/people';
import { hash, verify } from 'argon2';
import type { Estate } from '../config';
import type { Database } from '../database/database';
import { people } from './person-model';

/** Adds the people of the estate who are missing; those who are there keep what they have. `cost` is what a password costs to try. */
export async function ensurePeople(
  database: Database,
  wanted: Estate['people'],
  cost?: Parameters<typeof hash>[1],
): Promise<void> {
  const rows = await people.in(database).findAll({
    attributes: ['name'],
    where: { name: wanted.map((p) => p.name) },
    limit: wanted.length,
  });
  const known = new Set(rows.map((p) => p.name));
  for (const { password, ...person } of wanted.filter((p) => !known.has(p.name)))
    await people
      .in(database)
      .bulkCreate([{ ...person, passwordHash: await hash(password, cost) }], { ignoreDuplicates: true });
}

// compared against when the name is unknown, so that the answer takes as long as for a known one
let decoy: Promise<string> | undefined;

/** The person with this name and password, or undefined. */
export async function findBySignIn(database: Database, name: string, password: string): Promise<Person | undefined> {
  const row = await people.in(database).findByPk(name);
  const right = await verify(row?.passwordHash ?? (await (decoy ??= hash('nobody'))), password);
  if (!row || !right) return undefined;
  return { name: row.name, title: row.title, role: row.role, namespaces: row.namespaces };
}
