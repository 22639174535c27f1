import type { ApplicationSeen } from '@moorage/contract/applications';
import type { Application, Ground, UsedClaim } from '@moorage/core/applications/application';
import { groundOf } from '@moorage/core/applications/application';
import { spreadOf, type Choice, type Spread } from '@moorage/core/applications/spread';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { decide } from '@moorage/core/placement/decide';
import { promisableDisks } from '@moorage/core/replicas/on-pool';
import { inputFor, type Prepared } from '@moorage/contract/placement-input';

const usedOf = ({ name, provisioned, requested, parts, zones }: ApplicationSeen['claims'][number]): UsedClaim => ({
  name,
  bytes: provisioned ?? requested,
  parts: parts.map(({ needs, ...part }) => ({ ...part, ...(needs !== null && { needs }) })),
  ...(zones && { zones }),
});

export function applicationOf({ replicas, claims }: ApplicationSeen): Application {
  const byName = new Map(claims.map((c) => [c.name, usedOf(c)]));
  return {
    replicas: replicas.map(({ pod, node, claims: mounted }) => ({
      pod,
      ...(node !== null && { node }),
      claims: mounted.flatMap((c) => byName.get(c) ?? []),
    })),
  };
}

export const groundOfSeen = ({ nodes }: ApplicationSeen): Ground =>
  groundOf(
    nodes.map(({ name, rack, zone }) => ({ name, ...(rack !== null && { rack }), ...(zone !== null && { zone }) })),
  );

/** Where things of this application could go, as pools and nodes are now. */
function choiceOf(seen: ApplicationSeen, prepared: Prepared): Choice {
  const { application, claims, nodes } = seen;
  const backendOf = new Map(prepared.state.pools.map((p) => [p.id, p.backend]));
  return {
    nodes: nodes.filter((n) => n.takesPods).map((n) => n.name),
    disksOf: (pool) => {
      const known = prepared.pools.get(pool);
      return known && promisableDisks(known);
    },
    poolsFor: (name) => {
      const claim = claims.find((c) => c.name === name);
      const storageClass = prepared.state.classes.find((c) => c.name === claim?.className);
      if (!claim || !storageClass) return [];
      const input = inputFor(prepared, storageClass, {
        size: claim.requested,
        mode: (claim.modes[0] ?? 'ReadWriteOnce') as AccessMode,
        volumeMode: claim.volumeMode as VolumeMode,
        namespace: application.namespace,
        zone: '',
      });
      const own = new Set(claim.parts.map((p) => p.pool));
      // its own bytes go back to its namespace when it moves
      const quotas = input.quotas.map((q) => ({ ...q, used: Math.max(0, q.used - (claim.provisioned ?? 0)) }));
      return decide({ ...input, quotas, moorings: input.moorings.filter((m) => !own.has(m.pool)) })
        .candidates.filter((c) => c.checks.every((k) => k.passed))
        .map(({ pool }) => ({ pool, backend: backendOf.get(pool) ?? '' }));
    },
  };
}

/** For each common point of an application the change that would take it away. */
export function spreadsOf(seen: ApplicationSeen, prepared: Prepared): Spread[] {
  const [application, ground, choice] = [applicationOf(seen), groundOfSeen(seen), choiceOf(seen, prepared)];
  return seen.points.map((point) => spreadOf(point, application, ground, choice));
}
