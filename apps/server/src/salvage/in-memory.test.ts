import fc from 'fast-check';
import { reservations } from '../reservations/reservation-model';
import { deaths, fates, type Fate } from '../testing/fate';
import { makeMemoryWorlds, type MemoryWorlds } from '../testing/memory-world';
import { eventually } from '../testing/world';
import { giveBack } from './salvage';

/** Volumes given back between a platform and a backend in memory, carried by hand, so that many ways to fail are tried. */
let worlds: MemoryWorlds;
beforeAll(async () => {
  worlds = await makeMemoryWorlds();
}, 60_000);
afterAll(() => worlds.end());

const maren = { name: 'maren', title: 'Maren', role: 'operator' as const, namespaces: [] };

/** A world whose two claims were bound and deleted; their volumes are kept. */
async function adriftWorld(calls: readonly Fate[], dying: readonly boolean[]) {
  const world = await worlds.open([], [], 'Retain');
  const { uids, claims, carry, bind, remove, states, meet, platform, backend } = world;
  await carry();
  await bind();
  await eventually('both are bound', async () => (await states()).join() === 'bind bound,bind bound');
  await remove();
  await carry();
  const volumes = async () => (await backend.fetchView()).volumes.map((v) => `${v.name} ${v.id}`).sort();
  const rows = () =>
    reservations.in(worlds.database).findAll({ where: { volumeName: uids.map((u) => `pvc-${u}`) }, limit: 10 });
  const give = () =>
    giveBack(worlds.database, maren, {
      volumes: claims.map(({ metadata: { uid, name } }) => ({ id: uid!, namespace: 'tide-gauges', name })),
    });
  /** Carries until nothing is on its way any more; the platform binds in between. */
  const settle = async () => {
    for (let round = 0; round < 20; round++) {
      await carry();
      await bind();
      if ((await states()).every((s) => !/^salvage (freeing|asking|seeing|keeping|undoing)/.test(s))) return;
    }
    throw new Error(`it comes to no end: ${(await states()).join()}`);
  };
  /** Each volume is adrift without a claim, or held by the claim that is there. */
  const agree = async () => {
    const held = await rows();
    expect(held).toHaveLength(2);
    for (const { state, claimUid, claimName, volumeName } of held) {
      const claim = await platform.find('v1', 'PersistentVolumeClaim', claimName, 'tide-gauges');
      expect([volumeName, state, claim?.metadata.uid]).toEqual(
        state === 'bound' ? [volumeName, 'bound', claimUid] : [volumeName, 'adrift', undefined],
      );
    }
    return held.map((h) => h.state);
  };
  meet(calls, dying);
  return { ...world, volumes, give, settle, agree };
}

test('however often answers are lost and servers die, both volumes come back, the same as they were', async () => {
  const property = fc.asyncProperty(fates, deaths, async (calls, dying) => {
    const { volumes, give, settle, agree, stands, end } = await adriftWorld(calls, dying);
    try {
      const before = await volumes();
      const { reservedRaw } = await stands();
      await give();
      await settle();
      expect(await agree()).toEqual(['bound', 'bound']);
      expect(await volumes()).toEqual(before);
      expect((await stands()).reservedRaw).toBe(reservedRaw);
    } finally {
      await end();
    }
  });
  await fc.assert(property, { numRuns: 20 });
}, 300_000);

test('called off at any moment, each volume is adrift without a claim, or held by one; none is lost', async () => {
  const property = fc.asyncProperty(
    fates,
    deaths,
    fc.integer({ min: 0, max: 7 }),
    fc.boolean(),
    async (calls, dying, steps, binds) => {
      const { volumes, give, carry, bind, callOff, settle, agree, end } = await adriftWorld(calls, dying);
      try {
        const before = await volumes();
        await give();
        if (steps > 0) await carry(steps);
        // by then the platform may have bound it
        if (binds) await bind();
        await callOff();
        await settle();
        await agree();
        expect(await volumes()).toEqual(before);
        // what is adrift can be given back again
        await give();
        await settle();
        expect(await agree()).toEqual(['bound', 'bound']);
      } finally {
        await end();
      }
    },
  );
  await fc.assert(property, { numRuns: 20 });
}, 300_000);

test('called off when the platform has bound it already, a volume stays with its claim', async () => {
  const { give, carry, bind, callOff, settle, agree, end } = await adriftWorld([], []);
  try {
    await give();
    await carry();
    await bind();
    await callOff();
    await settle();
    expect(await agree()).toEqual(['bound', 'bound']);
  } finally {
    await end();
  }
});
