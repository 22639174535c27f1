import fc from 'fast-check';
import type { CopyChange } from '@moorage/contract/copies';
import { deaths, fates } from '../testing/fate';
import { makeMemoryWorlds, type MemoryWorld, type MemoryWorlds } from '../testing/memory-world';

/** Copies changed between a platform and a backend in memory, carried by hand, so that many ways to fail are tried. */
const GiB = 2 ** 30;
let worlds: MemoryWorlds;
beforeAll(async () => {
  worlds = await makeMemoryWorlds();
}, 60_000);
afterAll(() => worlds.end());

const kinds = fc.constantFrom<CopyChange['kind']>('raise', 'lower');

/** What is held is what lies there, counted once for each copy, and the claim says so. */
async function agree({ copies, stands }: MemoryWorld): Promise<number[]> {
  const all = await copies();
  const counts = all.map((c) => c.lying.length);
  expect(all.map((c) => c.held)).toEqual(all.map((c) => c.lying));
  expect(all.map((c) => c.said)).toEqual(counts.map((n) => (n === 2 ? undefined : String(n))));
  expect((await stands()).reservedRaw).toBe(counts.reduce((sum, n) => sum + 2 * n * GiB, 0));
  return counts;
}

test('however often answers are lost and servers die, one copy is made or goes, and everybody says the same of it', async () => {
  const property = fc.asyncProperty(fates, deaths, kinds, async (calls, dying, kind) => {
    const world = await worlds.bound(calls, dying);
    try {
      const before = await world.copies();
      await world.changeCopies({ kind });
      await world.carry();
      expect((await world.states()).filter((s) => s === 'copies changed')).toHaveLength(2);
      const count = kind === 'raise' ? 3 : 1;
      expect(await agree(world)).toEqual([count, count]);
      // those that were there before are there still, or one of them is
      for (const [i, { lying }] of (await world.copies()).entries())
        expect(lying.filter((d) => before[i]!.lying.includes(d))).toHaveLength(Math.min(count, 2));
    } finally {
      await world.end();
    }
  });
  await fc.assert(property, { numRuns: 15 });
}, 300_000);

test('called off at any moment, it is as it was or as it was to be, and never without a copy', async () => {
  const steps = fc.integer({ min: 0, max: 5 });
  const property = fc.asyncProperty(fates, deaths, kinds, steps, async (calls, dying, kind, before) => {
    const world = await worlds.bound(calls, dying);
    try {
      await world.changeCopies({ kind });
      if (before > 0) await world.carry(before);
      await world.callOff();
      await world.carry();
      expect((await world.states()).filter((s) => !/bind bound|copies (changed|returned)/.test(s))).toEqual([]);
      for (const count of await agree(world)) expect([2, kind === 'raise' ? 3 : 1]).toContain(count);
    } finally {
      await world.end();
    }
  });
  await fc.assert(property, { numRuns: 15 });
}, 300_000);

test('deleted at any moment of it, a claim leaves nothing behind', async () => {
  const steps = fc.integer({ min: 1, max: 5 });
  const property = fc.asyncProperty(fates, deaths, kinds, steps, async (calls, dying, kind, before) => {
    const { changeCopies, carry, remove, stands, states, end } = await worlds.bound(calls, dying);
    try {
      await changeCopies({ kind });
      await carry(before);
      await remove();
      await carry();
      expect(await stands()).toMatchObject({ volumes: [], written: [], held: [], reservedRaw: 0 });
      expect((await states()).filter((s) => /^copies/.test(s) && !/changed|returned|abandoned/.test(s))).toEqual([]);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 15 });
}, 300_000);

test('of a volume that is kept when its claim goes at any moment of it, what lies there is held', async () => {
  const steps = fc.integer({ min: 1, max: 5 });
  const property = fc.asyncProperty(fates, deaths, kinds, steps, async (calls, dying, kind, before) => {
    const { changeCopies, carry, remove, stands, states, copies, end } = await worlds.bound(calls, dying, 'Retain');
    try {
      await changeCopies({ kind });
      await carry(before);
      await remove();
      await carry();
      expect((await states()).filter((s) => /^copies/.test(s) && !/changed|returned|abandoned/.test(s))).toEqual([]);
      const all = await copies();
      expect(all.map((c) => c.held)).toEqual(all.map((c) => c.lying));
      expect((await stands()).reservedRaw).toBe(all.reduce((sum, c) => sum + 2 * c.lying.length * GiB, 0));
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 15 });
}, 300_000);
