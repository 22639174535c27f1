import type { ClassRow } from '@moorage/contract/classes';
import type { DraftedChange, MooringRow } from '@moorage/contract/moorings';
import type { OperationPage } from '@moorage/contract/operations';
import { DoomedServers } from '../testing/doomed';
import { Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let servers: DoomedServers;
/** At a server that lives on, and takes over what the dead leave. */
let caller: Caller;
const onPlatform = (name: string) => world.platform.store.find('storageclasses', undefined, name);
const told = async (subject: string) =>
  (
    await world.rows<{ action: string; kind: string }>(
      `SELECT action, kind FROM logbook WHERE subject = $1 OR subject LIKE $1 || '/%' ORDER BY id`,
      [subject],
    )
  ).map((e) => `${e.action} ${e.kind}`);
const moorings = async (caller: Caller, name: string) =>
  (await caller.ok<MooringRow[]>('GET', '/api/moorings')).filter((m) => m.className === name).map((m) => m.pool);
const classes = (caller: Caller) => caller.ok<ClassRow[]>('GET', '/api/classes');
const settings = async (caller: Caller, name: string) =>
  (await classes(caller)).find((c) => c.storageClass.name === name)!;

/** What an act asks for, and whether all of it, or nothing of it, is there. */
interface Act {
  ask(caller: Caller, name: string): Promise<unknown>;
  /** Before it is asked. */
  prepare?(caller: Caller, name: string): Promise<unknown>;
  isThere(caller: Caller, name: string): Promise<boolean>;
  isNotThere(caller: Caller, name: string): Promise<boolean>;
  readonly logbook: readonly string[];
  /** Of the last call to the platform; POST when left out. */
  readonly method?: string;
  /** Of its platform's part. */
  readonly steps: number;
}

const acts: Record<string, Act> = {
  draft: {
    steps: 2,
    ask: async (caller, name) => {
      const { storageClass } = await settings(caller, 'plain');
      const changes: DraftedChange[] = [
        { kind: 'class', storageClass: { ...storageClass, name, isDefault: false } },
        { kind: 'class', storageClass: { ...storageClass, name: `${name}-b`, isDefault: false } },
        { kind: 'mooring', className: name, pool: 'basalt-swift', enabled: true, weight: 2, seen: null },
      ];
      return caller.call('POST', '/api/drafts', { changes });
    },
    isThere: async (caller, name) =>
      !!onPlatform(name) && !!onPlatform(`${name}-b`) && (await moorings(caller, name)).join() === 'basalt-swift',
    isNotThere: async (caller, name) =>
      !onPlatform(name) && !onPlatform(`${name}-b`) && (await moorings(caller, name)).length === 0,
    logbook: ['create mooring', 'create class'],
  },
  'change of a class': {
    steps: 1,
    prepare: (caller, name) => moorClass(caller, name, ['kelp-nvme'], { copies: 2 }),
    ask: async (caller, name) => {
      const { storageClass } = await settings(caller, name);
      return caller.call('PUT', `/api/classes/${name}`, { ...storageClass, isDefault: false, copies: 3 });
    },
    isThere: async (caller, name) =>
      onPlatform(name)?.parameters?.['vast-moorage.example/copies'] === '3' &&
      (await settings(caller, name)).storageClass.copies === 3,
    isNotThere: async (caller, name) =>
      onPlatform(name)?.parameters?.['vast-moorage.example/copies'] === '2' &&
      (await settings(caller, name)).storageClass.copies === 2,
    logbook: ['create class', 'create mooring', 'change class'],
  },
  deletion: {
    steps: 1,
    prepare: (caller, name) => moorClass(caller, name, ['kelp-nvme'], { copies: 2 }),
    ask: (caller, name) => caller.call('DELETE', `/api/classes/${name}`),
    isThere: async (caller, name) => !onPlatform(name) && (await moorings(caller, name)).length === 0,
    isNotThere: async (caller, name) => !!onPlatform(name) && (await moorings(caller, name)).join() === 'kelp-nvme',
    logbook: ['create class', 'create mooring', 'delete class'],
    method: 'DELETE',
  },
  successor: {
    steps: 1,
    ask: async (caller, name) => {
      const { storageClass } = await settings(caller, 'plain');
      return caller.call('POST', '/api/classes/plain/successor', {
        storageClass: { ...storageClass, name, isDefault: false, copies: 3 },
        takesDefault: false,
      });
    },
    isThere: async (caller, name) =>
      !!onPlatform(name) &&
      (await moorings(caller, name)).join() === 'kelp-nvme' &&
      (await caller.ok<unknown[]>('GET', `/api/classes/${name}/successions`)).length === 1,
    isNotThere: async (caller, name) => !onPlatform(name) && (await moorings(caller, name)).length === 0,
    logbook: ['create class'],
  },
  manifests: {
    steps: 2,
    ask: (caller, name) => {
      const cls = (n: string) =>
        `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata:\n  name: ${n}\nprovisioner: vast-moorage.example\n`;
      return caller.call('POST', '/api/manifests', { text: `${cls(name)}---\n${cls(`${name}-b`)}` });
    },
    isThere: async (_caller, name) => !!onPlatform(name) && !!onPlatform(`${name}-b`),
    isNotThere: async (_caller, name) => !onPlatform(name) && !onPlatform(`${name}-b`),
    logbook: ['create class'],
  },
};

/** The states after which the server dies: each step on the platform, what is ours, the end. */
const deaths = ({ steps }: Act): string[] => [
  ...Array.from({ length: steps - 1 }, (_, i) => `asking:${i + 1}`),
  'writing',
  'done',
];

/** The act that was asked for, once it has ended; what prepared it ended before. */
const ended = (caller: Caller, about: string, act: Act) =>
  eventually(`${about} has ended`, async () => {
    const { rows } = await caller.ok<OperationPage>('GET', '/api/operations?show=ended');
    const own = rows.filter((r) => r.kind !== 'bind' && r.about.includes(about));
    return own.length > (act.prepare ? 1 : 0) && own[0];
  });

const nameOf = (what: string, when: string) => `${what.replace(/\W+/g, '-')}-${when.replace(':', '-')}`;

beforeAll(async () => {
  world = await makeWorld();
  servers = new DoomedServers(world);
  ({ caller } = await servers.lasting());
  await eventually(
    'the pools',
    async () => (await caller.ok<{ pools: unknown[] }[]>('GET', '/api/backends')).flatMap((b) => b.pools).length === 4,
  );
  await moorClass(caller, 'plain', ['kelp-nvme'], { copies: 2, isDefault: true });
  for (const [what, act] of Object.entries(acts))
    for (const when of [...deaths(act), 'asked', 'refused']) await act.prepare?.(caller, nameOf(what, when));
});
afterAll(async () => {
  servers.end();
  await world.end();
});
afterEach(() => world.platform.faults.heal());

describe.each(Object.entries(acts))('%s', (what, act) => {
  /** Asks a server that is going to die; what it answers, if anything, is of no matter. */
  async function die(
    death: string,
    name: string,
    meanwhile?: (asked: () => Promise<unknown>, kill: () => void) => Promise<void>,
  ): Promise<void> {
    const doomed = await servers.start(death);
    const dying = await new Caller(doomed.url).signIn();
    const ask = () => act.ask(dying, name).catch(() => undefined);
    await (meanwhile ?? ((asked) => asked()))(ask, () => doomed.child.kill('SIGKILL'));
    expect(await doomed.exit).toBe('SIGKILL');
  }

  test.each(deaths(act))(
    'killed after "%s": all of it is there afterwards, and the logbook says so once',
    async (death) => {
      const name = nameOf(what, death);
      await die(death, name);
      expect(await ended(caller, name, act)).toMatchObject({ state: 'done' });
      expect(await act.isThere(caller, name)).toBe(true);
      expect(await told(name)).toEqual(act.logbook);
      expect(await world.rows('SELECT 1 FROM act_holds')).toEqual([]);
    },
  );

  test('killed while the platform is asked, which did it: it is there afterwards, once', async () => {
    const name = nameOf(what, 'asked');
    const { method = 'POST' } = act;
    await die('never', name, async (asked, kill) => {
      // the platform does what it is asked, and its answer goes nowhere: the server is killed over it
      const posts = () =>
        world.platform.faults.calls.filter((c) => c.method === method && /storageclasses/.test(c.path));
      const before = posts().length;
      world.platform.faults.add({ kind: 'keep-answer', method, path: 'storageclasses', times: 1 });
      void asked();
      await eventually('the platform is asked', async () => posts().length > before);
      kill();
      world.platform.faults.heal();
    });
    expect(await ended(caller, name, act)).toMatchObject({ state: 'done' });
    expect(await act.isThere(caller, name)).toBe(true);
    expect(await told(name)).toEqual(act.logbook);
  });
});

describe.each(Object.entries(acts).filter(([what]) => what !== 'manifests'))('%s, refused', (what, act) => {
  test('and the server killed over it: nothing of it is there afterwards, and the logbook tells of nothing', async () => {
    const name = nameOf(what, 'refused');
    const tellsBefore = await told(name);
    const doomed = await servers.start('undoing');
    const dying = await new Caller(doomed.url).signIn();
    // the last thing it asks for is refused
    const { method = 'POST' } = act;
    const asks = world.platform.faults.calls.filter((c) => c.method === method).length;
    if (act.steps > 1)
      world.platform.faults.add({ kind: 'refuse', method, path: 'storageclasses', status: 422, skip: 1 });
    else world.platform.faults.add({ kind: 'refuse', method, path: 'storageclasses', status: 422, times: 1 });
    await act.ask(dying, name).catch(() => undefined);
    expect(await doomed.exit).toBe('SIGKILL');
    expect(world.platform.faults.calls.filter((c) => c.method === method).length).toBeGreaterThan(asks);
    world.platform.faults.heal();
    expect(await ended(caller, name, act)).toMatchObject({ state: 'undone', isUndone: true });
    expect(await act.isNotThere(caller, name)).toBe(true);
    expect(await told(name)).toEqual(tellsBefore);
  });
});
