import fc from 'fast-check';
import {
  answersWithout,
  reachableWithout,
  standsIn,
  worstCopy,
  type Application,
  type StandingLevel,
} from './application';
import { commonPoints, type CommonPoint } from './common-points';
import { afterActs, aClaim, aPart, aReplica, copiesOn, ground } from './testing';
import { spreadOf, type Choice } from './spread';

const told = (points: readonly CommonPoint[]) =>
  points.map((p) => `${p.of} ${p.level} ${p.name}: ${p.pods.join(',')} ${p.leaves}`);
const onArray = (pool: string, i: number) => aClaim(`data-${i}`, aPart(pool));

describe('what stops an application in one go', () => {
  test('two replicas on one node are told of the node, not of its rack and zone as well', () => {
    const application = {
      replicas: [
        aReplica('a-0', 'quay-1', onArray('basalt-swift', 0)),
        aReplica('a-1', 'quay-1', onArray('gneiss-shared', 1)),
        aReplica('a-2', 'quay-5', onArray('kelp-nvme', 2)),
      ],
    };
    expect(told(commonPoints(application, ground))).toEqual(['replicas node quay-1: a-0,a-1 no-more-than-half']);
    expect(commonPoints(application, ground)[0]!.standing).toEqual(['a-0', 'a-1']);
  });

  test('a zone is one where it takes no less than half of the replicas, and none where it takes fewer', () => {
    const at = (nodes: string[]) => ({ replicas: nodes.map((n, i) => aReplica(`a-${i}`, n)) });
    expect(told(commonPoints(at(['quay-1', 'quay-3', 'quay-5']), ground))).toEqual([
      'replicas zone north: a-0,a-1 no-more-than-half',
    ]);
    expect(commonPoints(at(['quay-1', 'quay-5', 'quay-9']), ground)).toEqual([]);
    expect(commonPoints(at(['quay-1', 'quay-3', 'quay-5', 'quay-6', 'quay-9']), ground)).toEqual([]);
  });

  test('all volumes on one array: the array is told, and its pool adds nothing', () => {
    const nodes = ['quay-1', 'quay-5', 'quay-9'];
    const on = (pools: string[]) => ({
      replicas: pools.map((pool, i) => aReplica(`a-${i}`, nodes[i], onArray(pool, i))),
    });
    expect(told(commonPoints(on(['basalt-swift', 'basalt-swift', 'basalt-swift']), ground))).toEqual([
      'replicas backend basalt: a-0,a-1,a-2 none',
    ]);
    expect(told(commonPoints(on(['basalt-swift', 'basalt-swift', 'basalt-broad']), ground))).toEqual([
      'replicas backend basalt: a-0,a-1,a-2 none',
      'replicas pool basalt-swift: a-0,a-1 no-more-than-half',
    ]);
    expect(commonPoints(on(['basalt-swift', 'gneiss-shared', 'kelp-nvme']), ground)).toEqual([]);
  });

  test('what is also kept in step on another array hangs on neither', () => {
    const twice = (i: number) => aClaim(`data-${i}`, aPart('basalt-swift'), aPart('gneiss-shared'));
    const replicas = ['quay-1', 'quay-5'].map((n, i) => aReplica(`a-${i}`, n, twice(i)));
    expect(commonPoints({ replicas }, ground)).toEqual([]);
  });

  test('copies count: a node that holds most votes of two volumes stops both, though no pod is on it', () => {
    const claim = (i: number) => aClaim(`data-${i}`, aPart(`kelp${i}-nvme`, copiesOn('quay-3', `quay-${5 + i}`)));
    const application = {
      replicas: [aReplica('a-0', 'quay-9', claim(0)), aReplica('a-1', 'quay-2', claim(1))],
    };
    const [first] = commonPoints(application, ground);
    expect(told([first!])).toEqual(['replicas disk quay-3-d1: a-0,a-1 none']);
    expect([first!.standing, first!.claims]).toEqual([[], ['data-0', 'data-1']]);
  });

  test('all copies of a volume in one zone, and a witness beside the copy that it should outvote', () => {
    const alone = (...nodes: string[]) => ({
      replicas: [aReplica('a-0', 'quay-1', aClaim('data-0', aPart('kelp-nvme', copiesOn(...nodes))))],
    });
    expect(told(commonPoints(alone('quay-1', 'quay-2', 'quay-4'), ground))).toEqual(['copies zone north: a-0 none']);
    expect(told(commonPoints(alone('quay-1', 'quay-5', 'w:quay-2'), ground))).toEqual([
      'witness rack north-1: a-0 none',
    ]);
    expect(commonPoints(alone('quay-1', 'quay-5', 'w:quay-9'), ground)).toEqual([]);
    expect(told(commonPoints(alone('quay-1', 'quay-3', 'w:quay-4'), ground))).toEqual([
      'witness rack north-2: a-0 none',
      'copies zone north: a-0 none',
    ]);
    expect(told(commonPoints(alone('quay-1', 'quay-2', 'w:quay-4'), ground))).toEqual([
      'copies rack north-1: a-0 none',
    ]);
    expect(commonPoints(alone('quay-1', 'quay-5', 'quay-9'), ground)).toEqual([]);
  });

  test('a claim without a volume, and one whose data cannot be reached as it is, are no reason', () => {
    const gone = copiesOn('quay-3', 'quay-5').map((c) => ({ ...c, state: 'lost' as const }));
    const application = {
      replicas: [
        aReplica('a-0', 'quay-1', aClaim('data-0'), aClaim('logs-0', aPart('kelp-nvme', gone))),
        aReplica('a-1', 'quay-9', aClaim('data-1'), aClaim('logs-1', aPart('kelp-nvme', gone))),
      ],
    };
    expect(commonPoints(application, ground)).toEqual([]);
    expect(worstCopy(application)).toBe('lost');
  });
});

