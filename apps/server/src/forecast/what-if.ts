import type { AskedChange, KeptScenario, RunwayEnd, WhatIf, WhatIfAnswer } from '@moorage/contract/forecast';
import { footprintFactor, iopsLimit } from '@moorage/core/pools/pool';
import { backendRate } from '@moorage/core/performance/term';
import { goingOn } from '@moorage/core/usage/forecast';
import { purchasesFor, type Elsewhere } from '@moorage/core/usage/purchase';
import {
  play,
  runwayIn,
  type Part,
  type Played,
  type Scenario,
  type ScenarioChange,
  type ScenarioClass,
  type ScenarioPool,
} from '@moorage/core/usage/scenario';
import { listClasses } from '../classes/listing';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { record } from '../logbook/logbook';
import { listMoorings } from '../moorings/moorings';
import { Refusal } from '../refusals/refusal';
import { siteMoments } from '../usage/use.sql';
import { scenarios } from './forecast-model';
import { daysOfNamespaceOn, daysOfPools, partsNow, writtenOnPools, type DayRow } from './forecast.sql';
import { rawPools, type RawPool } from './pools';
import { poolSubjects, usualDays } from './reckon';

const dayMs = 24 * 3_600_000;
const TiB = 2 ** 40;
const mostKept = 500;

const perDayOf = (rows: readonly { readonly day: Date; readonly value: number }[], now: number, at: number) =>
  goingOn({
    ...{ now, at },
    course: { at: rows.map((r) => r.day.getTime()), value: rows.map((r) => r.value) },
  });

/** Bytes written each day of a part: what is promised anew each day, as much as gets written of what is promised. */
function partOf(
  part: Awaited<ReturnType<typeof partsNow>>[number],
  days: readonly DayRow[],
  namespace: string,
  at: number,
): Part {
  const rows = days.filter((d) => d.name === part.pool && d.class_name === part.class_name);
  const trend = perDayOf(
    rows.map((r) => ({ day: r.day, value: r.footprint })),
    part.promised,
    at,
  );
  const perDay = (trend?.slope ?? 0) * dayMs;
  const share = part.promised > 0 ? part.written / part.promised : 0;
  return {
    ...{ pool: part.pool, className: part.class_name, namespace, promised: part.promised, written: part.written },
    ...{ writtenPerDay: perDay * share, promisedPerDay: perDay, iops: part.backend_iops },
  };
}

async function scenarioOf(database: Database, now: Date, namespaces: readonly string[]) {
  const since = new Date(now.getTime() - usualDays * dayMs);
  const at = now.getTime();
  const raw = await rawPools(database);
  const written = await writtenOnPools(database, since, null);
  // as the runways have it, so that both say the same
  const subjects = await poolSubjects(database, now, usualDays);
  const slopeTo = (pool: string, against: RunwayEnd): number => {
    const found = subjects.find((s) => s.name === pool && s.against === against);
    return (found ? (goingOn(found.measured)?.slope ?? 0) : 0) * dayMs;
  };
  const pools = raw.map((p): ScenarioPool => {
    const rows = written.filter((w) => w.name === p.live.id && w.day.getTime() + dayMs <= at);
    const trend = perDayOf(
      rows.map((r) => ({ day: r.day, value: r.written })),
      p.written,
      at,
    );
    return {
      ...{ id: p.live.id, capacity: p.capacity, softMark: p.live.softMark, hardMark: p.live.hardMark },
      ...{ ceiling: p.ceiling, promised: p.promised, written: p.written },
      ...{ writtenPerDay: (trend?.slope ?? 0) * dayMs, low: trend?.low ?? 0, high: trend?.high ?? 0 },
      ...{ promisableIops: iopsLimit(p.core), iops: p.core.promisedIops, iopsPerDay: slopeTo(p.live.id, 'iops') },
      promisedPerDay: slopeTo(p.live.id, 'ceiling'),
    };
  });
  const parts = await partsNow(database, null);
  const days = await daysOfPools(database, since);
  const own: Part[] = [];
  for (const namespace of namespaces) {
    const its = await daysOfNamespaceOn(database, since, namespace, null);
    own.push(...(await partsNow(database, namespace)).map((p) => partOf(p, its, namespace, at)));
  }
  const classes = await classesOf(database, raw, parts);
  return {
    raw,
    scenario: { at, pools, classes, parts: [...parts.map((p) => partOf(p, days, '', at)), ...own] } satisfies Scenario,
  };
}

