import type { OperationPage, OperationRow } from '@moorage/contract/operations';
import type { Database } from '../database/database';
import type { RunningServer } from '../server';
import { PlatformProblem } from '../platform/connector';
import { Caller, eventually, makeWorld, type World } from '../testing/world';
import type { Kind, Work } from './kind';
import { advance, beginOperations, noteProgress } from './operations';
import { operations } from './operation-model';

type State = 'laying' | 'looking' | 'laid' | 'lifting' | 'lifted';

/** A kind that no room has: it lays a chain, a link at a time. */
const laying: Kind<State> = {
  kind: 'lay-chain',
  title: 'Laying a chain',
  begins: 'laying',
  holds: 'chain',
  undo: 'lifting',
  steered: ['administrator', 'operator'],
  states: {
    laying: { words: 'lays link after link', to: ['laying', 'looking', 'lifting'] },
    looking: { words: 'looks whether it holds', to: ['laid', 'lifting'] },
    laid: { words: 'laid', to: [], stays: 'end' },
    lifting: { words: 'lifts what was laid', to: ['lifted'] },
    lifted: { words: 'lifted', to: [], stays: 'end' },
  },
};

let database: Database;
let links = 0;
/** What the next steps meet. */
let weather: 'calm' | 'storm' | 'rock' = 'calm';
let hold: Promise<void> | undefined;

function meet(): void {
  if (weather === 'storm') throw new PlatformProblem('unreachable', 'the sea is rough');
  if (weather === 'rock') throw new PlatformProblem('invalid', 'there is rock below');
}

const work = (at: Database): Work<State> => {
  database = at;
  return {
    kind: laying,
    tells: () => ({ topic: 'operations' }),
    steps: {
      laying: async (o) => {
        await hold;
        meet();
        links += 1;
        await noteProgress(at, o, 3 - links, 'steps');
        return advance(at, laying, o, links < 3 ? 'laying' : 'looking');
      },
      looking: (o) => advance(at, laying, o, 'laid'),
      lifting: async (o) => {
        links = 0;
        return advance(at, laying, o, 'lifted');
      },
    },
  };
};

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start({ works: (at) => [work(at) as Work] });
  maren = await world.operator(server);
});
afterAll(() => world.end());
beforeEach(() => {
  links = 0;
  weather = 'calm';
  hold = undefined;
});

const begin = async (subject: string, part: object = {}) => {
  const [id] = await beginOperations(database, laying, [subject], {
    about: `chain ${subject}`,
    person: 'maren',
    ...part,
  });
  // the next sweep finds it: nobody told the runner
  await operations.in(database).update({ updatedAt: new Date(0) }, { where: { subject, endedAt: null } });
  return id!;
};
const listed = async (show: string) => maren.ok<OperationPage>('GET', `/api/operations?show=${show}&kind=lay-chain`);
const seen = (id: string, show: string, status: OperationRow['status']) =>
  eventually(`${id} is ${status}`, async () =>
    (await listed(show)).rows.find((r) => r.id === id && r.status === status),
  );
const steer = (id: string, act: string, caller = maren) =>
  caller.call<OperationRow & { code: string }>('POST', `/api/operations/${id}/${act}`);

test('is carried, told and counted without a line elsewhere', async () => {
  const id = await begin('a');
  const row = await seen(id, 'ended', 'ended');
  expect(row).toMatchObject({
    title: 'Laying a chain',
    about: 'chain a',
    state: 'laid',
    words: 'laid',
    person: 'maren',
    isUndone: false,
    progress: { total: 2, remaining: 0, unit: 'steps' },
    can: [],
  });
  const { data: metrics } = await maren.call<string>('GET', '/metrics');
  for (const [state, count] of [
    ['laying', 2],
    ['looking', 1],
    ['laid', 1],
  ])
    expect(metrics).toContain(`moorage_operation_steps_total{kind="lay-chain",state="${state}"} ${count}`);
  // a second time, the first being over
  await seen(await begin('a'), 'ended', 'ended');
});

test('its moves are guarded', async () => {
  await expect(advance(database, laying, { id: crypto.randomUUID(), state: 'looking' }, 'lifted')).rejects.toThrow(
    'no operation of kind lay-chain goes from looking to lifted',
  );
});

