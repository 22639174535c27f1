import fc from 'fast-check';
import { deaths, fates } from '../testing/fate';
import { makeMemoryWorlds, type MemoryWorld, type MemoryWorlds } from '../testing/memory-world';

/** Claims tuned between a platform and a backend in memory, carried by hand, so that many ways to fail are tried. */
let worlds: MemoryWorlds;
beforeAll(async () => {
  worlds = await makeMemoryWorlds();
}, 60_000);
afterAll(() => worlds.end());

const optional = (min: number, max: number) => fc.option(fc.integer({ min, max }), { nil: undefined });
const asked = fc.record({ 'iops-floor': optional(10, 900), 'iops-ceiling': optional(1000, 9000) });
type Asked = { 'iops-floor': number | undefined; 'iops-ceiling': number | undefined };
/** As it is sent: what is not asked is not there. */
const bare = (of: Asked) => JSON.parse(JSON.stringify(of)) as Partial<Record<keyof Asked, number>>;

/** What is said, reserved and held to is all the same, for both claims: what was asked, or what the class has. */
async function agree({ rates }: MemoryWorld, { 'iops-floor': floor, 'iops-ceiling': ceiling }: Asked): Promise<void> {
  for (const of of await rates()) {
    expect(of).toMatchObject({ said: [floor, ceiling], reserved: [floor ?? 0, ceiling ?? null], held: ceiling });
    expect(of.backendIops! > 0).toBe((floor ?? 0) > 0);
  }
}
const tuningsOf = async ({ states }: MemoryWorld) => (await states()).filter((s) => /^tune/.test(s));

test('however often answers are lost and servers die, all say the rates that were asked for', async () => {
  const property = fc.asyncProperty(fates, deaths, asked, async (calls, dying, rates) => {
    const world = await worlds.bound(calls, dying);
    try {
      await world.tune(bare(rates));
      await world.carry();
      expect(await tuningsOf(world)).toEqual(['tune tuned', 'tune tuned']);
      await agree(world, rates);
    } finally {
      await world.end();
    }
  });
  await fc.assert(property, { numRuns: 12 });
}, 300_000);

test('called off at any moment, all say what they said before, or what was asked for', async () => {
  const steps = fc.integer({ min: 0, max: 4 });
  const property = fc.asyncProperty(fates, deaths, asked, steps, async (calls, dying, rates, before) => {
    const world = await worlds.bound(calls, dying);
    try {
      await world.tune(bare(rates));
      if (before > 0) await world.carry(before);
      await world.callOff();
      await world.carry();
      const ended = await tuningsOf(world);
      expect(ended.filter((s) => !/tuned|returned/.test(s))).toEqual([]);
      const none = { 'iops-floor': undefined, 'iops-ceiling': undefined };
      // each by itself is one or the other
      for (const of of await world.rates()) {
        const { 'iops-floor': floor, 'iops-ceiling': ceiling } = of.said.some((s) => s !== undefined) ? rates : none;
        expect(of).toMatchObject({ said: [floor, ceiling], reserved: [floor ?? 0, ceiling ?? null], held: ceiling });
      }
    } finally {
      await world.end();
    }
  });
  await fc.assert(property, { numRuns: 12 });
}, 300_000);

test('whatever somebody writes into the claims, one after the other and while they are tuned, the last of it is followed', async () => {
  const written = fc.array(fc.tuple(asked, fc.integer({ min: 1, max: 4 })), { minLength: 1, maxLength: 4 });
  const property = fc.asyncProperty(fates, deaths, written, async (calls, dying, words) => {
    const world = await worlds.bound(calls, dying);
    try {
      for (const [rates, steps] of words) {
        await world.write(bare(rates));
        await world.carry(steps);
      }
      await world.carry();
      // what was said meanwhile begins when that has ended
      await world.carry();
      await agree(world, words.at(-1)![0]);
      expect((await tuningsOf(world)).filter((s) => s !== 'tune tuned')).toEqual([]);
    } finally {
      await world.end();
    }
  });
  await fc.assert(property, { numRuns: 12 });
}, 300_000);

test('deleted at any moment of it, a claim leaves nothing behind', async () => {
  const steps = fc.integer({ min: 1, max: 4 });
  const property = fc.asyncProperty(fates, deaths, asked, steps, async (calls, dying, rates, before) => {
    const world = await worlds.bound(calls, dying);
    try {
      await world.tune(bare(rates));
      await world.carry(before);
      await world.remove();
      await world.carry();
      expect(await world.stands()).toMatchObject({ volumes: [], written: [], held: [], reservedRaw: 0 });
      expect((await tuningsOf(world)).filter((s) => !/tuned|returned|abandoned/.test(s))).toEqual([]);
    } finally {
      await world.end();
    }
  });
  await fc.assert(property, { numRuns: 12 });
}, 300_000);
