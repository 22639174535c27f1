import type { Database } from '../database/database';
import { migratedDatabase } from '../testing/databases';
import { ends, lifecycles, type Operation, type OperationState } from './operation';
import { operations } from './operation-model';
import { advance } from './operations';

let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
});
afterAll(() => end());

const kinds = Object.entries(lifecycles) as [
  Operation['kind'],
  { readonly moves: Readonly<Record<string, readonly OperationState[]>> },
][];
const all = kinds.flatMap(([, { moves }]) => Object.keys(moves)) as OperationState[];
const stands = async (id: string) => (await operations.in(database).findByPk(id))!.state;

describe.each(kinds)('%s', (kind, { moves }) => {
  test.each(Object.entries(moves) as [OperationState, readonly OperationState[]][])(
    'from %s goes where it says and nowhere else',
    async (from, legal) => {
      for (const to of all) {
        const { id } = await operations.in(database).create({
          kind,
          subject: `${kind} ${from} ${to}`,
          state: from,
          waitingFor: 'class',
          decisionId: null,
          error: { code: 'x', detail: 'y' },
          attempts: 3,
          nextAttemptAt: new Date(),
          runner: null,
        });
        const moved = advance(database, { id, state: from }, to);
        if (legal.includes(to)) {
          expect(await moved).toMatchObject({ id, kind, state: to, attempts: 0 });
          const row = await operations.in(database).findByPk(id);
          // what went wrong before is over
          expect([row!.state, row!.error, row!.nextAttemptAt, row!.waitingFor]).toEqual([to, null, null, null]);
        } else {
          await expect(moved).rejects.toThrow(`from ${from} to ${to}`);
          expect(await stands(id)).toBe(from);
        }
      }
    },
  );
});

test('who thinks it stands elsewhere moves nothing', async () => {
  const { id } = await operations.in(database).create({
    ...{ kind: 'bind', subject: 'elsewhere', state: 'made', waitingFor: null, decisionId: null },
    ...{ error: null, nextAttemptAt: null, runner: null },
  });
  expect(await advance(database, { id, state: 'making' }, 'made')).toBeUndefined();
  expect(await stands(id)).toBe('made');
});

test('the index of what is open leaves out just the ends', async () => {
  const [index] = await database.rows<{ indexdef: string }>(
    `SELECT indexdef FROM pg_indexes WHERE indexname = 'operations_open'`,
  );
  const left = [...index!.indexdef.matchAll(/'(\w+)'::text/g)].map((m) => m[1]!);
  expect(left.sort()).toEqual([...ends].sort());
});
