import type { NewLimit } from '@moorage/contract/limits';
import { hardOf, plainHard, sameHard, settle, type Hard, type SetLimit } from '@moorage/core/limits/quota-object';
import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { lockNamespace } from '../database/locks.sql';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { isMirrored } from '../mirror/mirrored';
import { quotaObjects } from './limit-model';
import { limitsOf, putLimits } from './limits';
import { quotaFailed, quotasChanged, quotasDue, quotasMissing } from './limits.sql';

/** The one quota object of each namespace that is ours. */
export const quotaName = 'vast-moorage-limits';
const atOnce = 50;
/** Seconds until what is refused, or cannot be reached, is tried again at the latest. */
const retryS = 300;
/** Who changed a limit on the platform is not told by it. */
const byPlatform = 'the platform';

export type QuotaPlatform = Pick<PlatformConnector, 'find' | 'create' | 'mergePatch' | 'ensureDeleted'>;

const hardIn = (object: PlatformObject | undefined): Hard | null =>
  object === undefined ? null : ((object.spec?.hard as Hard | undefined) ?? {});

/** Lets the platform refuse claims beyond the limits of a namespace, or lets them be made and wait here. */
export async function setEnforcement(
  database: Database,
  namespace: string,
  wanted: boolean,
  person: string,
): Promise<void> {
  if (!(await isMirrored(database, 'namespaces', namespace))) throw Refusal.notFound('namespace', namespace);
  await database.transaction(async () => {
    await lockNamespace(database, namespace);
    const table = quotaObjects.in(database);
    const before = await table.findByPk(namespace, { raw: true });
    if ((before?.wanted ?? true) === wanted) return;
    await table.upsert({ namespace, wanted });
    await quotasChanged(database, [namespace]);
    await record(database, {
      ...{ person, action: 'change', kind: 'limit', subject: namespace },
      ...{ before: { byPlatform: !wanted }, after: { byPlatform: wanted } },
    });
    await announce(database, [{ topic: 'limits', subject: namespace }]);
  });
}

