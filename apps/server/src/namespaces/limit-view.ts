import type { LimitEffect, LimitMeasure, NamespaceLimits } from '@moorage/contract/limits';
import { effectOf } from '@moorage/core/limits/effect';
import type { SetLimit } from '@moorage/core/limits/quota-object';
import { goingOn } from '@moorage/core/usage/forecast';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { isMirrored } from '../mirror/mirrored';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { dailyUse } from '../usage/runway.sql';
import { siteMoments } from '../usage/use.sql';
import { limitRequests, quotaObjects } from './limit-model';
import { requestOf } from './limit-requests';
import { limitsOf } from './limits';
import { waitingIn } from './limits.sql';
import { sumOf, usedOf, type Used } from './used';
import { quotaName } from './quota-objects';

const requestsShown = 20;
const mostWaiting = 100;
/** Days that tell how it goes on. */
const trendDays = 60;
const dayMs = 24 * 3_600_000;

async function ensureSeen(database: Database, sight: Sight, namespace: string): Promise<void> {
  if (!sight.sees(namespace) || !(await isMirrored(database, 'namespaces', namespace)))
    throw Refusal.notFound('namespace', namespace);
}

const amountOf = (limits: readonly SetLimit[], className: string, of: LimitMeasure): number | null =>
  limits.find((l) => l.className === className && l.of === of)?.amount ?? null;

/** The limits of a namespace, with what it uses of them, how the platform keeps them, and what was asked for. */
export async function getLimits(database: Database, sight: Sight, namespace: string): Promise<NamespaceLimits> {
  await ensureSeen(database, sight, namespace);
  const [set, used, quota, requests] = await Promise.all([
    limitsOf(database, namespace),
    usedOf(database, namespace),
    quotaObjects.in(database).findByPk(namespace, { raw: true }),
    limitRequests.in(database).findAll({
      where: { namespace },
      order: [
        ['at', 'DESC'],
        ['id', 'ASC'],
      ],
      limit: requestsShown,
    }),
  ]);
  const classes = [...new Set([...used.map((u) => u.className), ...set.map((l) => l.className)])]
    .filter((name) => name !== '')
    .sort();
  const scopeOf = (className: string, of: readonly Used[]) => ({
    className: className || null,
    bytes: { limit: amountOf(set, className, 'bytes'), used: sumOf(of, 'bytes') },
    claims: { limit: amountOf(set, className, 'claims'), used: sumOf(of, 'claims') },
    iops: { limit: amountOf(set, className, 'iops'), used: sumOf(of, 'iops') },
    snapshots: amountOf(set, className, 'snapshots'),
  });
  const told = set.some((l) => l.of !== 'iops');
  return {
    namespace,
    scopes: [
      scopeOf('', used),
      ...classes.map((name) =>
        scopeOf(
          name,
          used.filter((u) => u.className === name),
        ),
      ),
    ],
    platform: {
      byPlatform: quota?.wanted ?? true,
      state: quota?.due ? (quota.problem === null ? 'due' : 'refused') : told && quota?.wanted ? 'settled' : 'none',
      problem: quota?.problem ?? null,
      object: quotaName,
    },
    requests: requests.map(requestOf),
  };
}

/** What a limit would do, before it is set. */
export async function getLimitEffect(
  database: Database,
  sight: Sight,
  namespace: string,
  { className, measure, amount }: { className?: string; measure: LimitMeasure; amount?: number },
): Promise<LimitEffect> {
  await ensureSeen(database, sight, namespace);
  const { now } = (await first(siteMoments(database)))!;
  const used = (await usedOf(database, namespace)).filter((u) => className === undefined || u.className === className);
  const [quota, waiting, days] = await Promise.all([
    quotaObjects.in(database).findByPk(namespace, { raw: true }),
    measure === 'snapshots' ? [] : waitingIn(database, namespace, className ?? null, mostWaiting),
    measure === 'snapshots'
      ? []
      : dailyUse(database, 'namespace', namespace, className ?? null, new Date(now.getTime() - trendDays * dayMs)),
  ]);
  const uses = measure === 'snapshots' ? 0 : sumOf(used, measure);
  const valueOf = (d: (typeof days)[number]) =>
    measure === 'bytes' ? d.provisioned : measure === 'claims' ? d.claims : d.milli_iops / 1000;
  const course = { at: days.map((d) => d.day.getTime()), value: days.map(valueOf) };
  const effect = effectOf(
    amount ?? null,
    uses,
    goingOn({ now: uses, at: now.getTime(), course }),
    // IOPS of a claim are known once its pool is: they count as none here
    waiting.map((w) => ({
      namespace,
      name: w.name,
      takes: measure === 'bytes' ? w.size : measure === 'claims' ? 1 : 0,
    })),
  );
  return {
    ...effect,
    left: effect.left === Infinity ? null : effect.left,
    frees: [...effect.frees],
    keeps: [...effect.keeps],
    enforced: measure !== 'iops' && (quota?.wanted ?? true),
  };
}