test('a part answers with more than half of its votes and one whole copy, or with as many shards as it needs', () => {
  const three = aPart('kelp-nvme', copiesOn('quay-1', 'quay-5', 'w:quay-9'));
  expect(answersWithout(three, ground, { level: 'node', name: 'quay-1' })).toBe(true);
  expect(answersWithout(three, ground, { level: 'zone', name: 'middle' })).toBe(true);
  const stale = aPart('kelp-nvme', [
    { disk: 'd', node: 'quay-1', state: 'stale', role: 'data' },
    ...copiesOn('quay-5', 'w:quay-9'),
  ]);
  expect(answersWithout(stale, ground)).toBe(true);
  expect(answersWithout(stale, ground, { level: 'node', name: 'quay-9' })).toBe(false);
  const shards = aPart('kelp-deep', copiesOn('quay-1', 'quay-2', 'quay-5', 'quay-6', 'quay-9', 'quay-10'), {
    needs: 4,
  });
  expect(answersWithout(shards, ground, { level: 'zone', name: 'north' })).toBe(true);
  expect(answersWithout({ ...shards, needs: 5 }, ground, { level: 'zone', name: 'north' })).toBe(false);
});

const nodes = [...ground.keys()];
const anyCopies = fc
  .tuple(
    fc.uniqueArray(fc.constantFrom(...nodes), { minLength: 1, maxLength: 4 }),
    fc.array(fc.constantFrom(...(['in-sync', 'in-sync', 'in-sync', 'resyncing', 'lost'] as const)), {
      minLength: 4,
      maxLength: 4,
    }),
  )
  .map(([n, states]) => copiesOn(...n).map((c, i) => ({ ...c, state: states[i]! })));
const anyApplication: fc.Arbitrary<Application> = fc
  .array(
    fc.record({
      node: fc.option(fc.constantFrom(...nodes.slice(0, 6)), { nil: undefined }),
      volumes: fc.array(
        fc.oneof(
          fc.constantFrom('basalt-swift', 'basalt-broad', 'gneiss-shared').map((pool) => aPart(pool)),
          anyCopies.map((copies) => aPart('kelp-nvme', copies)),
        ),
        { maxLength: 2 },
      ),
    }),
    { maxLength: 6 },
  )
  .map((rows) => ({
    replicas: rows.map(({ node, volumes }, i) =>
      aReplica(`a-${i}`, node, ...volumes.map((v, k) => aClaim(`c${k}-a-${i}`, v))),
    ),
  }));

