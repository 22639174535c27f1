import type {
  ApplicationPage,
  ApplicationQuery,
  ApplicationRow,
  ApplicationSeen,
  MeasuredMoves,
} from '@moorage/contract/applications';
import { copyStates } from '@moorage/core/applications/application';
import { shapeOf } from '@moorage/core/applications/set-shape';
import { resyncSeen } from '@moorage/core/applications/resync';
import { commonPoints } from '@moorage/core/applications/common-points';
import { behindOf } from '../backends/behind.sql';
import type { Database } from '../database/database';
import { anywhere, cursorText, isCountText, isTimeText, readCursor } from '../database/cursor';
import { isKeepable } from '../database/keepable';
import { first } from '../database/statement';
import { platformObjects } from '../mirror/mirror-model';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { copyState, factsOf, groundOfNodes, nodesUnder } from './facts';
import { holdersOf, type AppClaimRow, type PartRow, type PodRow } from './facts.sql';
import { localityIn } from './locality';
import { movesOf } from './moves';
import { measuredMoves } from './moves.sql';
import { summaryOf } from './summary';
import {
  applicationCounts,
  applicationNamed,
  applicationPages,
  openNodes,
  zonesOfVolumes,
  type StoredApplication,
} from './pages.sql';

const isOfSort: Record<ApplicationQuery['sort'], (value: string) => boolean> = {
  namespace: isKeepable,
  name: isKeepable,
  bytes: isCountText,
  claims: isCountText,
  ready: isCountText,
  worst: isCountText,
  points: isCountText,
  created: isTimeText,
};

type Summary = Omit<StoredApplication, 'created_at'> & { readonly createdAt: Date };

const toRow = ({ worst, createdAt, ...row }: Summary): ApplicationRow => ({
  uid: row.uid,
  namespace: row.namespace,
  kind: row.kind,
  name: row.name,
  wanted: row.wanted,
  pods: row.pods,
  ready: row.ready,
  claims: row.claims,
  bytes: row.bytes,
  classes: row.classes,
  pools: row.pools,
  nodes: row.nodes,
  zones: row.zones,
  worst: worst === null ? null : copyStates[worst]!,
  points: row.points,
  createdAt: createdAt.toISOString(),
});

/** One page of applications, filtered and sorted in the database. */
export async function listApplications(
  database: Database,
  sight: Sight,
  query: ApplicationQuery,
): Promise<ApplicationPage> {
  const { namespace, need, q, sort, direction, limit } = query;
  const cursor = readCursor(query.cursor, sort, isOfSort[sort]);
  const filter = [namespace, q ? anywhere(q) : undefined, sight.namespaces] as const;
  const page = applicationPages[sort][direction];
  const [rows, counted] = await Promise.all([
    page(database, ...filter, need, cursor?.value, cursor?.uid, limit + 1),
    first(applicationCounts(database, ...filter)),
  ]);
  const counts = counted ?? { all: 0, replicas: 0, copies: 0, points: 0 };
  const shown = rows.slice(0, limit);
  const last = shown.at(-1);
  return {
    applications: shown.map(({ created_at: createdAt, ...row }) => toRow({ ...row, createdAt })),
    total: need === undefined ? counts.all : counts[need],
    next: rows.length > limit && last ? cursorText({ sort, value: last.sort_value, uid: last.uid }) : null,
    counts,
  };
}

/** Replicas shown of one application; what is beyond is counted. */
const mostReplicas = 500;

const copiesOf = ({ copies, witness }: PartRow) => [
  ...copies.map(({ disk, node, state, percent }) => ({
    ...{ disk, node, percent },
    state: copyState(state),
    role: 'data' as const,
  })),
  ...(witness ? [{ ...witness, percent: 100, state: 'in-sync' as const, role: 'witness' as const }] : []),
];

/** Classes and backends looked up for one application. */
const mostMeasured = 6;

/** How long ways took so far for the classes and backends of these claims. */
async function measuredFor(database: Database, claims: readonly AppClaimRow[]): Promise<MeasuredMoves[]> {
  const pairs = new Map(
    claims.map((c) => {
      const backend = c.parts?.[0]?.backend ?? null;
      return [`${c.class_name}/${backend}`, { className: c.class_name, backend }] as const;
    }),
  );
  const found = await Promise.all(
    [...pairs.values()].slice(0, mostMeasured).map((p) => first(measuredMoves(database, p.className, p.backend))),
  );
  return found.flatMap((m) =>
    m && m.count > 0
      ? [
          {
            ...{ className: m.class_name, backend: m.backend_id },
            ...{ count: m.count, half: m.half, most: m.most, longest: m.longest },
          },
        ]
      : [],
  );
}

