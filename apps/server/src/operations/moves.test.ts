import { binding, releasing } from '../binder/kinds';
import type { Database } from '../database/database';
import { reshaping } from '../reshapes/kind';
import { migratedDatabase } from '../testing/databases';
import { endsOf, standing, type Kind } from './kind';
import { operations } from './operation-model';
import { advance, beginOperations, findStranded } from './operations';

let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
});
afterAll(() => end());

const kinds = [binding, releasing, reshaping] as Kind[];
const all = kinds.flatMap(({ states }) => Object.keys(states));
const row = async (id: string) => (await operations.in(database).findByPk(id))!;

describe.each(kinds.map((k) => [k.kind, k] as const))('%s', (kind, declared) => {
  test.each(Object.entries(declared.states).map(([from, { to }]) => [from, to] as const))(
    'from %s goes where it says and nowhere else',
    async (from, legal) => {
      for (const to of all) {
        const { id } = await operations.in(database).create({
          kind,
          subject: `${kind} ${from} ${to}`,
          state: from,
          holds: standing(declared, from).holds,
          waitingFor: 'class',
          error: { code: 'x', detail: 'y' },
          attempts: 3,
          stopped: 'refused',
          nextAttemptAt: new Date(),
        });
        const moved = advance(database, declared, { id, state: from }, to);
        if (legal.includes(to)) {
          expect(await moved).toMatchObject({ id, kind, state: to, attempts: 0, stopped: null });
          const { state, error, nextAttemptAt, waitingFor, resting, endedAt, holds } = await row(id);
          // what went wrong before is over
          expect([state, error, nextAttemptAt, waitingFor]).toEqual([to, null, null, null]);
          // and the row says of itself what the declaration says of the state
          expect({ resting, ended: endedAt !== null, holds }).toEqual(standing(declared, to));
        } else {
          await expect(moved).rejects.toThrow(`from ${from} to ${to}`);
          expect((await row(id)).state).toBe(from);
        }
      }
    },
  );
});

test('who thinks it stands elsewhere moves nothing', async () => {
  const { id } = await operations
    .in(database)
    .create({ kind: 'bind', subject: 'elsewhere', state: 'made', holds: 'bind' });
  expect(await advance(database, binding, { id, state: 'making' }, 'made')).toBeUndefined();
  expect((await row(id)).state).toBe('made');
});

test('what paused an operation goes on pausing it, until it has ended', async () => {
  const { id } = await operations
    .in(database)
    .create({ kind: 'bind', subject: 'paused', state: 'made', holds: 'bind', stopped: 'paused' });
  expect(await advance(database, binding, { id, state: 'made' }, 'written')).toMatchObject({ stopped: 'paused' });
  expect(await advance(database, binding, { id, state: 'written' }, 'bound')).toMatchObject({ stopped: null });
});

test('a subject has one that is open and any number that have ended; of a kind that it has once, one', async () => {
  for (let i = 0; i < 3; i++) {
    const [id] = await beginOperations(database, reshaping, ['pool-1'], { about: 'eddy/pool-1', person: 'tom' });
    expect(await beginOperations(database, reshaping, ['pool-1'])).toEqual([]);
    for (const [state, to] of [
      ['preparing', 'undoing'],
      ['undoing', 'undone'],
    ] as const)
      await advance(database, reshaping, { id: id!, state }, to);
  }
  expect(
    await operations
      .in(database)
      .scope('ended')
      .count({ where: { subject: 'pool-1' } }),
  ).toBe(3);
  const [once] = await beginOperations(database, releasing, ['claim-1']);
  await advance(database, releasing, { id: once!, state: 'releasing' }, 'released');
  expect(await beginOperations(database, releasing, ['claim-1'])).toEqual([]);
});

test('a sweep finds what is due: neither what has ended or waits, nor what is stopped', async () => {
  const long = new Date(Date.now() - 60_000);
  const at = (kind: Kind, state: string, stopped: 'paused' | 'refused' | null = null) => {
    const { resting, ended, holds } = standing(kind, state);
    const endedAt = ended ? long : null;
    const subject = `due ${kind.kind} ${state} ${stopped}`;
    return { kind: kind.kind, state, subject, holds, resting, endedAt, stopped, updatedAt: long };
  };
  const rows = kinds.flatMap((kind) => Object.keys(kind.states).map((state) => at(kind, state)));
  await operations.in(database).bulkCreate([...rows, at(binding, 'making', 'paused'), at(binding, 'made', 'refused')]);
  const found = await operations
    .in(database)
    .findAll({ where: { id: await findStranded(database, 1000) }, limit: 1000 });
  const due = found.filter((f) => f.subject.startsWith('due ')).map((f) => `${f.kind} ${f.state}`);
  expect(due.sort()).toEqual(
    kinds
      .flatMap((k) =>
        Object.keys(k.states)
          .filter((s) => !endsOf(k).includes(s) && k.states[s]!.stays !== 'wait')
          .map((s) => `${k.kind} ${s}`),
      )
      .sort(),
  );
});
