import fc from 'fast-check';
import type { Manifest } from '@moorage/core/acts/platform-step';
import type { Database } from '../database/database';
import type { Turns } from '../live/turns';
import { logbook } from '../logbook/logbook-model';
import type { Work } from '../operations/kind';
import { operations } from '../operations/operation-model';
import { carryByHand } from '../testing/by-hand';
import { migratedDatabase } from '../testing/databases';
import type { Fate } from '../testing/fate';
import { MemoryPlatform } from '../testing/memory-platform';
import { actHolds, actSteps } from './act-model';
import { Acts, type ActRoom } from './acts';
import { actKind } from './kind';

/** Acts on a platform in memory, carried by hand, so that thousands of ways to fail are tried. */
let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
});
afterAll(() => end());

const turns = { at: (_things: unknown, work: () => Promise<unknown>) => work() } as unknown as Turns;
const cls = (name: string, reclaimPolicy = 'Delete') =>
  ({
    ...{ apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass' },
    metadata: { name, annotations: { of: 'us' } },
    reclaimPolicy,
  }) as Manifest;
const mark = (name: string, value: string | null) =>
  ({
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name, annotations: { mark: value } },
  }) as Manifest;

/** An act that makes one class, marks another and makes a third anew. */
const steps = [
  { step: { do: 'make', object: cls('fresh') } },
  { step: { do: 'patch', object: mark('kept', 'yes'), back: mark('kept', null) } },
  { step: { do: 'replace', was: cls('changed'), object: cls('changed', 'Retain') } },
] as const;

async function world() {
  const platform = new MemoryPlatform();
  await platform.create(cls('kept') as never);
  await platform.create(cls('changed') as never);
  const stands = async () => {
    const { items } = await platform.list('storageclasses');
    return items
      .map((c) => `${c.metadata.name} ${String(c.reclaimPolicy)} ${c.metadata.annotations?.mark ?? '-'}`)
      .sort()
      .join(', ');
  };
  return { platform, stands };
}
const before = 'changed Delete -, kept Delete -';
const after = 'changed Retain -, fresh Delete -, kept Delete yes';

let told = 0;
async function run(fates: readonly Fate[], deaths: readonly boolean[], writes: 'goes' | 'fails') {
  const { platform, stands } = await world();
  const name = `act-${++told}`;
  let written = 0;
  const room: ActRoom<null, string> = {
    kind: actKind('draft', 'Applying a draft'),
    write: () => {
      if (writes === 'fails') return Promise.reject(new Error('somebody was faster'));
      written += 1;
      return Promise.resolve('written');
    },
    tells: () => [],
  };
  const left = [...fates];
  platform.fate = () => left.shift() ?? 'answered';
  const dying = [...deaths];
  let operation = '';
  const acts = new Acts(database, platform, turns, async (id) => {
    operation = id;
    // each death is a server; the next one goes on where it stands
    for (let servers = 0; servers < 12; servers++) {
      await carryByHand(database, work, id, () => dying.shift() ?? false);
      if ((await operations.in(database).findByPk(id))!.endedAt !== null) return;
    }
  });
  const work = acts.workOf(room) as Work;
  const entry = { action: 'change', kind: 'class', subject: name } as const;
  const outcome = await acts
    .inTurn(room, [name], 'maren', () => Promise.resolve({ about: name, steps, inside: null, entries: [entry] }))
    .catch((error: unknown) => error as Error);
  const { state } = (await operations.in(database).findByPk(operation))!;
  return {
    ...{ state, outcome, written },
    stands: await stands(),
    entries: await logbook.in(database).count({ where: { subject: name } }),
    holds: await actHolds.in(database).count({ where: { thing: name } }),
    open: await actSteps.in(database).count({ where: { state: 'asked' } }),
  };
}

test('everything is done, told once, and nothing is held any more', async () => {
  expect(await run([], [], 'goes')).toEqual({
    ...{ state: 'done', outcome: 'written', written: 1, stands: after, entries: 1, holds: 0, open: 0 },
  });
});

test.each<[string, Fate[]]>([
  ['the first is refused', ['refused']],
  ['the second is refused', ['answered', 'refused']],
  ['the half of the third is refused', ['answered', 'answered', 'answered', 'refused']],
  ['the answer to the first is lost', ['lost']],
  ['nobody answers at the third', ['answered', 'answered', 'unreachable']],
])('when %s, nothing of it stands, and the logbook tells of nothing', async (_what, fates) => {
  const ended = await run(fates, [], 'goes');
  expect(ended).toMatchObject({ state: 'undone', stands: before, entries: 0, holds: 0, open: 0, written: 0 });
  expect(ended.outcome).toBeInstanceOf(Error);
});

test('when what is ours cannot be written, what the platform did is taken back', async () => {
  const ended = await run([], [], 'fails');
  expect(ended).toMatchObject({ state: 'undone', stands: before, entries: 0, holds: 0 });
  expect((ended.outcome as Error).message).toBe('somebody was faster');
});

test('killed and refused anywhere, any number of times, it is all or nothing, and the logbook agrees', () =>
  fc.assert(
    fc.asyncProperty(
      fc.array(fc.constantFrom<Fate>('answered', 'answered', 'answered', 'refused', 'lost', 'unreachable'), {
        maxLength: 10,
      }),
      fc.array(fc.boolean(), { maxLength: 6 }),
      fc.constantFrom('goes' as const, 'fails' as const),
      async (fates, deaths, writes) => {
        const { state, stands, entries, holds, open, written } = await run(fates, deaths, writes);
        expect(['done', 'undone']).toContain(state);
        expect({ stands, entries, written, holds, open }).toEqual(
          state === 'done'
            ? { stands: after, entries: 1, written: 1, holds: 0, open: 0 }
            : { stands: before, entries: 0, written: 0, holds: 0, open: 0 },
        );
      },
    ),
    { numRuns: 60 },
  ));

test('planning nothing begins nothing', async () => {
  const { platform } = await world();
  const acts = new Acts(database, platform, turns, () => Promise.reject(new Error('nothing is carried')));
  const room: ActRoom = { kind: actKind('draft', 'x'), write: () => Promise.resolve(1), tells: () => [] };
  expect(await acts.inTurn(room, ['nothing'], 'maren', () => Promise.resolve(undefined))).toBeUndefined();
});

test.each([
  ['the marked one is deleted meanwhile', 'kept', 'changed Delete -'],
  ['the one made is taken away meanwhile', 'fresh', before],
])('when %s by somebody else, the rest is taken back all the same', async (_what, gone, expected) => {
  const { platform, stands } = await world();
  const name = `meanwhile-${gone}`;
  const room: ActRoom<null, string> = {
    kind: actKind('draft', 'Applying a draft'),
    write: async () => {
      await platform.ensureDeleted('storage.k8s.io/v1', 'StorageClass', gone);
      throw new Error('somebody was faster');
    },
    tells: () => [],
  };
  const acts: Acts = new Acts(database, platform, turns, (id) =>
    carryByHand(database, acts.workOf(room) as Work, id, () => false),
  );
  const asked = acts.inTurn(room, [name], 'maren', () =>
    Promise.resolve({ about: name, steps, inside: null, entries: [] }),
  );
  await expect(asked).rejects.toThrow('somebody was faster');
  expect(await stands()).toBe(expected);
  expect(await actHolds.in(database).count({ where: { thing: name } })).toBe(0);
});
