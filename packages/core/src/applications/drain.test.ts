import fc from 'fast-check';
import { planDrain, type DrainedPod } from './drain';
import { hostKey, zoneKey, type PodAsked, type PodNode } from './pods';

const aNode = (name: string, part: Partial<PodNode> = {}): PodNode => ({
  ...{ name, ready: true, cordoned: false, taints: [], pods: 1, volumes: [] },
  labels: { [hostKey]: name, [zoneKey]: name[0]! },
  ...part,
});
const aPod = (name: string, part: Partial<PodAsked> = {}): PodAsked => ({
  ...{ name, namespace: 'tides', owner: name.split('-')[0]!, labels: {}, nodeSelector: {}, tolerations: [] },
  ...{ volumes: [], cpu: 0, memory: 0, spread: [] },
  ...part,
});
const on = (name: string, part: Partial<DrainedPod> = {}, pod: Partial<PodAsked> = {}): DrainedPod => ({
  ...{ pod: aPod(name, pod), ownerKind: 'StatefulSet', hasLocalData: false, budgets: [] },
  ...part,
});
const nodes = ['a1', 'b1', 'c1'].map((n) => aNode(n));
const budget = (allowed: number, everAllowed = 1) => new Map([['keep', { name: 'keep', allowed, everAllowed }]]);
const plan = (pods: DrainedPod[], budgets = budget(1), of = nodes) => planDrain('a1', pods, of, [], budgets);

test('each pod goes to a node that takes it, and never back to the one that is emptied', () => {
  const { pods, isPossible } = plan([on('store-0'), on('store-1')]);
  expect(isPossible).toBe(true);
  expect(pods.map((p) => p.fate)).toEqual([
    { kind: 'moves', to: 'b1', waits: false },
    { kind: 'moves', to: 'c1', waits: false },
  ]);
});

test('what cannot go says why', () => {
  const fateOf = (pod: DrainedPod, budgets = budget(1), of = nodes) => plan([pod], budgets, of).pods[0]!.fate;
  expect(fateOf({ pod: aPod('alone'), hasLocalData: false, budgets: [] })).toEqual({ kind: 'cannot', why: 'no-owner' });
  expect(fateOf(on('store-0', { hasLocalData: true }))).toEqual({ kind: 'cannot', why: 'local-data' });
  expect(fateOf(on('store-0', { ownerKind: 'DaemonSet', hasLocalData: true }))).toEqual({ kind: 'stays' });
  expect(fateOf(on('store-0', { budgets: ['keep'] }), budget(0, 0))).toEqual({
    ...{ kind: 'cannot', why: 'budget', budget: 'keep' },
  });
  const far = on('store-0', {}, { zones: ['a'] });
  expect(fateOf(far)).toEqual({
    ...{ kind: 'cannot', why: 'no-node' },
    against: [
      { rule: 'cordoned', nodes: 1 },
      { rule: 'volume-zone', nodes: 2 },
    ],
  });
  expect(plan([far]).isPossible).toBe(false);
});

test('of one budget as many go at once as it allows, after those in none', () => {
  const { pods } = plan([on('a-0', { budgets: ['keep'] }), on('a-1', { budgets: ['keep'] }), on('z-0')]);
  expect(pods.map((p) => [p.pod, p.fate.kind === 'moves' && p.fate.waits])).toEqual([
    ['z-0', false],
    ['a-0', false],
    ['a-1', true],
  ]);
});

test('no node takes more than it may, whatever has to go', () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: 0, max: 4 }), { minLength: 1, maxLength: 5 }),
      fc.array(fc.integer({ min: 0, max: 3 }), { maxLength: 8 }),
      (room, volumes) => {
        const others = room.map((most, i) => aNode(`n${i}`, { pods: 0, mostPods: most, mostVolumes: 3 }));
        const pods = volumes.map((v, i) =>
          on(`s${i % 3}-${i}`, {}, { volumes: Array.from({ length: v }, (_, k) => `v${i}-${k}`) }),
        );
        const { pods: planned } = planDrain('a1', pods, [aNode('a1'), ...others], [], new Map());
        for (const { name, mostPods } of others) {
          const here = planned.filter((p) => p.fate.kind === 'moves' && p.fate.to === name).map((p) => p.pod);
          expect(here.length).toBeLessThanOrEqual(mostPods!);
          const attached = pods.filter((p) => here.includes(p.pod.name)).flatMap((p) => p.pod.volumes);
          expect(attached.length).toBeLessThanOrEqual(3);
        }
        expect(planned.some((p) => p.fate.kind === 'moves' && p.fate.to === 'a1')).toBe(false);
      },
    ),
  );
});