/** Where each class puts what it gets: as it did so far; one without any volume, in the first pool that it is moored to. */
async function classesOf(
  database: Database,
  raw: readonly RawPool[],
  parts: Awaited<ReturnType<typeof partsNow>>,
): Promise<ScenarioClass[]> {
  const byId = new Map(raw.map((p) => [p.live.id, p]));
  const moored = (await listMoorings(database)).filter((m) => m.enabled && byId.has(m.pool));
  return (await listClasses(database)).map(({ storageClass: c }) => {
    const on = parts.filter((p) => p.class_name === c.name && byId.has(p.pool));
    const all = on.reduce((sum, p) => sum + p.bytes, 0);
    const begins = moored.find((m) => m.className === c.name)?.pool;
    const shares =
      all > 0 ? on.map((p) => ({ id: p.pool, share: p.bytes / all })) : begins ? [{ id: begins, share: 1 }] : [];
    const promised = on.reduce((sum, p) => sum + p.promised, 0);
    const written = on.reduce((sum, p) => sum + p.written, 0);
    return {
      ...{ name: c.name, copies: c.copies },
      pools: shares.map(({ id, share }) => {
        const { core } = byId.get(id)!;
        const factor = footprintFactor(core, c.copies);
        return { id, share, factor, iopsFactor: backendRate(1, factor, core.amplification, c.writeShare) };
      }),
      // where nothing is written yet it is taken that all of it will be
      writtenShare: written > 0 ? written / promised : 1,
    };
  });
}

const dayAt = (day: string, now: number): number => Math.max(now, Date.parse(`${day}T00:00:00Z`));

/** The changes as the core knows them; what they name has to be there. */
function changesOf(asked: readonly AskedChange[], { at, pools, classes, parts }: Scenario): ScenarioChange[] {
  const known = (field: string, is: boolean, what: string, name: string) => {
    if (!is)
      throw Refusal.invalid(field, `There is no ${what} "${name}" any more. Take the change out, or name another.`);
  };
  const classNamed = (name: string) => classes.some((c) => c.name === name);
  const poolNamed = (name: string) => pools.some((p) => p.id === name);
  return asked.map((change, i): ScenarioChange => {
    const field = `changes.${i}`;
    switch (change.kind) {
      case 'application': {
        known(field, classNamed(change.className), 'class', change.className);
        const { from, ...rest } = change;
        return { ...rest, at: dayAt(from, at) };
      }
      case 'capacity': {
        known(field, poolNamed(change.pool), 'pool', change.pool);
        const { from, ...rest } = change;
        return { ...rest, at: dayAt(from, at) };
      }
      case 'copy':
        known(field, classNamed(change.className), 'class', change.className);
        return change;
      case 'move':
        known(field, classNamed(change.from), 'class', change.from);
        known(field, classNamed(change.to), 'class', change.to);
        known(
          field,
          parts.some((p) => p.namespace === change.namespace),
          'volume of namespace',
          change.namespace,
        );
        return change;
      case 'growth':
        if (change.of === 'pool') known(field, poolNamed(change.name), 'pool', change.name);
        if (change.of === 'class') known(field, classNamed(change.name), 'class', change.name);
        if (change.of === 'namespace')
          known(
            field,
            parts.some((p) => p.namespace === change.name),
            'volume of namespace',
            change.name,
          );
        return change;
    }
  });
}

/** Pools that a class which grows on one is moored to beside it. */
async function elsewhereOf(
  database: Database,
  raw: readonly RawPool[],
  { pools, classes, parts }: Scenario,
): Promise<Elsewhere[]> {
  const factorOn = (id: string, copies: number) => footprintFactor(raw.find((p) => p.live.id === id)!.core, copies);
  const moored = (await listMoorings(database)).filter((m) => m.enabled);
  return parts
    .filter((p) => p.namespace === '' && p.writtenPerDay > 0)
    .flatMap((part) => {
      const cls = classes.find((c) => c.name === part.className);
      const pool = pools.find((p) => p.id === part.pool);
      if (!cls || !pool || pool.writtenPerDay <= 0) return [];
      return moored
        .filter((m) => m.className === part.className && m.pool !== part.pool && pools.some((p) => p.id === m.pool))
        .map((m) => ({
          ...{ pool: part.pool, to: m.pool, className: part.className },
          factor: factorOn(m.pool, cls.copies) / factorOn(part.pool, cls.copies),
          share: Math.min(1, part.writtenPerDay / pool.writtenPerDay),
        }));
    });
}

