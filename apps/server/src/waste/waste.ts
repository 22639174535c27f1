import type { Waste, WasteKind } from '@moorage/contract/waste';
import { provisioner } from '@moorage/core/classes/manifest';
import { rateFor } from '@moorage/core/performance/term';
import { iopsLeft } from '@moorage/core/pools/pool';
import type { Pool } from '@moorage/core/pools/pool-state';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { cheaperFit, type Candidate } from '@moorage/core/usage/fit';
import { mergeSketches, quantile } from '@moorage/core/usage/sketch';
import { Op } from 'sequelize';
import { listClasses } from '../classes/listing';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { asides } from '../findings/finding-model';
import { rawPools } from '../forecast/pools';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { listMoorings } from '../moorings/moorings';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { siteMoments } from '../usage/use.sql';
import { waste } from './waste-model';
import {
  dropOldWaste,
  findOversized,
  findUnmounted,
  findUnusedClasses,
  noteMounts,
  profilesAfter,
  ratesNow,
  wastePage,
  wasteSums,
} from './waste.sql';

const GiB = 2 ** 30;
const dayMs = 24 * 3_600_000;
/** Days for which something has to be so. */
export const wasteDays = { unmounted: 14, oversized: 14, 'too-fast': 14, 'class-unused': 30 } as const;
/** A claim that holds less than this share of what it has is far larger than it needs. */
const smallShare = 0.2;
const claimsAtOnce = 500;
const mostListed = 500;
const micro = 1_000_000;

/** Finds anew what could be had back; what is not so any more is forgotten. */
export async function reckonWaste(database: Database, isOver: () => boolean): Promise<void> {
  const { now } = (await first(siteMoments(database)))!;
  await noteMounts(database);
  await findUnmounted(database, now, wasteDays.unmounted);
  await findOversized(database, now, wasteDays.oversized, smallShare);
  await findUnusedClasses(database, now, wasteDays['class-unused'], provisioner);
  await findTooFast(database, now, isOver);
  if (!isOver()) await dropOldWaste(database, now);
}

/** Failures that a volume of so many copies survives on a pool. */
const survivors = (pool: Pool, copies: number): number =>
  pool.redundancy.kind === 'inner'
    ? pool.redundancy.survives
    : pool.redundancy.scheme.kind === 'copies'
      ? copies - 1
      : pool.redundancy.scheme.parity;

/** Claims on pools of a dearer tier, which a cheaper class would have served as well. */
async function findTooFast(database: Database, now: Date, isOver: () => boolean): Promise<void> {
  const rates = new Map((await ratesNow(database)).map((r) => [r.tier, r]));
  const dear = [...rates.values()].sort((a, b) => b.gib - a.gib).slice(0, -1);
  if (dear.length === 0) return;
  const pools = new Map((await rawPools(database)).map((p) => [p.live.id, p]));
  const moored = (await listMoorings(database)).filter((m) => m.enabled && pools.has(m.pool));
  const classes = (await listClasses(database)).map(({ storageClass }) => ({
    storageClass,
    on: moored.filter((m) => m.className === storageClass.name).map((m) => pools.get(m.pool)!),
  }));
  const since = new Date(now.getTime() - (wasteDays['too-fast'] + 1) * dayMs);
  const candidatesFor = (own: string, pool: string, size: number): Candidate[] =>
    classes.flatMap(({ storageClass: cls, on }) => {
      const now = classes.find((c) => c.storageClass.name === own)?.storageClass;
      const at = pools.get(pool)?.core;
      if (!now || !at || cls.name === own || on.length === 0) return [];
      // no weaker protection, and reached in the same ways
      const isAlike =
        (!now.encrypted || cls.encrypted) &&
        on.every(
          (p) =>
            survivors(p.core, cls.copies) >= survivors(at, now.copies) &&
            at.access.every((a) => p.core.access.includes(a)),
        );
      if (!isAlike) return [];
      const bytes = size as Bytes;
      const floor = rateFor(cls.iopsFloor, bytes);
      // a class costs what the dearest of its pools does: which one it gets is not known beforehand
      const costs = on.map((p) => {
        const rate = rates.get(p.live.tier);
        return rate === undefined ? Infinity : (size / GiB) * rate.gib + floor * rate.iops;
      });
      return [
        {
          className: cls.name,
          lets: cls.iopsCeiling ? rateFor(cls.iopsCeiling, bytes) : Infinity,
          left: Math.max(...on.map((p) => iopsLeft(p.core) / p.core.amplification)),
          cost: Math.max(...costs),
        },
      ];
    });
  let some = await profilesAfter(
    database,
    since,
    dear.map((r) => r.tier),
    wasteDays['too-fast'],
    '',
    claimsAtOnce,
  );
  while (some.length > 0 && !isOver()) {
    const rows = some.flatMap((claim) => {
      const p95 = claim.sketches === null ? undefined : quantile(mergeSketches(claim.sketches), 0.95);
      const better =
        p95 === undefined
          ? undefined
          : cheaperFit(p95, claim.cost, candidatesFor(claim.class_name, claim.pool_id, claim.bytes));
      if (!better) return [];
      return [
        {
          ...{
            kind: 'too-fast' as const,
            subject: claim.claim_uid,
            namespace: claim.namespace,
            name: claim.claim_name,
          },
          ...{ className: claim.class_name, poolId: claim.pool_id, since: claim.first, bytes: claim.bytes },
          ...{ rawBytes: claim.raw_bytes, costMicros: Math.round(claim.cost), reckonedAt: now },
          savedMicros: Math.round(claim.cost - better.cost),
          facts: { p95: p95!, better: better.className },
        },
      ];
    });
    await waste.in(database).bulkCreate(rows, {
      updateOnDuplicate: [
        'namespace',
        'name',
        'className',
        'poolId',
        'bytes',
        'rawBytes',
        'costMicros',
        'savedMicros',
        'facts',
        'reckonedAt',
      ],
      returning: false,
    });
    const after = some.at(-1)!.claim_uid;
    some = await profilesAfter(
      database,
      since,
      dear.map((r) => r.tier),
      wasteDays['too-fast'],
      after,
      claimsAtOnce,
    );
  }
}