test('of those that hold the same one is open: the index says so to all', async () => {
  weather = 'storm';
  const id = await begin('b');
  expect(await begin('b')).toBeUndefined();
  await expect(
    operations.in(database).create({ kind: 'other', subject: 'b', state: 'x', holds: laying.holds }),
  ).rejects.toThrow();
  await seen(id, 'under-way', 'retrying');
  weather = 'calm';
  expect((await steer(id, 'retry')).status).toBe(200);
  await seen(id, 'ended', 'ended');
});

test('what fails is tried again by itself, and at once when a person says so', async () => {
  weather = 'storm';
  const id = await begin('c');
  const failing = await seen(id, 'under-way', 'retrying');
  expect(failing).toMatchObject({ error: { code: 'platform-unreachable', detail: 'the sea is rough' } });
  expect(failing.nextAttemptAt).not.toBeNull();
  expect(failing.can.sort()).toEqual(['cancel', 'pause', 'retry']);
  weather = 'calm';
  await steer(id, 'retry');
  expect((await seen(id, 'ended', 'ended')).state).toBe('laid');
});

test('what is refused for good is undone, and says why', async () => {
  weather = 'rock';
  const id = await begin('d');
  expect(await seen(id, 'ended', 'ended')).toMatchObject({
    state: 'lifted',
    isUndone: true,
    cause: 'there is rock below',
  });
});

test('is paused between two steps, goes on, and can be called off; who may not steer it is told', async () => {
  let release = (): void => undefined;
  hold = new Promise((resolve) => (release = resolve));
  const id = await begin('e');
  await eventually('it is begun', async () => (await operations.in(database).findByPk(id))?.runner);
  expect((await steer(id, 'pause')).data).toMatchObject({
    status: 'paused',
    stoppedBy: 'maren',
    can: ['resume', 'cancel'],
  });
  release();
  hold = undefined;
  await eventually(
    'the step under way is done',
    async () => (await operations.in(database).findByPk(id))?.runner === null,
  );
  expect(links).toBe(1);
  expect((await listed('stopped')).stopped).toBe(1);
  expect((await steer(id, 'pause')).data).toMatchObject({ code: 'not-now' });
  expect((await steer(id, 'resume', await new Caller(server.url).signIn('tom'))).data).toMatchObject({
    code: 'not-allowed',
  });
  hold = new Promise((resolve) => (release = resolve));
  expect((await steer(id, 'resume')).status).toBe(200);
  await eventually('it goes on', async () => (await operations.in(database).findByPk(id))?.runner);
  expect((await steer(id, 'cancel')).status).toBe(200);
  release();
  const ended = await seen(id, 'ended', 'ended');
  expect(ended).toMatchObject({ state: 'lifted', isUndone: true, cause: 'called off by maren' });
  expect((await steer(id, 'cancel')).data).toMatchObject({ code: 'ended' });
  const log = await maren.ok<{ entries: { kind: string; subject: string; after: object }[] }>('GET', '/api/logbook');
  expect(log.entries.filter((e) => e.kind === 'operation').map((e) => [e.subject, e.after])).toEqual(
    expect.arrayContaining([['chain e', { 'lay-chain': 'called off' }]]),
  );
});

test('a namespace owner sees none of others, and no namespace of nobody', async () => {
  const id = await begin('f', { namespace: 'ferry-desk' });
  await seen(id, 'ended', 'ended');
  const ivo = await new Caller(server.url).signIn('ivo');
  const page = await ivo.ok<OperationPage>('GET', '/api/operations?show=ended');
  expect(page.rows.map((r) => r.id)).toEqual([id]);
});

test('pages go on where the last ended, and a made-up cursor is refused', async () => {
  const first = await maren.ok<OperationPage>('GET', '/api/operations?show=ended&limit=2');
  expect(first.rows).toHaveLength(2);
  const second = await maren.ok<OperationPage>('GET', `/api/operations?show=ended&limit=2&cursor=${first.next}`);
  expect(second.rows.some((r) => first.rows.some((f) => f.id === r.id))).toBe(false);
  expect((await maren.call('GET', '/api/operations?cursor=x')).status).toBe(422);
});
