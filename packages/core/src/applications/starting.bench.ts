/** How long plans of applications take: `node starting.bench.mjs`. Prints JSON; milliseconds, medians. */
import { aClass, anInput, aPool } from '../placement/testing';
import { seeded } from '../placement/seeded';
import { GiB, gibibytes, tebibytes, type Bytes } from '../sizes/bytes';
import type { ReplicaDisk } from '../replicas/place';
import { hostKey, placePods, zoneKey, type PodAsked, type PodNode } from './pods';
import { planStart, type StartingReplica } from './start';

const random = seeded(7);
const zones = ['north', 'middle', 'south'];
const nodes = Array.from({ length: 200 }, (_, i): PodNode => ({
  ...{ name: `quay-${i}`, ready: i % 40 !== 0, cordoned: i % 33 === 0, taints: [], pods: Math.floor(random() * 60) },
  labels: { [hostKey]: `quay-${i}`, [zoneKey]: zones[i % 3]! },
  ...{ volumes: Array.from({ length: 20 }, (__, k) => `v${i}-${k}`), mostVolumes: 128, mostPods: 110 },
  ...{ freeCpu: 24_000, freeMemory: 96 * GiB },
}));
const disks = nodes.slice(0, 60).flatMap(({ name }, i) =>
  Array.from({ length: 4 }, (_, k): ReplicaDisk => ({
    ...{ id: `${name}-d${k}`, node: name, domain: name, usable: i % 19 !== 0 },
    ...{ capacity: 4096 * GiB, used: Math.floor(random() * 2000) * GiB },
  })),
);
const spread = aPool('kelp-nvme', {
  backend: 'kelp',
  redundancy: {
    ...{ kind: 'spread', level: 'node', scheme: { kind: 'copies', copies: 3 }, disks },
    domains: nodes.slice(0, 60).map((n) => ({ name: n.name, capacity: gibibytes(16_384), live: true })),
  },
});
const pools = [
  spread,
  ...Array.from({ length: 11 }, (_, i) =>
    aPool(`basalt-${i}`, { redundancy: { kind: 'inner', survives: 2, usable: tebibytes(20 + i) } }),
  ),
];
/** Evenly over the zones; a rule by node would let nobody beyond one on each node while one of them takes no pods. */
const evenly = { key: zoneKey, maxSkew: 1, labels: { app: 'store' } };
const pod = (i: number, by: 'any' | 'zones', volumes: readonly string[]): PodAsked => ({
  ...{ name: `store-${i}`, namespace: 'tides', owner: 'store', labels: { app: 'store' }, nodeSelector: {} },
  ...{ tolerations: [], volumes, cpu: 250, memory: GiB, spread: by === 'zones' ? [evenly] : [] },
});
const classes = [aClass({ copies: 3 }), aClass({ name: 'general', copies: 2 })];
const { pools: known, ...input } = anInput(pools);

function median(times: number, work: () => unknown): number {
  const all = Array.from({ length: times }, () => {
    const began = performance.now();
    work();
    return performance.now() - began;
  }).sort((a, b) => a - b);
  return all[Math.floor(times / 2)]!;
}

const replicas = Array.from({ length: 500 }, (_, i): StartingReplica => {
  const { volumes: _volumes, ...asked } = pod(i, 'zones', []);
  return {
    pod: asked,
    claims: classes.map((storageClass, k) => {
      const name = `data-${k}-store-${i}`;
      const claim = { ...input.claim, size: gibibytes(k === 0 ? 20 : 5) as Bytes };
      return { name, batch: { id: name, input: { ...input, claim, storageClass } } };
    }),
  };
});
const begun = planStart(replicas, known, nodes, []);
const moving = Array.from({ length: 1000 }, (_, i) => pod(i, 'any', [`moving-${i}`]));
console.log(
  JSON.stringify({
    startMs: median(5, () => planStart(replicas, known, nodes, [])),
    fits: begun.fits,
    placeMs: median(9, () => placePods(moving, nodes, [])),
    placed: placePods(moving, nodes, []).filter((p) => 'node' in p).length,
  }),
);
