import fc from 'fast-check';
import { deaths, fates, type Fate } from '../testing/fate';
import { makeMemoryWorlds, type MemoryWorlds } from '../testing/memory-world';
import { eventually } from '../testing/world';
import { beginBinding, beginRelease } from './begin';

/** Claims bound and let go between a platform and a backend in memory, carried by hand, so that many ways to fail are tried. */
let worlds: MemoryWorlds;
beforeAll(async () => {
  worlds = await makeMemoryWorlds();
}, 60_000);
afterAll(() => worlds.end());

const GiB = 2 ** 30;
const nothing = { volumes: [], written: [], made: [], held: [], reserved: [], capacities: [], reservedRaw: 0 };

async function bindAndRelease(fates: readonly Fate[], deaths: readonly boolean[]) {
  const { uids, carry, bind, remove, stands, states, end } = await worlds.open(fates, deaths);
  try {
    await carry();
    await bind();
    await eventually('both are bound', async () => (await states()).join() === 'bind bound,bind bound');
    const bound = await stands();
    expect(bound).toMatchObject({
      volumes: uids.map((u) => `pvc-${u} 2 GiB`).sort(),
      written: bound.made,
      held: ['bound', 'bound'],
      // two copies of two volumes
      reservedRaw: 8 * GiB,
    });
    await remove();
    await carry();
    expect(await stands()).toEqual(nothing);
  } finally {
    await end();
  }
}

test('claims are bound to one volume each, and let go without a trace', () => bindAndRelease([], []));

test('however often answers are lost and servers die, each claim has one volume, and nothing is left of it at the end', async () => {
  await fc.assert(fc.asyncProperty(fates, deaths, bindAndRelease), { numRuns: 25 });
}, 300_000);

test('claims that are deleted at any moment leave nothing behind', async () => {
  const property = fc.asyncProperty(fates, deaths, fc.integer({ min: 1, max: 9 }), async (calls, dying, steps) => {
    const { carry, remove, stands, states, end } = await worlds.open(calls, dying);
    try {
      await carry(steps);
      await remove();
      await carry();
      expect(await stands()).toEqual(nothing);
      expect((await states()).filter((s) => !/abandoned|bound|released/.test(s))).toEqual([]);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 25 });
}, 300_000);

test('a claim that is seen to be gone and is there keeps its volume', async () => {
  const { uids, carry, bind, stands, states, end } = await worlds.open([], []);
  try {
    await carry();
    await bind();
    await eventually('both are bound', async () => (await states()).join() === 'bind bound,bind bound');
    const before = await stands();
    await beginRelease(worlds.database, uids);
    await carry();
    expect(await stands()).toEqual(before);
    expect(await beginBinding(worlds.database, uids)).toEqual([]);
  } finally {
    await end();
  }
});
