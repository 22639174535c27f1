import fc from 'fast-check';
import { deaths, fates } from '../testing/fate';
import { makeMemoryWorlds, type MemoryWorlds } from '../testing/memory-world';
import { eventually } from '../testing/world';

/** Claims grown between a platform and a backend in memory, carried by hand, so that many ways to fail are tried. */
const GiB = 2 ** 30;
let worlds: MemoryWorlds;
beforeAll(async () => {
  worlds = await makeMemoryWorlds();
}, 60_000);
afterAll(() => worlds.end());

test('however often answers are lost and servers die, each volume is grown once, and everybody says the same of it', async () => {
  const property = fc.asyncProperty(fates, deaths, async (calls, dying) => {
    const { uids, ask, carry, growFileSystems, stands, states, end } = await worlds.bound(calls, dying);
    try {
      await ask('5Gi');
      await carry();
      await growFileSystems();
      await eventually('both have grown', async () => (await states()).filter((s) => s === 'grow grown').length === 2);
      const sizes = uids.map((u) => `pvc-${u} 5 GiB`).sort();
      expect(await stands()).toMatchObject({
        ...{ volumes: sizes, reserved: sizes, capacities: ['5Gi', '5Gi'], held: ['bound', 'bound'] },
        // two copies of two volumes
        reservedRaw: 20 * GiB,
      });
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 20 });
}, 300_000);

test('called off at any moment, what is reserved is what the backend has, and the platform is told of no less', async () => {
  const property = fc.asyncProperty(fates, deaths, fc.integer({ min: 0, max: 7 }), async (calls, dying, steps) => {
    const { ask, carry, callOff, growFileSystems, stands, states, end } = await worlds.bound(calls, dying);
    try {
      await ask('5Gi');
      if (steps > 0) await carry(steps);
      await callOff();
      await carry();
      await growFileSystems();
      await eventually('nothing is under way', async () =>
        (await states()).every((s) => /bind bound|grow (grown|returned)/.test(s)),
      );
      const { volumes, reserved, capacities, reservedRaw } = await stands();
      expect(reserved).toEqual(volumes);
      const grown = volumes.filter((v) => v.endsWith(' 5 GiB')).length;
      expect(capacities.filter((c) => c === '5Gi')).toHaveLength(grown);
      expect(reservedRaw).toBe(2 * (5 * grown + 2 * (2 - grown)) * GiB);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 20 });
}, 300_000);

test('deleted at any moment of its growth, a claim leaves nothing behind', async () => {
  const property = fc.asyncProperty(fates, deaths, fc.integer({ min: 1, max: 7 }), async (calls, dying, steps) => {
    const { ask, carry, remove, stands, states, end } = await worlds.bound(calls, dying);
    try {
      await ask('5Gi');
      await carry(steps);
      await remove();
      await carry();
      expect(await stands()).toMatchObject({ volumes: [], written: [], held: [], reservedRaw: 0 });
      expect((await states()).filter((s) => /^grow/.test(s) && !/grown|abandoned/.test(s))).toEqual([]);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 20 });
}, 300_000);
