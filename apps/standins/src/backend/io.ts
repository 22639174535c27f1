import type { PoolSeed } from './seed';
import type { Volume } from './resources';

const dayMs = 24 * 60 * 60_000;
const weekMs = 7 * dayMs;
const GiB = 2 ** 30;
/** Bytes of an operation, and the share of operations that read. */
const bytesOf = 16 * 1024;
const readShare = 0.7;

/** A number in [0, 1) that is the same for the same text. */
function draw(text: string): number {
  let h = 2166136261;
  for (const c of text) h = Math.imul(h ^ c.charCodeAt(0), 16777619);
  h = Math.imul(h ^ (h >>> 15), 2246822507);
  return ((h ^ (h >>> 13)) >>> 0) / 2 ** 32;
}

/** How many operations a volume was asked for, up to a moment, from the epoch on: by day and by week it goes up and down. */
export function operationsUntil(volume: Volume, ceiling: number | undefined, at: number): number {
  const chance = draw(volume.name);
  const perSecond = Math.min((ceiling ?? Infinity) / 2, 1 + (0.1 + 0.8 * chance) * (volume.capacity / GiB));
  const wave = (periodMs: number, height: number, shift: number) => {
    const turn = (2 * Math.PI) / periodMs;
    return (-height / turn) * Math.cos(turn * at + shift);
  };
  const busyMs = at + wave(dayMs, 0.6, -2 - chance) + wave(weekMs, 0.25, 3);
  return (perSecond * busyMs) / 1000;
}

/** How many operations were asked for up to a moment. */
export type Done = (at: number) => number;

/** How long an operation on a volume takes, milliseconds. */
export const serviceMs = (volume: Volume, pool: PoolSeed | undefined): number =>
  (pool?.kind === 'shards' ? 6 : 0.4) * (1 + 0.5 * draw(volume.id));

/** What was done on a volume since it was made, in the standard's counts. */
export function ioStatistics(volume: Volume, pool: PoolSeed | undefined, ceiling: number | undefined, now: Date) {
  const since = Date.parse(volume.madeAt ?? now.toISOString());
  const operations = Math.max(
    0,
    operationsUntil(volume, ceiling, now.getTime()) - operationsUntil(volume, ceiling, since),
  );
  const reads = Math.floor(operations * readShare);
  const writes = Math.floor(operations) - reads;
  const kib = (n: number) => Math.floor((n * bytesOf) / 1024);
  const lasting = (n: number) => `PT${((n * serviceMs(volume, pool)) / 1000).toFixed(3)}S`;
  return {
    ReadIORequests: reads,
    ReadIOKiBytes: kib(reads),
    ReadIORequestTime: lasting(reads),
    WriteIORequests: writes,
    WriteIOKiBytes: kib(writes),
    WriteIORequestTime: lasting(writes),
  };
}
