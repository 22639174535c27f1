import fc from 'fast-check';
import { planDeletion, volumeFate, type Deletable, type Replicated } from './deletion';

/** A world of applications with replicas, their claims and volumes, in which claims are really deleted and time passes. */
interface World {
  claims: Map<string, Deletable>;
  /** Data by where it is: a claim's own volume, and its copies elsewhere. */
  data: Map<string, { claim: string; used: number; copy: boolean }>;
  applications: Map<string, { replicas: number; claims: string[] }>;
}

const arbitraryVolume = fc.option(
  fc.record({
    bytes: fc.constant(100),
    used: fc.nat({ max: 100 }),
    reclaim: fc.constantFrom('Delete', 'Retain', null),
    graceDays: fc.constantFrom(0, 7),
    adopted: fc.boolean(),
    copiesOn: fc.uniqueArray(fc.constantFrom('basalt', 'gneiss'), { maxLength: 2 }),
  }),
  { nil: null },
);
const arbitraryApplication = fc.record({
  replicas: fc.integer({ min: 1, max: 5 }),
  volumes: fc.array(arbitraryVolume, { minLength: 1, maxLength: 5 }),
});

function build(applications: readonly { replicas: number; volumes: readonly Deletable['volume'][] }[]): World {
  const world: World = { claims: new Map(), data: new Map(), applications: new Map() };
  applications.forEach(({ replicas, volumes }, a) => {
    const names = volumes.map((volume, i) => {
      const name = `data-app${a}-${i}`;
      const claim: Deletable = { namespace: 'n', name, volume, pods: [`app${a}-${i}`], application: `app${a}` };
      world.claims.set(name, claim);
      if (volume) {
        world.data.set(name, { claim: name, used: volume.used, copy: false });
        for (const on of volume.copiesOn)
          world.data.set(`${name} on ${on}`, { claim: name, used: volume.used, copy: true });
      }
      return name;
    });
    world.applications.set(`app${a}`, { replicas: Math.max(replicas, names.length), claims: names });
  });
  return world;
}

/** Deletes claims as the platform and the product do; `later`: also what happens when every grace is over. */
function carryOut(world: World, names: readonly string[], later: boolean): World['data'] {
  const left = new Map(world.data);
  for (const name of names) {
    const { volume } = world.claims.get(name)!;
    if (!volume || volume.adopted || volume.reclaim !== 'Delete') continue;
    if (volume.graceDays > 0 && !later) continue;
    for (const [key, at] of world.data) if (at.claim === name) left.delete(key);
  }
  return left;
}

const total = (data: World['data'], of: (at: { copy: boolean }) => boolean): number =>
  [...data.values()].filter(of).reduce((sum, { used }) => sum + used, 0);

test("a deletion's plan lists everything that a model of the world loses, and nothing else", () => {
  fc.assert(
    fc.property(
      fc.array(arbitraryApplication, { minLength: 1, maxLength: 3 }),
      fc.func(fc.boolean()),
      (applications, chosen) => {
        const world = build(applications);
        const names = [...world.claims.keys()].filter((name) => chosen(name));
        const holds = (name: string) => world.claims.get(name)!.volume !== null;
        const replicated = [...world.applications].map(([application, { replicas, claims }]): Replicated => ({
          ...{ application, namespace: 'n', replicas, holding: claims.filter(holds) },
        }));
        const plan = planDeletion(
          names.map((name) => world.claims.get(name)!),
          replicated,
        );
        const now = carryOut(world, names, false);
        const later = carryOut(world, names, true);
        const own = (at: { copy: boolean }) => !at.copy;
        expect(plan.destroyed).toBe(total(world.data, own) - total(now, own));
        expect(plan.inGrace).toBe(total(now, own) - total(later, own));
        expect(plan.copiesDestroyed).toBe(total(world.data, (a) => a.copy) - total(later, (a) => a.copy));
        expect(plan.destroyed + plan.inGrace + plan.kept).toBe(
          names.reduce((sum, name) => sum + (world.claims.get(name)!.volume?.used ?? 0), 0),
        );
        expect(plan.claims.flatMap((c) => c.pods)).toEqual(names.flatMap((name) => world.claims.get(name)!.pods));
        for (const after of plan.applications) {
          const { replicas, claims } = world.applications.get(after.application)!;
          // a replica whose claim is gone starts with nothing, whatever became of its volume
          const withData = claims.filter((name) => holds(name) && !names.includes(name)).length;
          expect(after.after).toBe(withData);
          expect(after.keepsMajority).toBe(withData > replicas / 2);
          expect(after.losesAll).toBe(withData === 0);
        }
      },
    ),
    { numRuns: 400 },
  );
});

test.each<[Partial<NonNullable<Deletable['volume']>> | null, string]>([
  [null, 'nothing'],
  [{}, 'destroyed'],
  [{ graceDays: 3 }, 'grace'],
  [{ reclaim: 'Retain' }, 'kept'],
  // claim and volume gone together is no deletion of a claim: it is kept
  [{ reclaim: null }, 'kept'],
  [{ adopted: true }, 'kept'],
])('a volume that is %j is %s', (part, fate) => {
  const volume = { bytes: 10, used: 5, reclaim: 'Delete' as const, graceDays: 0, adopted: false, copiesOn: [] };
  expect(volumeFate({ volume: part && { ...volume, ...part } })).toBe(fate);
});

test('a name has to be typed where written data would be destroyed, and only there', () => {
  const claim = (used: number, graceDays = 0): Deletable => ({
    ...{ namespace: 'n', name: 'a', pods: [], application: null },
    volume: { bytes: 10, used, reclaim: 'Delete', graceDays, adopted: false, copiesOn: [] },
  });
  expect([claim(5), claim(0), claim(5, 7)].map((c) => planDeletion([c], []).confirm)).toEqual([true, false, false]);
});
