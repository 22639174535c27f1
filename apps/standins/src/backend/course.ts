import { operationsUntil, serviceMs, type Done } from './io';
import type { Backend } from './model';
import type { Volume } from './resources';

const hourMs = 3_600_000;
const dayMs = 24 * hourMs;
/** Between the values of a report of volumes, and how many days of reports are kept. */
const reportEveryMs = 3 * hourMs;
const keptDays = 90;

/** How what is written on a volume goes on: so many bytes at a moment, so many more each day, by so large a share, up and down a little. */
export interface Course {
  readonly at: string;
  readonly consumed: number;
  readonly perDay: number;
  /** Of what is written, each day. */
  readonly share: number;
}

/** What was, or will be, written on a volume at a moment, by its course; what is written where it has none. */
export function consumedAt(volume: Volume, at: number): number {
  const { course } = volume;
  if (!course) return volume.consumed;
  const days = (at - Date.parse(course.at)) / dayMs;
  const wave = 1 + 0.004 * Math.sin((2 * Math.PI * at) / dayMs) + 0.006 * Math.sin((2 * Math.PI * at) / (7 * dayMs));
  const bytes = (course.consumed * (1 + course.share) ** days + course.perDay * days) * wave;
  return Math.round(Math.min(volume.capacity, Math.max(0, bytes)));
}

/** Lets what is written on volumes have gone on as their courses say. */
export function settle(backend: Backend): void {
  const now = backend.clock.now().getTime();
  for (const volume of backend.volumes.values()) if (volume.course) volume.consumed = consumedAt(volume, now);
}

const dayOf = (at: number): string => new Date(at).toISOString().slice(0, 10);

/** Days of which there are reports of volumes: those that are over, since the first volume was made. */
export function reportedDays(backend: Backend): string[] {
  const now = backend.clock.now().getTime();
  const first = Math.min(now, ...[...backend.volumes.values()].map((v) => Date.parse(v.madeAt ?? '') || now));
  const days: string[] = [];
  for (
    let day = Math.max(Math.floor(first / dayMs), Math.floor(now / dayMs) - keptDays) * dayMs;
    day + dayMs <= now;
    day += dayMs
  )
    days.push(dayOf(day));
  return days;
}

/** A day of volumes and pools, in the values of a metric report. `paths`: where they are. */
export function volumesOfDay(
  backend: Backend,
  day: string,
  paths: { readonly volume: (id: string) => string; readonly pool: (id: string) => string },
) {
  const values: { MetricId: string; MetricValue: string; Timestamp: string; MetricProperty: string }[] = [];
  const from = Date.parse(`${day}T00:00:00Z`);
  for (let at = from; at < from + dayMs; at += reportEveryMs) {
    if (backend.silent.some((s) => at >= Date.parse(s.from) && at < Date.parse(s.to))) continue;
    const Timestamp = new Date(at).toISOString();
    const then = (volume: Volume) => (Date.parse(volume.madeAt ?? '') > at ? 0 : consumedAt(volume, at));
    for (const pool of backend.pools.values())
      values.push({
        ...{ MetricId: 'ConsumedBytes', Timestamp, MetricProperty: paths.pool(pool.id) },
        MetricValue: String(backend.figures(pool, then).consumed),
      });
    for (const volume of backend.volumes.values()) {
      if (Date.parse(volume.madeAt ?? '') > at) continue;
      const ceiling = backend.serviceClasses.get(volume.serviceClass ?? '')?.maxIops;
      const operations: Done = (t) => operationsUntil(volume, ceiling, t);
      const iops = (operations(at) - operations(at - 60_000)) / 60;
      const MetricProperty = paths.volume(volume.id);
      values.push(
        { MetricId: 'ConsumedBytes', MetricValue: String(consumedAt(volume, at)), Timestamp, MetricProperty },
        { MetricId: 'IOPS', MetricValue: iops.toFixed(2), Timestamp, MetricProperty },
        { MetricId: 'BytesPerSecond', MetricValue: String(Math.round(iops * 16 * 1024)), Timestamp, MetricProperty },
        {
          ...{ MetricId: 'LatencyMilliseconds', Timestamp, MetricProperty },
          MetricValue: serviceMs(volume, backend.pools.get(volume.pool)).toFixed(3),
        },
      );
    }
  }
  return values;
}