/** What pods that are placed and not ready wait for: volumes of theirs that only one node has, and another one has them. */
async function waitsFor(
  database: Database,
  { pods, claims }: { readonly pods: readonly PodRow[]; readonly claims: readonly AppClaimRow[] },
): Promise<Map<string, ApplicationSeen['replicas'][number]['waitsFor']>> {
  const waiting = pods.filter((p) => p.node !== null && !p.ready && !p.deleting).slice(0, mostReplicas);
  if (waiting.length === 0) return new Map();
  const own = new Set(waiting.flatMap((p) => p.claims ?? []));
  // of what several may mount, no node is in the way of another
  const alone = claims.filter((c) => own.has(c.name) && c.modes.every((m) => m.startsWith('ReadWriteOnce')));
  const holders = await holdersOf(
    database,
    alone.flatMap((c) => c.volume_name ?? []),
  );
  return new Map(
    waiting.map((p) => [
      p.name,
      alone
        .filter((c) => p.claims?.includes(c.name))
        .flatMap((c) =>
          holders
            .filter((h) => h.volume === c.volume_name && h.node !== p.node)
            .map((h) => ({ claim: c.name, node: h.node, ready: h.ready, pod: h.pod, ending: h.ending === true })),
        ),
    ]),
  );
}

/** How replicas of a set start, what those that are added would ask for, and its claims that were made so. */
async function setOf(
  database: Database,
  { uid, claims }: { readonly uid: string; readonly claims: readonly AppClaimRow[] },
): Promise<Pick<ApplicationSeen, 'ordered' | 'templates'>> {
  const set = await platformObjects.in(database).findOne({ raw: true, where: { uid, plural: 'statefulsets' } });
  if (!set) return { ordered: false, templates: [] };
  const { name: of, templates, ordered } = shapeOf(set.body);
  const told = templates.map(({ name, className = null, size }) => {
    const stem = `${name}-${of}-`;
    const made = claims.filter((c) => c.name.startsWith(stem) && /^\d+$/.test(c.name.slice(stem.length)));
    return { name, className, bytes: size, claims: made.map((c) => c.name) };
  });
  return { ordered, templates: told };
}

/** Copies of these claims that are not in step, and how long they take to be. */
async function behindIn(database: Database, claims: readonly AppClaimRow[]): Promise<ApplicationSeen['behind']> {
  const rows = await behindOf(
    database,
    claims.map((c) => c.uid),
  );
  return rows.map(({ claim, pool, disk, node, state, since, at, ...b }) => {
    const isMoving = copyState(state) === 'resyncing';
    const stoodFor = Math.max(0, (Date.now() - at.getTime()) / 1000);
    const seen = resyncSeen({
      bytes: b.bytes,
      percent: b.percent,
      rate: isMoving ? b.bytes_per_second : null,
      stoodFor,
    });
    return {
      ...{ claim, pool, disk, node, state: copyState(state), since: since.toISOString() },
      ...{ percent: b.percent, left: seen.left, rate: seen.rate, ready: seen.ready },
    };
  });
}

/** One application as it is at this moment. */
export async function getApplication(
  database: Database,
  sight: Sight,
  namespace: string,
  name: string,
): Promise<ApplicationSeen> {
  const about = `${namespace}/${name}`;
  const found = sight.sees(namespace) ? await first(applicationNamed(database, namespace, name)) : undefined;
  // as it is at this moment, whenever it was reckoned last: one that was just started is not listed yet
  const [facts] = found ? await factsOf(database, [found.uid]) : [];
  if (!facts) throw Refusal.notFound('application', about);
  const takers = (await openNodes(database)).map((n) => n.name);
  const nodes = await nodesUnder(database, [facts], takers);
  const ground = groundOfNodes(nodes);
  const zones = new Map(
    (
      await zonesOfVolumes(
        database,
        facts.claims.flatMap((c) => c.volume_name ?? []),
      )
    ).map((v) => [v.name, v.zones]),
  );
  const takesPods = new Set(takers);
  const waits = await waitsFor(database, facts);
  return {
    application: toRow(summaryOf(facts, ground)),
    replicas: facts.pods.slice(0, mostReplicas).map((p) => ({
      pod: p.name,
      node: p.node,
      phase: p.phase,
      ready: p.ready,
      deleting: p.deleting,
      why: p.why,
      since: p.created_at.toISOString(),
      claims: p.claims ?? [],
      waitsFor: waits.get(p.name) ?? [],
    })),
    more: Math.max(0, facts.pods.length - mostReplicas),
    claims: facts.claims.slice(0, 4 * mostReplicas).map((c) => ({
      uid: c.uid,
      name: c.name,
      className: c.class_name,
      modes: c.modes,
      volumeMode: c.volume_mode,
      requested: c.size_bytes,
      provisioned: c.provisioned,
      phase: c.phase,
      deleting: c.deleting,
      volumeName: c.volume_name,
      parts: (c.parts ?? []).map((part) => ({
        ...{ pool: part.pool, backend: part.backend, needs: part.needs },
        copies: copiesOf(part),
      })),
      zones: (c.volume_name && zones.get(c.volume_name)) || null,
    })),
    ...(await setOf(database, facts)),
    nodes: nodes.map((n) => ({
      name: n.name,
      rack: ground.get(n.name)?.rack ?? null,
      zone: ground.get(n.name)?.zone ?? null,
      takesPods: takesPods.has(n.name),
    })),
    points: commonPoints(facts.application, ground).map((p) => ({
      ...p,
      ...{ pods: [...p.pods], standing: [...p.standing], claims: [...p.claims] },
    })),
    locality: await localityIn(database, facts, takesPods),
    behind: await behindIn(database, facts.claims),
    moves: await movesOf(database, facts.uid),
    measured: await measuredFor(database, facts.claims),
  };
}
