import { aboveSoftMark } from '../capacity/thin';
import { plainClass } from '../classes/storage-class';
import type { Candidate, Decision } from '../placement/decide';
import type { Quota } from '../placement/request';
import type { Check, RuleName } from '../placement/rule';
import { checkPool, ruleContext, type RuleContext } from '../placement/rules';
import type { Pool } from '../pools/pool-state';
import type { Bytes } from '../sizes/bytes';
import type { BucketClass } from './bucket-class';

/** The rules that concern a bucket: it is no volume, so nothing of modes, disks and growing. */
export const bucketRules = [
  'backend',
  'writable',
  'site',
  'protocol',
  'encryption',
  'copies',
  'fill',
  'subscription',
  'allotment',
  'backend-cap',
  'namespace-quota',
  'class-quota',
] as const satisfies readonly RuleName[];

export interface BucketAsked {
  readonly namespace: string;
  /** Bytes that it may hold: they are promised, as a volume's size is. */
  readonly limit: Bytes;
  readonly bucketClass: BucketClass;
  /** Every known pool by its id. */
  readonly pools: ReadonlyMap<string, Pool>;
  readonly quotas: readonly Quota[];
  /** The site the claim is made at. */
  readonly site?: string;
}

const speaksS3 = ({ protocols }: Pool): Check => ({
  ...{ rule: 'protocol', passed: protocols.includes('S3') },
  ...{ need: 'S3', have: protocols.join(', ') || 'none that is known', unit: 'text' },
});

/** Pools and the trace of a bucket's decision, in the form of a claim's (docs/calculations.md, Buckets). */
export type BucketDecision = Pick<
  Decision,
  'candidates' | 'winner' | 'runnerUp' | 'provisioned' | 'footprintFactor'
> & {
  /** Pools that its class names and that are not known. */
  readonly unknown: readonly string[];
};

/**
 * Chooses the pool of a bucket: the first of its class, in order, where every rule passes; those above their soft mark last. Its
 * limit is promised in full, since nothing else keeps room for it.
 */
export function chooseBucketPool(asked: BucketAsked): BucketDecision {
  const { bucketClass, pools } = asked;
  const { name, copies, encrypted } = bucketClass;
  const storageClass = { ...plainClass, name, copies, encrypted };
  const unknown = bucketClass.pools.filter((id) => !pools.has(id));
  const tried = bucketClass.pools.flatMap(
    (id, i): { candidate: Candidate; context: RuleContext; isFull: boolean }[] => {
      const known = pools.get(id);
      if (!known) return [];
      // a bucket is carved out of nothing: it takes of the pool itself what it may hold
      const pool: Pool = { ...known, instances: undefined };
      const mooring = { pool: id, enabled: true, order: i + 1, weight: 1 };
      const context = ruleContext(
        {
          claim: { namespace: asked.namespace, size: asked.limit, modes: [], volumeMode: 'Filesystem' },
          ...{ storageClass, moorings: [mooring], pools, quotas: asked.quotas, site: asked.site },
        },
        pool,
        mooring,
      );
      const checks = checkPool(context)
        .filter((c) => (bucketRules as readonly RuleName[]).includes(c.rule))
        .map((c) => (c.rule === 'protocol' ? speaksS3(pool) : c));
      return [
        {
          candidate: { pool: id, order: mooring.order, checks },
          context,
          isFull: aboveSoftMark(context.offer.thin),
        },
      ];
    },
  );
  const fitting = tried.filter(({ candidate }) => candidate.checks.every((c) => c.passed));
  const [first, second] = [...fitting.filter((t) => !t.isFull), ...fitting.filter((t) => t.isFull)];
  return {
    candidates: tried.map((t) => t.candidate),
    unknown,
    ...(first && {
      winner: first.candidate.pool,
      ...(second && { runnerUp: second.candidate.pool }),
      provisioned: first.context.provisioned,
      footprintFactor: first.context.offer.footprintFactor,
    }),
  };
}