test('nothing that stops all replicas is missing, and each point names exactly those that stop', () => {
  fc.assert(
    fc.property(anyApplication, (application) => {
      const points = commonPoints(application, ground).filter((p) => p.of === 'replicas');
      const stoppedBy = (level: StandingLevel, name: string) =>
        application.replicas
          .filter(
            (r) =>
              (r.node !== undefined && standsIn(ground, r.node, level) === name) ||
              r.claims.some((c) => reachableWithout(c, ground) && !reachableWithout(c, ground, { level, name })),
          )
          .map((r) => r.pod)
          .sort();
      for (const p of points) expect(p.pods).toEqual(stoppedBy(p.level, p.name));
      const all = application.replicas.map((r) => r.pod).sort();
      if (all.length < 2) return;
      const things: [StandingLevel, string][] = [
        ...nodes.map((n): [StandingLevel, string] => ['node', n]),
        ...['north', 'middle', 'south'].map((z): [StandingLevel, string] => ['zone', z]),
        ...['basalt', 'gneiss', 'kelp'].map((b): [StandingLevel, string] => ['backend', b]),
      ];
      for (const [level, name] of things)
        if (stoppedBy(level, name).length === all.length)
          expect(points.some((p) => p.leaves === 'none' && p.pods.length === all.length)).toBe(true);
    }),
  );
});

test('what a change would move takes its point away, and stays within what may be chosen', () => {
  const choice: Choice = {
    nodes,
    disksOf: (pool) =>
      pool === 'kelp-nvme'
        ? nodes.map((n) => ({ id: `${n}-d1`, node: n, domain: n, capacity: 2 ** 40, used: 0, usable: true }))
        : undefined,
    poolsFor: () =>
      ['gneiss-shared', 'basalt-broad', 'kelp-other'].map((pool) => ({ pool, backend: pool.split('-')[0]! })),
  };
  let changed = 0;
  fc.assert(
    fc.property(anyApplication, (application) => {
      for (const point of commonPoints(application, ground)) {
        const spread = spreadOf(point, application, ground, choice);
        if (spread.kind === 'none') continue;
        changed += 1;
        expect(spread.acts.length).toBeGreaterThan(0);
        const after = commonPoints(afterActs(application, spread.acts), ground);
        const same = after.filter((p) => p.of === point.of && p.level === point.level && p.name === point.name);
        if (point.of === 'replicas') expect(same).toEqual([]);
        else expect(same.flatMap((p) => p.claims).filter((c) => point.claims.includes(c))).toEqual([]);
      }
    }),
  );
  expect(changed).toBeGreaterThan(50);
});

test('copies that are out of step have to be in step first: moving others does not help', () => {
  const copies = copiesOn('quay-3', 'quay-5', 'quay-9').map(
    (c, i) => ({ ...c, state: i === 1 ? 'resyncing' : c.state }) as const,
  );
  const replicas = [0, 1].map((i) =>
    aReplica(`a-${i}`, `quay-${7 + i}`, aClaim(`d-${i}`, aPart(`kelp${i}`, [...copies]))),
  );
  const [point] = commonPoints({ replicas }, ground);
  expect(point).toMatchObject({ level: 'disk', name: 'quay-3-d1', leaves: 'none' });
  const disks = nodes.map((n) => ({ id: `${n}-d1`, node: n, domain: n, capacity: 2 ** 40, used: 0, usable: true }));
  const choice: Choice = { nodes, disksOf: () => disks, poolsFor: () => [] };
  expect(spreadOf(point!, { replicas }, ground, choice)).toEqual({ kind: 'none', why: 'not-in-step' });
});

test('where there is nothing else, or no room there, it says so instead', () => {
  const pods = { replicas: [aReplica('a-0', 'quay-1'), aReplica('a-1', 'quay-1')] };
  const [point] = commonPoints(pods, ground);
  const nothing: Choice = { nodes: ['quay-1'], disksOf: () => undefined, poolsFor: () => [] };
  expect(spreadOf(point!, pods, ground, nothing)).toEqual({ kind: 'none', why: 'no-other' });
  const bound = {
    replicas: pods.replicas.map((r) => ({ ...r, claims: [{ ...aClaim(`d-${r.pod}`), zones: ['south'] }] })),
  };
  expect(spreadOf(point!, bound, ground, { ...nothing, nodes: ['quay-1', 'quay-5'] })).toEqual({
    kind: 'none',
    why: 'no-room',
  });
  const copies = { replicas: [aReplica('a-0', 'quay-9', aClaim('d', aPart('kelp', copiesOn('quay-1', 'quay-2'))))] };
  const full = nodes.map((n) => ({ id: `${n}-d1`, node: n, domain: n, capacity: 2 ** 20, used: 0, usable: true }));
  expect(spreadOf(commonPoints(copies, ground)[0]!, copies, ground, { ...nothing, disksOf: () => full })).toEqual({
    kind: 'none',
    why: 'no-room',
  });
});
