import loadHighs from 'highs';
import { promisableShare } from '../performance/term';
import type { BatchClaim } from './request';
import { fitBatch, fitOneByOne } from './batch';
import { anInstance, instanceSizes, type Instance } from './instances';
import { ruleContext } from './rules';

/**
 * Bytes placed before the first refusal, one by one and as a batch, beside the most that any placement of the same instance can
 * reach: the longest run of claims from the first on that fits as a whole, found with a MILP solver. Prints JSON.
 */
const highs = await loadHighs();
const seeds = Number(process.env.MOORAGE_BENCH_SEEDS ?? 3);

interface Kind {
  readonly claim: BatchClaim;
  count: number;
}

/** Claims alike in class and size are interchangeable: the model counts them. Infeasible, feasible, or the solver gave up. */
function runFits(instance: Instance, length: number, relaxed: boolean): boolean | undefined {
  const kinds = new Map<string, Kind>();
  for (const claim of instance.claims.slice(0, length)) {
    const key = `${claim.input.storageClass.name} ${claim.input.claim.size}`;
    const kind = kinds.get(key) ?? { claim, count: 0 };
    kind.count += 1;
    kinds.set(key, kind);
  }
  const rows: string[] = [];
  const ofPool = new Map<string, { bytes: string[]; iops: string[] }>();
  const variables: string[] = [];
  let k = 0;
  for (const { claim, count } of kinds.values()) {
    const names: string[] = [];
    for (const mooring of claim.input.moorings) {
      const pool = instance.pools.get(mooring.pool)!;
      const context = ruleContext({ ...claim.input, pools: instance.pools }, pool, mooring);
      const name = `x${k}_${mooring.pool.replace('-', '')}`;
      names.push(name);
      variables.push(name);
      const terms = ofPool.get(pool.id) ?? { bytes: [], iops: [] };
      terms.bytes.push(`${context.provisioned / 2 ** 30} ${name}`);
      if (context.backendIops > 0) terms.iops.push(`${context.backendIops} ${name}`);
      ofPool.set(pool.id, terms);
    }
    rows.push(` all${k}: ${names.join(' + ')} = ${count}`);
    k += 1;
  }
  for (const [id, { bytes, iops }] of ofPool) {
    const pool = instance.pools.get(id)!;
    const usable = pool.redundancy.kind === 'inner' ? pool.redundancy.usable : 0;
    const name = id.replace('-', '');
    rows.push(` b${name}: ${bytes.join(' + ')} <= ${usable / 2 ** 30}`);
    if (iops.length > 0) rows.push(` i${name}: ${iops.join(' + ')} <= ${promisableShare * pool.iops}`);
  }
  const general = relaxed ? '' : `General\n ${variables.join(' ')}\n`;
  const model = `Minimize\n obj: ${variables[0]}\nSubject To\n${rows.join('\n')}\n${general}End`;
  const { Status } = highs.solve(model, { time_limit: 20, mip_rel_gap: 1, output_flag: false });
  if (Status === 'Optimal') return true;
  return Status === 'Infeasible' ? false : undefined;
}

/** The longest run that fits. Where the solver gives up, the relaxed bound stands in: never less than the optimum. */
function longestRun(instance: Instance): { length: number; proven: boolean } {
  const search = (low: number, high: number, fits: (length: number) => boolean): number => {
    while (high - low > 1) {
      const middle = Math.floor((low + high) / 2);
      if (fits(middle)) low = middle;
      else high = middle;
    }
    return low;
  };
  const all = instance.claims.length;
  const bound = search(0, all + 1, (length) => runFits(instance, length, true) === true);
  let proven = true;
  const whole = runFits(instance, bound, false);
  if (whole === true) return { length: bound, proven };
  const length = search(0, bound + 1, (run) => {
    const fits = runFits(instance, run, false);
    if (fits === undefined) proven = false;
    return fits ?? true;
  });
  return { length, proven };
}

const results = [];
for (const [pools, claims] of instanceSizes)
  for (let seed = 1; seed <= seeds; seed++) {
    const instance = anInstance(seed * 1000 + pools, pools, claims);
    const began = performance.now();
    const alone = fitOneByOne(instance.pools, instance.claims);
    const aloneMs = performance.now() - began;
    const batchBegan = performance.now();
    const batch = fitBatch(instance.pools, instance.claims);
    const batchMs = performance.now() - batchBegan;
    const solverBegan = performance.now();
    const { length, proven } = longestRun(instance);
    const solverMs = performance.now() - solverBegan;
    const optimum = instance.claims.slice(0, length).reduce((sum, c) => sum + c.input.claim.size, 0);
    results.push({
      pools,
      claims,
      seed,
      optimum,
      proven,
      oneByOne: alone.bytesBeforeRefusal / optimum,
      batch: batch.bytesBeforeRefusal / optimum,
      aloneMs,
      batchMs,
      solverMs,
    });
  }
console.log(JSON.stringify({ results }));
