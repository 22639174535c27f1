import { plainClass } from '@moorage/core/classes/storage-class';
import { meanValues, type Station } from '@moorage/core/performance/queueing';
import { seeded } from '@moorage/core/placement/seeded';
import { aPoolState, aState, type PoolState } from './testing';
import { prepare, type TriedClaim } from '@moorage/contract/placement-input';
import { explain, outlooks, tryEverywhere } from './trial';

/**
 * What a key pressed in "Try a claim" costs the worker: 60 classes, 200 pools, ten moorings a class; beside the same claim
 * without the state made ready before. And mean value analysis beside a loop over the same number of steps. Prints JSON.
 */
const GiB = 2 ** 30;
const random = seeded(11);
const pick = (n: number): number => Math.floor(random() * n);
const [classCount, poolCount] = [60, 200];

const redundancy = (i: number): PoolState['facts']['redundancy'] =>
  i % 3 === 0
    ? {
        kind: 'spread',
        scheme: { kind: 'copies', copies: 3 },
        level: 'node',
        domains: Array.from({ length: 8 }, (_, d) => ({
          name: `n${d}`,
          capacity: (900 + pick(900)) * GiB,
          live: true,
        })),
      }
    : { kind: 'inner', survives: 1 + (i % 2), usable: (20 + pick(100)) * 1024 * GiB };

const poolAt = (i: number): PoolState =>
  aPoolState(
    `pool-${i}`,
    {
      backend: `backend-${i % 20}`,
      reservedRaw: pick(2000) * GiB,
      reservedBytes: pick(1000) * GiB,
      promisedIops: pick(20_000),
      largest: 500 * GiB,
      overcommit: 1.5,
      allotment: i % 7 === 0 ? 9000 * GiB : null,
    },
    {
      access: i % 5 === 0 ? ['block', 'file'] : ['block'],
      sharedBlock: i % 3 === 0,
      encryption: i % 4 !== 0,
      snapshots: true,
      clones: true,
      offsite: i % 2 === 0,
      maximum: 65_536 * GiB,
      redundancy: redundancy(i),
      iops: 100_000,
      throughput: 5e9,
    },
  );

const state = aState({
  classes: Array.from({ length: classCount }, (_, c) => ({
    ...plainClass,
    name: `class-${c}`,
    copies: 1 + (c % 3),
    encrypted: c % 2 === 0,
    expansion: true,
    strategy: (['in-order', 'spread', 'pack'] as const)[c % 3]!,
    iopsFloor: { kind: 'per-gib', perGiB: 2 },
  })),
  defaultClass: 'class-0',
  pools: Array.from({ length: poolCount }, (_, i) => poolAt(i)),
  moorings: Array.from({ length: classCount * 10 }, (_, m) => ({
    className: `class-${Math.floor(m / 10)}`,
    pool: `pool-${(Math.floor(m / 10) * 7 + (m % 10) * 13) % poolCount}`,
    enabled: true,
    order: (m % 10) + 1,
    weight: 1,
    version: 1,
  })),
  limits: [{ namespace: 'ferry-desk', className: null, bytes: 90_000 * GiB }],
  held: Array.from({ length: 300 }, (_, i) => ({
    className: `class-${i % classCount}`,
    pool: `pool-${pick(poolCount)}`,
    bytes: (1 + pick(500)) * GiB,
    count: 1 + pick(20),
    floor: 0,
  })),
  usage: [{ namespace: 'ferry-desk', className: 'class-1', provisioned: 100 * GiB }],
  namespaces: ['ferry-desk'],
});

const tried = (gib: number): TriedClaim => ({
  size: gib * GiB,
  mode: 'ReadWriteOnce',
  volumeMode: 'Filesystem',
  namespace: 'ferry-desk',
  zone: '',
});

const middle = (of: number[]): number => of.sort((a, b) => a - b)[Math.floor(of.length / 2)]!;
const timed = (times: number, work: (n: number) => unknown): number =>
  middle(
    Array.from({ length: times }, (_, n) => {
      const began = performance.now();
      work(n);
      return performance.now() - began;
    }),
  );

const prepared = prepare(state);
timed(30, (n) => tryEverywhere(prepared, tried(n + 1)));
const key = timed(process.env.ONLYKEY ? 600 : 60, (n) => tryEverywhere(prepared, tried(3 * n + 1)));
const cold = process.env.ONLYKEY ? 0 : timed(10, (n) => tryEverywhere(prepare(state), tried(n + 1)));
const one = timed(30, (n) => explain(prepared, tried(n + 1), 'class-3', 'pool-9'));
const outlook = timed(10, () => outlooks(prepared));

const stations: Station[] = Array.from({ length: 12 }, (_, i) => ({
  name: `s${i}`,
  kind: i === 11 ? 'delay' : 'queue',
  demandMs: 0.05 + i / 100,
}));
timed(200, () => meanValues(stations, 512, 2));
const mva = timed(50, () => meanValues(stations, 512, 2));
const last = (stationsOf: Station[], clients: number) => meanValues(stationsOf, clients, 2)[clients - 1]!.throughput;
const queue: Station = { name: 'device', kind: 'queue', demandMs: 0.25 };

console.log(
  JSON.stringify({
    classes: classCount,
    pools: poolCount,
    key,
    cold,
    one,
    outlook,
    mva,
    checkOne: last([queue], 8),
    checkTwo: last([queue, { name: 'network', kind: 'delay', demandMs: 0.2 }], 8),
  }),
);
