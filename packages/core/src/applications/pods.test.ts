import fc from 'fast-check';
import { hostKey, placePods, zoneKey, type PodAsked, type PodNode } from './pods';
import { applicationManifests, claimNamesOf, spreadRules } from './set-manifest';

const aNode = (name: string, zone: string, part: Partial<PodNode> = {}): PodNode => ({
  ...{ name, ready: true, cordoned: false, taints: [], pods: 0, volumes: [] },
  labels: { [hostKey]: name, [zoneKey]: zone },
  ...part,
});
const aPod = (name: string, part: Partial<PodAsked> = {}): PodAsked => ({
  ...{ name, namespace: 'tides', owner: 'store', labels: { app: 'store' }, nodeSelector: {}, tolerations: [] },
  ...{ volumes: [], cpu: 0, memory: 0, spread: [] },
  ...part,
});
const three = () => [aNode('a', 'north'), aNode('b', 'north'), aNode('c', 'south')];
const onto = (places: ReturnType<typeof placePods>) => places.map((p) => ('node' in p ? p.node : null));
const against = (part: Partial<PodNode>, pod: Partial<PodAsked> = {}) => {
  const [place] = placePods([aPod('p', pod)], [aNode('a', 'north', part)], []);
  return place && 'against' in place ? place.against : undefined;
};

test('replicas keep apart: by node first, then by zone, then where fewest pods are', () => {
  expect(onto(placePods([aPod('p0'), aPod('p1'), aPod('p2'), aPod('p3')], three(), []))).toEqual(['a', 'c', 'b', 'c']);
  const busy = [aNode('a', 'north', { pods: 9 }), aNode('b', 'north'), aNode('c', 'south', { pods: 3 })];
  expect(onto(placePods([aPod('p0')], busy, []))).toEqual(['b']);
  const there = [{ namespace: 'tides', owner: 'store', labels: { app: 'store' }, node: 'a' }];
  expect(onto(placePods([aPod('p0')], three(), there))).toEqual(['c']);
});

test('each rule keeps a pod off, and says so of how many nodes', () => {
  const taint = { key: 'keep', effect: 'NoSchedule' };
  expect(against({ cordoned: true })).toEqual([{ rule: 'cordoned', nodes: 1 }]);
  expect(against({ taints: [taint] })).toEqual([{ rule: 'taint', nodes: 1 }]);
  expect(against({ taints: [taint] }, { tolerations: [{ key: 'keep', operator: 'Exists' }] })).toBeUndefined();
  expect(against({ ready: false })).toEqual([{ rule: 'not-ready', nodes: 1 }]);
  expect(against({}, { nodeSelector: { disk: 'fast' } })).toEqual([{ rule: 'selector', nodes: 1 }]);
  expect(against({}, { zones: ['south'] })).toEqual([{ rule: 'volume-zone', nodes: 1 }]);
  expect(against({ mostVolumes: 1, volumes: ['v'] }, { volumes: ['w'] })).toEqual([{ rule: 'attach-limit', nodes: 1 }]);
  expect(against({ mostVolumes: 1, volumes: ['v'] }, { volumes: ['v'] })).toBeUndefined();
  expect(against({ pods: 5, mostPods: 5 })).toEqual([{ rule: 'pods', nodes: 1 }]);
  expect(against({ freeCpu: 1 }, { cpu: 2 })).toEqual([{ rule: 'cpu', nodes: 1 }]);
  expect(against({ freeMemory: 1 }, { memory: 2 })).toEqual([{ rule: 'memory', nodes: 1 }]);
  const spread = spreadRules('nodes', { app: 'store' });
  const two = placePods(
    [aPod('p0', { spread }), aPod('p1', { spread }), aPod('p2', { spread })],
    three().slice(0, 1),
    [],
  );
  // the only node is the emptiest, however many are on it
  expect(onto(two)).toEqual(['a', 'a', 'a']);
  const cordoned = [aNode('a', 'north'), aNode('b', 'north', { cordoned: true })];
  expect(placePods([aPod('p0', { spread }), aPod('p1', { spread })], cordoned, [])[1]).toEqual({
    pod: 'p1',
    against: [
      { rule: 'cordoned', nodes: 1 },
      { rule: 'spread', nodes: 1 },
    ],
  });
});

