import type { PlacementState } from '@moorage/contract/moorings';
import { toCorePool } from '@moorage/contract/pool-state';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { decide, roomFor, type Decision } from '@moorage/core/placement/decide';
import type { ClaimRequest, Mooring, PlacementInput, Quota } from '@moorage/core/placement/request';
import { checkPool, ruleContext, type Check } from '@moorage/core/placement/rules';
import { withVolume } from '@moorage/core/pools/pool';
import { provisionedSize } from '@moorage/core/sizes/provisioned';
import type { Bytes } from '@moorage/core/sizes/bytes';

/** A claim to be tried on the whole grid. */
export interface TriedClaim {
  readonly size: number;
  readonly mode: AccessMode;
  readonly volumeMode: VolumeMode;
  readonly namespace: string;
  readonly zone: string;
}

export interface TriedCell {
  /** Every rule, as if the mooring were there and on when it is not. */
  readonly checks: readonly Check[];
  readonly failed?: Check;
  /** Claims of this size that would still fit, and their bytes. */
  readonly moreClaims: number;
  readonly moreBytes: number;
  /** The rule that refuses the first claim beyond them. */
  readonly stoppedBy?: Check;
  readonly provisioned: number;
}

export interface TriedClass {
  readonly decision: Decision;
  readonly cells: Readonly<Record<string, TriedCell>>;
}

const most = 9999;

function quotasOf(state: PlacementState, namespace: string, className: string): Quota[] {
  return state.limits
    .filter((l) => l.namespace === namespace && (l.className === null || l.className === className))
    .map((l) => ({
      scope: l.className === null ? 'namespace' : 'class',
      limit: l.bytes,
      used: state.usage
        .filter((u) => u.namespace === namespace && (l.className === null || u.className === className))
        .reduce((sum, u) => sum + u.provisioned, 0),
    }));
}

/** Tries one claim on every class and pool of the live state: what the whole Moorings grid answers. */
export function tryEverywhere(state: PlacementState, tried: TriedClaim): Record<string, TriedClass> {
  const pools = new Map(state.pools.map((p) => [p.id, toCorePool(p)]));
  const claim: ClaimRequest = {
    namespace: tried.namespace,
    size: tried.size as Bytes,
    modes: [tried.mode],
    volumeMode: tried.volumeMode,
    ...(tried.zone && { zone: tried.zone }),
  };
  const answers: Record<string, TriedClass> = {};
  for (const storageClass of state.classes) {
    const moorings: Mooring[] = state.moorings.filter((m) => m.className === storageClass.name);
    const quotas = quotasOf(state, tried.namespace, storageClass.name);
    const input: PlacementInput = { claim, storageClass, moorings, pools, quotas };
    const cells: Record<string, TriedCell> = {};
    for (const pool of pools.values()) {
      const mooring: Mooring = { pool: pool.id, enabled: true, order: 1, weight: 1 };
      const checks = checkPool(ruleContext(input, pool, mooring));
      const room = roomFor(
        { ...input, quotas: [] },
        pool,
        (p, c) => withVolume(p, c.provisioned, storageClass, c.backendIops),
        most,
      );
      const provisioned = provisionedSize(claim.size, pool);
      cells[pool.id] = {
        checks,
        failed: checks.find((c) => !c.passed),
        moreClaims: room.claims,
        moreBytes: room.claims * provisioned,
        stoppedBy: room.stoppedBy,
        provisioned,
      };
    }
    answers[storageClass.name] = { decision: decide(input), cells };
  }
  return answers;
}