/** What could be had back, what saves most first. */
export async function listWaste(
  database: Database,
  sight: Sight,
  currency: string,
  { kind, aside, q }: { kind?: WasteKind; aside: 'yes' | 'no'; q?: string },
): Promise<Waste> {
  const rows = await wastePage(database, sight.namespaces, kind ?? null, q ?? '', aside === 'yes', mostListed + 1);
  const sums = await wasteSums(database, sight.namespaces);
  return {
    rows: rows.slice(0, mostListed).map((w) => ({
      ...{ kind: w.kind, subject: w.subject, namespace: w.namespace, name: w.name, className: w.class_name },
      ...{ pool: w.pool_id, since: w.since.toISOString(), bytes: w.bytes, raw: w.raw_bytes, facts: w.facts },
      ...{ cost: w.cost_micros / micro, saved: w.saved_micros / micro },
      aside: w.reason === null ? null : { reason: w.reason, until: w.until!, person: w.person! },
    })),
    more: Math.max(0, rows.length - mostListed),
    sums: sums.map((s) => ({ kind: s.kind, count: s.count, raw: s.raw, saved: s.saved / micro })),
    aside: sums.reduce((all, s) => all + s.aside, 0),
    currency,
    reckonedAt: rows[0]?.reckoned_at.toISOString() ?? null,
  };
}

interface Which {
  readonly kind: WasteKind;
  readonly subject: string;
}
const idOf = ({ kind, subject }: Which): string => `waste:${kind}:${subject}`;

/** Those that are there and seen; what is somebody else's is as if it were not. */
async function seenOf(database: Database, sight: Sight, which: readonly Which[]): Promise<void> {
  const rows = await waste.in(database).findAll({
    raw: true,
    attributes: ['kind', 'subject'],
    where: { ...sight.where('namespace'), [Op.or]: which.map(({ kind, subject }) => ({ kind, subject })) },
    limit: which.length,
  });
  const there = new Set(rows.map(idOf));
  const gone = which.find((w) => !there.has(idOf(w)));
  if (gone) throw Refusal.notFound(gone.kind, gone.subject);
}

/** Sets some of it aside until a day; it comes back by itself if it is still so. */
export async function setWasteAside(
  database: Database,
  sight: Sight,
  { which, reason, until }: { which: readonly Which[]; reason: string; until: string },
  person: string,
): Promise<void> {
  if (until < new Date().toISOString().slice(0, 10))
    throw Refusal.invalid('until', 'This day is over. Choose one that is still to come.');
  await database.transaction(async () => {
    await seenOf(database, sight, which);
    const rows = which.map((w) => ({ id: idOf(w), reason, until, person, at: new Date() }));
    await asides
      .in(database)
      .bulkCreate(rows, { updateOnDuplicate: ['reason', 'until', 'person', 'at'], returning: false });
    await record(database, {
      ...{ person, action: 'change', kind: 'finding', subject: `waste: ${which.length}` },
      after: { reason, until, which: which.slice(0, 100) },
    });
    await announce(database, [{ topic: 'findings' }]);
  });
}

export async function takeWasteUp(
  database: Database,
  sight: Sight,
  which: readonly Which[],
  person: string,
): Promise<void> {
  await database.transaction(async () => {
    await seenOf(database, sight, which);
    await asides.in(database).destroy({ where: { id: which.map(idOf) } });
    await record(database, {
      ...{ person, action: 'change', kind: 'finding', subject: `waste: ${which.length}` },
      before: { aside: which.slice(0, 100) },
    });
    await announce(database, [{ topic: 'findings' }]);
  });
}
