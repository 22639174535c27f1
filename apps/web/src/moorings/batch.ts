import type { PlacementState } from '@moorage/contract/moorings';
import type { BatchClaim } from '@moorage/core/placement/request';
import { fitBatch, fitOneByOne, type Fitted, type Watching } from '@moorage/core/placement/batch';
import { inputFor, prepare } from '@moorage/contract/placement-input';

/** One line of a batch: the claims of one application, as a stateful set names them. */
export interface BatchLine {
  readonly namespace: string;
  readonly application: string;
  readonly template: string;
  readonly replicas: number;
  readonly className: string;
  readonly size: number;
}

/** `data-booking-ledger-0`, as the platform makes them of a claim template. */
export const claimNames = ({ application, template, replicas }: BatchLine): string[] =>
  Array.from({ length: replicas }, (_, i) => `${template}-${application}-${i}`);

export interface BatchAnswer {
  readonly alone: Summary;
  readonly planned: Summary;
  /** Where each claim goes by the plan, with the disks of its copies where we place them. */
  readonly places: readonly {
    readonly namespace: string;
    readonly claim: string;
    readonly pool: string;
    readonly disks: readonly string[];
  }[];
  readonly refused: readonly string[];
}

export interface Summary {
  readonly claims: number;
  readonly of: number;
  readonly bytes: number;
  /** Claims and bytes by pool. */
  readonly pools: readonly { readonly pool: string; readonly claims: number; readonly bytes: number }[];
}

function summary(fitted: Fitted, sizes: ReadonlyMap<string, number>): Summary {
  const pools = new Map<string, { claims: number; bytes: number }>();
  for (const [id, pool] of fitted.placed) {
    const so = pools.get(pool) ?? { claims: 0, bytes: 0 };
    pools.set(pool, { claims: so.claims + 1, bytes: so.bytes + sizes.get(id)! });
  }
  return {
    claims: fitted.placed.size,
    of: sizes.size,
    bytes: fitted.bytes,
    pools: [...pools].map(([pool, of]) => ({ pool, ...of })).sort((a, b) => (a.pool < b.pool ? -1 : 1)),
  };
}

/** Fits a batch into the live state, one by one and as a plan. */
export function fit(state: PlacementState, lines: readonly BatchLine[], watching?: Watching): BatchAnswer {
  const prepared = prepare(state);
  const named = new Map<string, { namespace: string; claim: string }>();
  const sizes = new Map<string, number>();
  const claims = lines.flatMap((line): BatchClaim[] => {
    const storageClass = state.classes.find((c) => c.name === line.className);
    if (!storageClass) return [];
    const shared = storageClass.purpose === 'shared-files';
    const {
      offers: _offers,
      pools: _pools,
      ...input
    } = inputFor(prepared, storageClass, {
      size: line.size,
      mode: shared ? 'ReadWriteMany' : 'ReadWriteOnce',
      volumeMode: storageClass.volumeMode === 'Block' ? 'Block' : 'Filesystem',
      namespace: line.namespace,
      zone: '',
    });
    return claimNames(line).map((claim) => {
      const id = `${line.namespace}/${claim}`;
      named.set(id, { namespace: line.namespace, claim });
      sizes.set(id, line.size);
      return { id, input };
    });
  });
  const planned = fitBatch(prepared.pools, claims, watching);
  return {
    alone: summary(fitOneByOne(prepared.pools, claims), sizes),
    planned: summary(planned, sizes),
    places: [...planned.placed].map(([id, pool]) => ({ ...named.get(id)!, pool, disks: planned.disks.get(id) ?? [] })),
    refused: planned.refused,
  };
}
