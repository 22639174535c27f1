import { createHash, randomBytes, randomUUID } from 'node:crypto';
import type { Person } from '@moorage/contract/people';
import type { MadeToken, NewToken, Token } from '@moorage/contract/tokens';
import { Op } from 'sequelize';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { record } from '../logbook/logbook';
import { Refusal } from '../refusals/refusal';
import { Sight } from '../people/sight';
import { tokens } from './token-model';
import { tokenOf } from './tokens.sql';

/** Tokens of one person that still read, at most. */
const mostTokens = 100;
const mostListed = 1000;
const dayMs = 24 * 3_600_000;

/** Of what is random in full length, a plain digest tells nothing. */
const digestOf = (secret: string): Buffer => createHash('sha256').update(secret).digest();

type Row = Awaited<ReturnType<typeof rowsOf>>[number];
const rowsOf = (database: Database, where: { person?: string }) =>
  tokens.in(database).findAll({ where, order: [['createdAt', 'DESC'], 'id'], limit: mostListed });
const told = (row: Row): Token => ({
  ...{ id: row.id, name: row.name, namespaces: row.namespaces, person: row.person },
  ...{ createdAt: row.createdAt.toISOString(), expiresAt: row.expiresAt.toISOString() },
  ...{ revokedAt: row.revokedAt?.toISOString() ?? null, usedAt: row.usedAt?.toISOString() ?? null },
});

/** The own tokens, newest first; everybody's for administrators. */
export const listTokens = async (database: Database, person: Person): Promise<Token[]> =>
  (await rowsOf(database, person.role === 'administrator' ? {} : { person: person.name })).map(told);

/** Makes a token that reads what whoever makes it sees, or less. Its secret is told here and nowhere else. */
export async function makeToken(database: Database, asked: NewToken, person: Person): Promise<MadeToken> {
  const sight = Sight.of(person);
  const strange = asked.namespaces?.find((n) => !sight.sees(n));
  if (strange !== undefined) throw Refusal.notFound('namespace', strange);
  const secret = `moorage_${randomBytes(32).toString('base64url')}`;
  return database.transaction(async () => {
    const table = tokens.in(database);
    const live = { person: person.name, revokedAt: null, expiresAt: { [Op.gt]: new Date() } };
    if ((await table.count({ where: live })) >= mostTokens)
      throw new Refusal('conflict', 'too-many', 'Too many tokens', `You have ${mostTokens} tokens. Revoke one first.`);
    const row = await table.create({
      ...{ id: randomUUID(), name: asked.name, digest: digestOf(secret), namespaces: asked.namespaces },
      ...{ person: person.name, expiresAt: new Date(Date.now() + asked.days * dayMs) },
    });
    await record(database, {
      ...{ person: person.name, action: 'create', kind: 'token', subject: asked.name },
      after: { namespaces: asked.namespaces, expiresAt: row.expiresAt },
    });
    return { ...told(row), secret };
  });
}

/** Lets a token read nothing any more. */
export async function revokeToken(database: Database, id: string, person: Person): Promise<void> {
  await database.transaction(async () => {
    const row = await tokens.in(database).findByPk(id, { lock: true });
    if (!row || (row.person !== person.name && person.role !== 'administrator')) throw Refusal.notFound('token', id);
    if (row.revokedAt !== null && row.revokedAt !== undefined) return;
    await row.update({ revokedAt: new Date() });
    await record(database, { person: person.name, action: 'delete', kind: 'token', subject: row.name });
  });
}

/** Who reads with a secret: never more than whoever made it may see now. */
export async function personOfToken(database: Database, secret: string): Promise<Person | undefined> {
  const found = await first(tokenOf(database, digestOf(secret)));
  if (!found) return undefined;
  const { name, namespaces, role, own } = found;
  const scope =
    role !== 'namespace-owner' ? namespaces : (namespaces ?? own).filter((namespace) => own.includes(namespace));
  const reads = { name: `token ${name}`, title: name };
  return scope === null
    ? { ...reads, role: 'viewer', namespaces: [] }
    : { ...reads, role: 'namespace-owner', namespaces: scope };
}
