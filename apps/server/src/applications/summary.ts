import { copyStates, worstCopy, type Ground } from '@moorage/core/applications/application';
import { commonPoints } from '@moorage/core/applications/common-points';
import type { ApplicationFacts } from './facts';

/** Points kept with an application in the list; all of them are reckoned where one looks at it. */
const mostPoints = 20;

const distinct = (names: Iterable<string | null | undefined>): string[] =>
  [...new Set([...names].filter((n): n is string => typeof n === 'string' && n !== ''))].sort();

/** What the list tells of an application. */
export function summaryOf(
  { uid, kind, namespace, name, set, pods, claims, application }: ApplicationFacts,
  ground: Ground,
) {
  const nodes = distinct(pods.map((p) => p.node));
  const worst = worstCopy(application);
  return {
    ...{ uid, kind, namespace, name },
    wanted: set?.wanted ?? null,
    pods: pods.length,
    ready: pods.filter((p) => p.ready && !p.deleting).length,
    claims: claims.length,
    bytes: claims.reduce((sum, c) => sum + c.size_bytes, 0),
    classes: distinct(claims.map((c) => c.class_name)),
    pools: distinct(claims.flatMap((c) => (c.parts ?? []).map((p) => p.pool))),
    nodes,
    zones: distinct(nodes.map((n) => ground.get(n)?.zone)),
    worst: worst === undefined ? null : copyStates.indexOf(worst),
    points: commonPoints(application, ground)
      .slice(0, mostPoints)
      .map(({ level, name: at, of, leaves }) => ({ level, name: at, of, leaves })),
    createdAt: set?.created_at ?? pods[0]!.created_at,
  };
}
