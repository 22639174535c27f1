import { AsyncLocalStorage } from 'node:async_hooks';
import pg from 'pg';
import { ConnectionError, QueryTypes, Sequelize, type Transaction } from 'sequelize';

// int64 arrives as text: every one of ours is a safe integer, converted once, here
pg.types.setTypeParser(pg.types.builtins.INT8, Number);

// the transaction under way passes by itself to whatever is called inside it, so that nothing in there takes a second connection
const underWay = new AsyncLocalStorage<Map<string, unknown>>();
Sequelize.useCLS({
  run: (work: (context: unknown) => unknown) => underWay.run(new Map(), () => work(undefined)),
  bind: (work: unknown) => work,
  get: (key: string) => underWay.getStore()?.get(key),
  set: (key: string, value: unknown) => underWay.getStore()?.set(key, value),
});

/** Statements that PostgreSQL plans once for each connection. */
export const plannedOnce = new Set<string>();

type Done = (error: { code?: string } | null | undefined, result?: unknown) => void;
type Query = (text: unknown, values?: unknown, done?: Done) => unknown;
/** What the plan of a statement gives is no longer what it gave when it was planned: the table was changed meanwhile. */
const planIsOld = '0A000';

/** Lets a connection give those statements a name, by which PostgreSQL knows their plan. */
function nameStatements(connection: unknown): void {
  const client = connection as { query: Query };
  const query: Query = client.query.bind(client);
  const names = new Map<string, string>();
  let given = 0;
  client.query = (text, values, done) => {
    if (typeof text !== 'string' || !plannedOnce.has(text) || !Array.isArray(values) || !done)
      return query(text, values, done);
    const name = names.get(text) ?? `s${++given}`;
    names.set(text, name);
    return query({ name, text, values }, (error: { code?: string } | null | undefined, result: unknown) => {
      if (error?.code !== planIsOld) return done(error, result);
      names.delete(text);
      // a transaction that it ended stays ended, and is told the first reason
      query(text, values, (again, anew) => done(again ? error : again, anew));
    });
  };
}

type Send = (database: Database, values: readonly string[]) => Promise<void>;

/** What the transaction under way has still to send; undefined outside of one. */
function gathered(): Map<Send, ReadonlySet<string>> | undefined {
  const context = underWay.getStore();
  if (!context?.get('transaction') || context.get('sent')) return undefined;
  const known = context.get('gathered') as Map<Send, ReadonlySet<string>> | undefined;
  if (known) return known;
  const fresh = new Map<Send, ReadonlySet<string>>();
  context.set('gathered', fresh);
  return fresh;
}

/** PostgreSQL through Sequelize: statements with bound values, and transactions. */
export class Database {
  readonly sequelize: Sequelize;

  constructor(url: string) {
    this.sequelize = new Sequelize(url, {
      dialect: 'postgres',
      dialectModule: pg,
      logging: false,
      pool: { max: 16, acquire: 15_000, idle: 30_000 },
    });
    this.sequelize.addHook('afterConnect', nameStatements);
  }

  /** Rows of a statement, `RETURNING` rows of a change included. Values are bound as $1, $2 … */
  async rows<T extends object>(sql: string, bind: readonly unknown[] = []): Promise<T[]> {
    return this.sequelize.query<T>(sql, {
      bind: bind.map((v) => (v === undefined ? null : v)),
      type: QueryTypes.SELECT,
    });
  }

  async one<T extends object>(sql: string, bind: readonly unknown[] = []): Promise<T | undefined> {
    return (await this.rows<T>(sql, bind))[0];
  }

  /** All or nothing of what is done inside. Inside another it is a part of that one. */
  transaction<T>(work: () => Promise<T>): Promise<T> {
    const outer = underWay.getStore()?.get('transaction') as Transaction | null | undefined;
    if (outer) return work();
    return this.sequelize.transaction(async () => {
      const done = await work();
      const toSend = [...(gathered() ?? [])];
      // what comes later still, from work that nobody waited for, is told at once, or fails as all of it does
      underWay.getStore()?.set('sent', true);
      for (const [send, values] of toSend) await send(this, [...values]);
      return done;
    });
  }

  /** Sends values: at once, or, inside a transaction, together with all others that it gathers, each once, before its commit. */
  async gather(values: readonly string[], send: Send): Promise<void> {
    const all = gathered();
    if (!all) return send(this, values);
    all.set(send, new Set([...(all.get(send) ?? []), ...values]));
  }

  close(): Promise<void> {
    return this.sequelize.close();
  }
}

/** Whether an error means that PostgreSQL is not there, rather than that a statement is wrong. */
export function isDatabaseGone(error: unknown): boolean {
  if (error instanceof ConnectionError) return true;
  const { code, original } = error as { code?: string; original?: { code?: string; message?: string } };
  const gone = /^(ECONNREFUSED|ECONNRESET|EPIPE|57P0[123]|08\w{3})$/;
  return gone.test(code ?? '') || gone.test(original?.code ?? '') || /terminated/.test(original?.message ?? '');
}

/**
 * Whether PostgreSQL turned a statement back because another change met it: each waited for the other, or what it refers to had
 * just been deleted. Its transaction left nothing.
 */
export function metAnother(error: unknown): boolean {
  const { original } = error as { original?: { code?: string } };
  return /^(40P01|40001|23503)$/.test(original?.code ?? '');
}