test('whatever is asked, no node takes more than it may, and domains differ by no more than their rule says', () => {
  const anyNode = fc.record({
    zone: fc.constantFrom('north', 'south', 'middle'),
    cordoned: fc.boolean(),
    mostPods: fc.integer({ min: 1, max: 4 }),
    mostVolumes: fc.integer({ min: 1, max: 4 }),
    freeCpu: fc.integer({ min: 0, max: 6 }),
  });
  const anyPod = fc.record({
    volumes: fc.integer({ min: 0, max: 2 }),
    cpu: fc.integer({ min: 0, max: 2 }),
    wanted: fc.constantFrom('any', 'nodes', 'zones'),
    zones: fc.option(fc.subarray(['north', 'south', 'middle'], { minLength: 1 }), { nil: undefined }),
  });
  fc.assert(
    fc.property(
      fc.array(anyNode, { minLength: 1, maxLength: 6 }),
      fc.array(anyPod, { maxLength: 10 }),
      (some, asked) => {
        const nodes = some.map(({ zone, ...part }, i) => aNode(`n${i}`, zone, part));
        const pods = asked.map(({ volumes, cpu, wanted, zones }, i) =>
          aPod(`p${i}`, {
            ...{ cpu, owner: wanted, labels: { app: wanted } },
            volumes: Array.from({ length: volumes }, (_, k) => `v${i}-${k}`),
            spread: spreadRules(wanted, { app: wanted }),
            ...(zones && { zones }),
          }),
        );
        const on = new Map(nodes.map((n) => [n.name, [] as PodAsked[]]));
        for (const [i, place] of placePods(pods, nodes, []).entries()) {
          const pod = pods[i]!;
          if (!('node' in place)) {
            expect(place.against.reduce((sum, a) => sum + a.nodes, 0)).toBe(nodes.length);
            continue;
          }
          on.get(place.node)!.push(pod);
          const node = nodes.find((n) => n.name === place.node)!;
          expect([node.cordoned, pod.zones?.includes(node.labels[zoneKey]!) ?? true]).toEqual([false, true]);
          // at the moment when it is placed
          for (const { key, labels } of pod.spread) {
            const counts = new Map(nodes.map((n) => [n.labels[key]!, 0]));
            for (const n of nodes)
              counts.set(
                n.labels[key]!,
                counts.get(n.labels[key]!)! + on.get(n.name)!.filter((p) => p.labels.app === labels.app).length,
              );
            expect(counts.get(node.labels[key]!)! - Math.min(...counts.values())).toBeLessThanOrEqual(1);
          }
        }
        for (const node of nodes) {
          const there = on.get(node.name)!;
          expect(there.length).toBeLessThanOrEqual(node.mostPods!);
          const volumes = there.flatMap((p) => p.volumes);
          if (volumes.length > 0) expect(volumes.length).toBeLessThanOrEqual(node.mostVolumes!);
          expect(there.reduce((sum, p) => sum + p.cpu, 0)).toBeLessThanOrEqual(node.freeCpu!);
        }
      },
    ),
  );
});

test('an application is a service and a set, with a namespace where there is none, and claims named as the platform does', () => {
  const asked = {
    ...{ namespace: 'tides', name: 'store', replicas: 3, image: 'example/store', port: 8080, ordered: true },
    ...({ spread: 'zones', whenScaled: 'Retain', whenDeleted: 'Delete' } as const),
    templates: [
      {
        name: 'data',
        className: 'ledger',
        size: '4Gi',
        modes: ['ReadWriteOnce' as const],
        volumeMode: 'Filesystem' as const,
      },
      {
        name: 'raw',
        className: 'ledger',
        size: '1Gi',
        modes: ['ReadWriteOnce' as const],
        volumeMode: 'Block' as const,
      },
    ],
  };
  expect(applicationManifests(asked, true).map((o) => o.kind)).toEqual(['Namespace', 'Service', 'StatefulSet']);
  const [, set] = applicationManifests(asked, false) as [object, { spec: Record<string, unknown> }];
  expect(set.spec).toMatchObject({
    ...{ replicas: 3, serviceName: 'store', podManagementPolicy: 'OrderedReady' },
    persistentVolumeClaimRetentionPolicy: { whenScaled: 'Retain', whenDeleted: 'Delete' },
    template: {
      spec: {
        topologySpreadConstraints: [{ topologyKey: zoneKey }, { topologyKey: hostKey }],
        containers: [{ volumeMounts: [{ name: 'data' }], volumeDevices: [{ name: 'raw' }] }],
      },
    },
  });
  expect(claimNamesOf(asked, 2)).toEqual(['data-store-2', 'raw-store-2']);
});
