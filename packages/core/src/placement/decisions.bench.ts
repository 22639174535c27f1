import { withVolume } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import { bytes, GiB, TiB, gibibytes } from '../sizes/bytes';
import { decide } from './decide';
import type { Mooring, PlacementInput } from './request';
import { seeded } from './seeded';
import { aClaim, aClass, aPool, moored } from './testing';

/**
 * Decisions per second: 100,000 claims over 200 pools with 10 moorings a class, each placed before the next is decided, beside a
 * bare loop that only checks bytes over the same arrays. Prints JSON.
 */
const claims = 100_000;
const poolCount = 200;
const classCount = 40;
const mooringsEach = 10;

const random = seeded(7);
const pick = (n: number): number => Math.floor(random() * n);
const makePools = (): Pool[] =>
  Array.from({ length: poolCount }, (_, i) =>
    aPool(`pool-${i}`, {
      redundancy: { kind: 'inner', survives: 2, usable: bytes((20 + pick(60)) * TiB) },
      iops: 2_000_000,
      overcommit: 1.5,
    }),
  );
const pools = makePools();
const classes = Array.from({ length: classCount }, (_, c) => ({
  storageClass: aClass({
    name: `class-${c}`,
    copies: 1 + (c % 3),
    strategy: (['in-order', 'spread', 'pack'] as const)[c % 3],
    iopsFloor: { kind: 'per-gib', perGiB: 2 },
  }),
  moorings: Array.from({ length: mooringsEach }, (_m, i): Mooring =>
    moored(pools[(c * 7 + i * 13) % poolCount]!.id, i + 1),
  ),
}));
const asked = Array.from({ length: claims }, () => ({ cls: pick(classCount), size: gibibytes(1 + pick(200)) }));

const state = new Map(pools.map((p) => [p.id, p]));
let placed = 0;
let checks = 0;
const began = performance.now();
for (const { cls, size } of asked) {
  const { storageClass, moorings } = classes[cls]!;
  const input: PlacementInput = { claim: aClaim({ size }), storageClass, moorings, pools: state, quotas: [] };
  const decision = decide(input);
  checks += decision.candidates.length;
  if (!decision.winner) continue;
  placed += 1;
  const pool = state.get(decision.winner)!;
  state.set(
    pool.id,
    withVolume(
      pool,
      { provisioned: decision.provisioned!, backendIops: decision.backendIops!, backendThroughput: 0 },
      storageClass,
    ),
  );
}
const decideMs = performance.now() - began;

// the bare loop: the first moored pool with bytes left, nothing else
const room = new Map(pools.map((p) => [p.id, 1.5 * (p.redundancy.kind === 'inner' ? p.redundancy.usable : 0)]));
let barePlaced = 0;
const bareBegan = performance.now();
for (const { cls, size } of asked)
  for (const { pool } of classes[cls]!.moorings) {
    const left = room.get(pool)!;
    if (left >= size) {
      room.set(pool, left - Math.ceil(size / GiB) * GiB);
      barePlaced += 1;
      break;
    }
  }
const bareMs = performance.now() - bareBegan;

console.log(
  JSON.stringify({
    claims,
    placed,
    barePlaced,
    checks,
    decisionsPerSecond: (1000 * claims) / decideMs,
    bareLoopPerSecond: (1000 * claims) / bareMs,
    peakMegabytes: Math.round(process.resourceUsage().maxRSS / 1024),
  }),
);