/** What is bought for a pool at a time: a disk as it has them, and of an array a TiB. */
const unitOf = ({ live }: RawPool): number => live.usualDisk || TiB;

/** What changes would do to the pools, beside what goes on by itself, and what has to be bought so that they last as long as wished. */
export async function playScenario(
  database: Database,
  currency: string,
  { changes: asked, wish }: WhatIf,
): Promise<WhatIfAnswer> {
  const { now } = (await first(siteMoments(database)))!;
  const named = asked.flatMap((c) =>
    c.kind === 'move' ? [c.namespace] : c.kind === 'growth' && c.of === 'namespace' ? [c.name] : [],
  );
  const { raw, scenario } = await scenarioOf(database, now, [...new Set(named)]);
  const changes = changesOf(asked, scenario);
  const [before, after] = [play(scenario, []), play(scenario, changes)];
  const marks = (pool: ScenarioPool, played: Played) => {
    const to = (mark: Parameters<typeof runwayIn>[2]) => runwayIn(pool, played, mark, scenario.at);
    return { soft: to('soft'), hard: to('hard'), ceiling: to('ceiling'), iops: to('iops') };
  };
  const units = Object.fromEntries(raw.map((p) => [p.live.id, unitOf(p)]));
  const offered = raw.map((p) => {
    const perTiB = wish.pricePerTiB[p.live.tier];
    return { pool: p.live.id, unit: unitOf(p), price: perTiB === null ? null : (perTiB * unitOf(p)) / TiB };
  });
  const elsewhere = await elsewhereOf(database, raw, scenario);
  return {
    at: now.toISOString(),
    pools: scenario.pools.map((pool) => ({
      ...{ id: pool.id, backend: raw.find((p) => p.live.id === pool.id)!.live.backend },
      ...{ capacity: pool.capacity, written: pool.written, writtenPerDay: pool.writtenPerDay },
      thenPerDay: after.get(pool.id)!.writtenPerDay,
      now: marks(pool, before.get(pool.id)!),
      then: marks(pool, after.get(pool.id)!),
    })),
    purchases: purchasesFor(scenario.pools, after, scenario.at, wish.days, offered, elsewhere),
    units,
    currency,
  };
}

type Row = Awaited<ReturnType<typeof rowsOf>>[number];
const rowsOf = (database: Database) => scenarios.in(database).findAll({ order: ['name'], limit: mostKept });
const keptOf = ({ name, changes, wish, person, at, version }: Row): KeptScenario => ({
  ...{ name, changes, wish, person, version },
  at: at.toISOString(),
});

/** Scenarios that were kept, by their names. */
export const listScenarios = async (database: Database): Promise<KeptScenario[]> =>
  (await rowsOf(database)).map(keptOf);

/** Keeps a scenario; one of its name that is not the one that was read stays. */
export async function keepScenario(
  database: Database,
  name: string,
  { changes, wish, version }: WhatIf & { version?: number },
  person: string,
): Promise<KeptScenario> {
  return database.transaction(async () => {
    const table = scenarios.in(database);
    const before = await table.findByPk(name, { lock: true });
    if ((before?.version ?? undefined) !== version) {
      if (before && version === undefined)
        throw new Refusal(
          'conflict',
          'exists',
          'There is one of that name',
          `${before.person} kept a scenario "${name}" already. Choose another name, or open that one and change it.`,
          'name',
        );
      throw Refusal.changedMeanwhile('scenario', name);
    }
    if (!before && (await table.count()) >= mostKept)
      throw new Refusal('conflict', 'too-many', 'Too many are kept', `${mostKept} scenarios are kept. Drop one first.`);
    const row = before
      ? await before.update({ changes, wish, person, at: new Date(), version: before.version + 1 })
      : await table.create({ name, changes, wish, person });
    await record(database, {
      ...{ person, action: before ? 'change' : 'create', kind: 'scenario', subject: name, after: { changes, wish } },
    });
    return keptOf(row);
  });
}

export async function dropScenario(database: Database, name: string, person: string): Promise<void> {
  await database.transaction(async () => {
    const row = await scenarios.in(database).findByPk(name, { lock: true });
    if (!row) throw Refusal.notFound('scenario', name);
    await row.destroy();
    await record(database, {
      ...{ person, action: 'delete', kind: 'scenario', subject: name },
      before: { changes: row.changes, wish: row.wish },
    });
  });
}
