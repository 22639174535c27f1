import type { MoveSeen } from '@moorage/contract/applications';
import { compareWritten, dataAnnotation, writtenIn } from '@moorage/core/applications/written';
import type { Person } from '@moorage/contract/people';
import type { Database } from '../database/database';
import { asRecords } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { platformObjects } from '../mirror/mirror-model';
import { Sight } from '../people/sight';
import type { PlatformConnector, PlatformObject } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { moves, type MoveRow } from './move-model';
import { noteAttached, noteComing, noteDetached, noteEnding, noteGone } from './moves.sql';

/** Days for which the ways of pods are kept. */
export const moveDays = 90;

const ownerOf = ({ metadata }: PlatformObject) => metadata.ownerReferences?.find((r) => r.kind === 'StatefulSet');
const isReady = ({ status }: PlatformObject): boolean =>
  ((status?.conditions ?? []) as { type: string; status: string }[]).some(
    (c) => c.type === 'Ready' && c.status === 'True',
  );
const claimsOf = ({ spec }: PlatformObject): string[] =>
  ((spec?.volumes ?? []) as { persistentVolumeClaim?: { claimName?: string } }[]).flatMap(
    (v) => v.persistentVolumeClaim?.claimName ?? [],
  );

/** What a pod tells of what its volumes hold; null where it tells nothing. */
function toldBy({ metadata }: PlatformObject) {
  const told = writtenIn(metadata.annotations?.[dataAnnotation]);
  return Object.keys(told).length > 0 ? told : null;
}

/** What its claims held before a way and hold after it; of claims of which both are told. */
function dataOf({ leftData, cameData, readyAt }: Pick<MoveRow, 'leftData' | 'cameData' | 'readyAt'>): MoveSeen['data'] {
  if (leftData === null) return [];
  return Object.entries(leftData).map(([claim, left]) => {
    const came = cameData?.[claim] ?? [];
    return {
      ...{ claim, before: left[0]!, after: came[0] ?? null },
      comparison: readyAt === null ? null : compareWritten(left, came),
    };
  });
}

/** A time that reads as one; what does not is left to our own clock. */
const momentOf = (text: string | undefined): string | undefined =>
  text !== undefined && !Number.isNaN(Date.parse(text)) ? new Date(text).toISOString() : undefined;

const toRow = (pod: PlatformObject, now: string) => ({
  uid: pod.metadata.uid!,
  namespace: pod.metadata.namespace ?? '',
  pod: pod.metadata.name,
  owner: ownerOf(pod)!.uid,
  node: pod.spec?.nodeName ?? null,
  ready: isReady(pod),
  ended_at: momentOf(pod.metadata.deletionTimestamp) ?? now,
  claims: claimsOf(pod),
  data: toldBy(pod),
});

/** What the mirror saw of pods, inside its transaction. */
export async function onPods(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<void> {
  const now = new Date().toISOString();
  // only pods of a set come back under their names, and only what mounts something is followed
  const followed = (pods: readonly PlatformObject[]) => pods.filter((p) => ownerOf(p) && claimsOf(p).length > 0);
  const ending = followed([...changed.filter((p) => p.metadata.deletionTimestamp), ...gone]).filter(
    (p) => p.spec?.nodeName !== undefined,
  );
  const coming = followed(changed).filter((p) => !p.metadata.deletionTimestamp);
  let news = 0;
  if (ending.length > 0) news += (await noteEnding(database, asRecords(ending.map((p) => toRow(p, now))))).length;
  if (gone.length > 0)
    news += (
      await noteGone(
        database,
        gone.map((p) => p.metadata.uid!),
      )
    ).length;
  if (coming.length > 0) news += (await noteComing(database, asRecords(coming.map((p) => toRow(p, now))))).length;
  if (news > 0) await announce(database, [{ topic: 'applications' }]);
}

const toAttachment = ({ spec }: PlatformObject) => ({
  volume: (spec?.source as { persistentVolumeName?: string } | undefined)?.persistentVolumeName ?? '',
  node: spec?.nodeName ?? '',
});

/** What the mirror saw of volumes on nodes, inside its transaction. */
export async function onAttachments(
  database: Database,
  changed: readonly PlatformObject[],
  gone: readonly PlatformObject[],
): Promise<void> {
  const attached = changed.filter((a) => a.status?.attached === true);
  if (attached.length > 0) await noteAttached(database, asRecords(attached.map(toAttachment)));
  if (gone.length > 0) await noteDetached(database, asRecords(gone.map(toAttachment)));
}

/** Ways shown of one application, the last first. */
const mostMoves = 30;

export async function movesOf(database: Database, owner: string): Promise<MoveSeen[]> {
  const rows = await moves
    .in(database)
    .findAll({ raw: true, where: { owner }, order: [['id', 'DESC']], limit: mostMoves });
  const at = (time: Date | null) => time?.toISOString() ?? null;
  return rows.map((m) => ({
    id: Number(m.id),
    pod: m.pod,
    from: m.fromNode,
    to: m.toNode,
    endedAt: m.endedAt.toISOString(),
    goneAt: at(m.goneAt),
    detachedAt: at(m.detachedAt),
    placedAt: at(m.placedAt),
    attachedAt: at(m.attachedAt),
    readyAt: at(m.readyAt),
    data: dataOf(m),
  }));
}

/** Deletes a pod of an application: what owns it starts another in its place. */
export async function deletePod(
  database: Database,
  platform: PlatformConnector,
  at: { namespace: string; name: string; pod: string },
  person: Person,
): Promise<void> {
  const subject = `${at.namespace}/${at.pod}`;
  const row = Sight.of(person).sees(at.namespace)
    ? await platformObjects
        .in(database)
        .findOne({ raw: true, where: { plural: 'pods', namespace: at.namespace, name: at.pod } })
    : undefined;
  if (!row || row.body.metadata.ownerReferences?.[0]?.name !== at.name) throw Refusal.notFound('pod', subject);
  // the very pod that was seen: another of its name, made meanwhile, stays
  await platform.ensureDeleted('v1', 'Pod', at.pod, at.namespace, row.uid);
  const { spec } = row.body;
  await record(database, {
    ...{ person: person.name, action: 'delete', kind: 'pod', subject },
    before: { node: spec?.nodeName ?? null, application: at.name },
  });
}
