import type { Backend } from './model';
import type { PoolSeed } from './seed';

const stepMs = 5 * 60_000;
const dayMs = 24 * 60 * 60_000;

/** A number in [0, 1) that is the same for the same text and step. */
function noise(seed: string, step: number): number {
  let h = 2166136261 ^ step;
  for (const c of seed) h = Math.imul(h ^ c.charCodeAt(0), 16777619);
  h = Math.imul(h ^ (h >>> 15), 2246822507);
  return ((h ^ (h >>> 13)) >>> 0) / 2 ** 32;
}

/** Operations per second of a pool at a moment: quiet at night, two humps by day, growing with what is written on it. */
export function loadAt(backend: Backend, pool: PoolSeed, at: Date): { iops: number; bytes: number; latencyMs: number } {
  const { iops: most } = backend.speed(pool);
  const { allocated, consumed } = backend.figures(pool);
  if (most === 0) return { iops: 0, bytes: 0, latencyMs: 0 };
  const hour = at.getUTCHours() + at.getUTCMinutes() / 60;
  const hump = (centre: number, width: number) => Math.exp(-(((hour - centre) / width) ** 2));
  const daily = 0.25 + 0.55 * hump(10, 2.5) + 0.45 * hump(15.5, 3) + 0.2 * hump(2, 1);
  const busy = Math.min(0.95, (0.4 + (0.5 * consumed) / Math.max(1, allocated)) * daily);
  const utilisation = Math.min(0.97, busy * (0.85 + 0.3 * noise(pool.id, Math.floor(at.getTime() / stepMs))));
  const iops = Math.round(utilisation * most);
  const service = pool.raidTypes.includes('RAID6') && pool.kind === 'shards' ? 6 : 0.35;
  return { iops, bytes: iops * 16 * 1024, latencyMs: Number((service / (1 - utilisation)).toFixed(3)) };
}

/** The last 24 hours in steps of five minutes, in the form of a metric report. */
export function loadReport(backend: Backend, pool: PoolSeed, now: Date) {
  const end = Math.floor(now.getTime() / stepMs) * stepMs;
  const values: { MetricId: string; MetricValue: string; Timestamp: string }[] = [];
  for (let t = end - dayMs + stepMs; t <= end; t += stepMs) {
    const at = new Date(t);
    const { iops, bytes, latencyMs } = loadAt(backend, pool, at);
    const Timestamp = at.toISOString();
    values.push(
      { MetricId: 'IOPS', MetricValue: String(iops), Timestamp },
      { MetricId: 'BytesPerSecond', MetricValue: String(bytes), Timestamp },
      { MetricId: 'LatencyMilliseconds', MetricValue: String(latencyMs), Timestamp },
    );
  }
  return values;
}