/** What the mirror saw of quota objects, inside its transaction: those of ours that say something else than was agreed are due. */
export async function onQuotas(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<void> {
  const ours = changed.filter((o) => o.metadata.name === quotaName);
  const lost = gone.filter((o) => o.metadata.name === quotaName).map((o) => o.metadata.namespace!);
  if (ours.length + lost.length === 0) return;
  const known = await quotaObjects.in(database).findAll({
    raw: true,
    attributes: ['namespace', 'agreed'],
    where: { namespace: ours.map((o) => o.metadata.namespace!) },
    limit: ours.length,
  });
  const agreed = new Map(known.map((q) => [q.namespace, q.agreed ?? {}]));
  const other = ours.filter((o) => !sameHard(plainHard(hardIn(o)!), agreed.get(o.metadata.namespace!) ?? {}));
  const due = [...new Set([...other.map((o) => o.metadata.namespace!), ...lost])].sort();
  const noted = due.length > 0 ? await quotasChanged(database, due) : [];
  await announce(
    database,
    noted.map(({ namespace }) => ({ topic: 'limits' as const, subject: namespace })),
  );
}

/** What the mirror saw of namespaces, inside its transaction: limits that wait for one are written to it. */
export async function onNamespaces(database: Database, changed: readonly PlatformObject[]): Promise<void> {
  const names = changed.filter((o) => !o.metadata.deletionTimestamp).map((o) => o.metadata.name);
  const noted = names.length > 0 ? await quotasMissing(database, names) : [];
  await announce(
    database,
    noted.map(({ namespace }) => ({ topic: 'limits' as const, subject: namespace })),
  );
}

/** What limits have to become so that they are those. */
function changesTo(now: readonly SetLimit[], wanted: readonly SetLimit[]): Map<string, NewLimit> {
  const changes = new Map<string, Record<string, number | null>>();
  const put = ({ className, of }: SetLimit, amount: number | null) => {
    const change = changes.get(className) ?? {};
    change[of] = amount;
    changes.set(className, change);
  };
  const find = (among: readonly SetLimit[], like: SetLimit) =>
    among.find((l) => l.className === like.className && l.of === like.of);
  for (const limit of wanted) if (find(now, limit)?.amount !== limit.amount) put(limit, limit.amount);
  // what the platform is never told cannot be taken away there
  for (const limit of now) if (limit.of !== 'iops' && !find(wanted, limit)) put(limit, null);
  return changes;
}

/** Keeps the platform's quota objects and the limits here the same, whichever of them was changed. One server does it at a time. */
export class QuotaKeeper {
  constructor(
    private readonly database: Database,
    private readonly platform: QuotaPlatform,
    private readonly log: Logger,
    private readonly isOver: () => boolean,
  ) {}

  /** Sees to all that is due. */
  async keep(): Promise<void> {
    for (let due = await quotasDue(this.database, atOnce); due.length > 0 && !this.isOver();) {
      for (const { namespace, changes } of due) {
        if (this.isOver()) return;
        await this.see(namespace, changes);
      }
      if (due.length < atOnce) return;
      due = await quotasDue(this.database, atOnce);
    }
  }

  private async see(namespace: string, changes: number): Promise<void> {
    const { database } = this;
    try {
      const theirs = await this.platform.find('v1', 'ResourceQuota', quotaName, namespace);
      const next = await database.transaction(() => this.settle(namespace, changes, theirs));
      if (next === undefined) return;
      await this.write(namespace, next, theirs);
      await database.transaction(async () => {
        await lockNamespace(database, namespace);
        const row = (await quotaObjects.in(database).findByPk(namespace))!;
        await row.update({ agreed: next, due: row.changes !== changes, problem: null, attempts: 0 });
        await announce(database, [{ topic: 'limits', subject: namespace }]);
      });
    } catch (error) {
      if (!(error instanceof PlatformProblem)) throw error;
      if (error.code === 'not-found') {
        // the namespace is gone, and its limits wait for one of its name
        const nothing = { agreed: null, due: false, problem: null };
        await quotaObjects.in(database).update(nothing, { where: { namespace } });
        return;
      }
      this.log.warn(
        { err: error, namespace },
        'the limits of a namespace are not on the platform yet; it is tried again',
      );
      await quotaFailed(database, namespace, error.message, error.code === 'conflict' ? 1 : retryS);
      await announce(database, [{ topic: 'limits', subject: namespace }]);
    }
  }

  /** What has to be written there; undefined where nothing has. */
  private async settle(
    namespace: string,
    changes: number,
    theirs: PlatformObject | undefined,
  ): Promise<Hard | undefined> {
    const { database } = this;
    await lockNamespace(database, namespace);
    const row = (await quotaObjects.in(database).findByPk(namespace))!;
    const now = await limitsOf(database, namespace);
    const ours = row.wanted ? hardOf(now) : {};
    const hard = hardIn(theirs);
    const so = settle(ours, row.agreed, hard);
    const subject = namespace;
    if (so.kind === 'write') {
      if (so.passedOver)
        await record(database, {
          ...{ person: byPlatform, action: 'change', kind: 'limit', subject },
          ...{ before: { passedOver: hard }, after: ours },
        });
      return ours;
    }
    if (so.kind === 'take' && row.wanted)
      for (const [className, change] of changesTo(now, so.limits))
        await putLimits(database, { namespace, className }, change, byPlatform);
    const agreed = so.kind === 'take' ? hardOf(so.limits) : ours;
    await row.reload();
    await row.update({ agreed, due: row.changes !== changes, problem: null, attempts: 0 });
    await announce(database, [{ topic: 'limits', subject }]);
    return undefined;
  }

  private async write(namespace: string, hard: Hard, theirs: PlatformObject | undefined): Promise<void> {
    const { platform } = this;
    const metadata = { name: quotaName, namespace };
    const object = { apiVersion: 'v1', kind: 'ResourceQuota' };
    const foreign =
      theirs === undefined
        ? []
        : Object.keys(hardIn(theirs)!).filter((item) => plainHard({ [item]: '1' })[item] === undefined);
    if (theirs === undefined) {
      if (Object.keys(hard).length === 0) return;
      const labels = { 'app.kubernetes.io/managed-by': 'vast-moorage' };
      await platform.create({ ...object, metadata: { ...metadata, labels }, spec: { hard } });
    } else if (Object.keys(hard).length === 0 && foreign.length === 0)
      await platform.ensureDeleted('v1', 'ResourceQuota', quotaName, namespace, theirs.metadata.uid);
    else {
      const ended = Object.keys(hardIn(theirs)!).filter((item) => !(item in hard) && !foreign.includes(item));
      const { resourceVersion } = theirs.metadata;
      await platform.mergePatch({
        ...{ ...object, metadata: { ...metadata, resourceVersion } },
        spec: { hard: { ...hard, ...Object.fromEntries(ended.map((item) => [item, null])) } },
      });
    }
  }
}
