import loadHighs from 'highs';
import type { Strategy } from '../classes/storage-class';
import { promisableShare } from '../performance/term';
import { usableFor } from '../pools/pool';
import { fitBatch, fitOneByOne } from './batch';
import type { Instance } from './instances';
import { fittingInstance, overfullInstance, siteKinds } from './kinds';
import type { BatchClaim } from './request';
import { ruleContext } from './rules';

/**
 * Kinds of sites with claims that all fit (they were laid while they were drawn, at 85 to 97 % of what binds), and with a quarter
 * more than fits, beside the most bytes that any placement reaches (MILP solver; where it gives up, the linear bound). Prints JSON.
 */
const fitting = Number(process.env.MOORAGE_BENCH_FITTING ?? 100);
const overfull = Number(process.env.MOORAGE_BENCH_OVERFULL ?? 3);
const strategies: readonly Strategy[] = ['in-order', 'spread', 'pack'];

interface Alike {
  readonly claim: BatchClaim;
  count: number;
}

/** Claims alike in class and size are interchangeable: the model counts them. */
function modelOf(instance: Instance, relaxed: boolean): string {
  const alike = new Map<string, Alike>();
  for (const claim of instance.claims) {
    const key = `${claim.input.storageClass.name} ${claim.input.claim.size}`;
    const so = alike.get(key) ?? { claim, count: 0 };
    so.count += 1;
    alike.set(key, so);
  }
  const rows: string[] = [];
  const worth: string[] = [];
  const variables: string[] = [];
  const ofPool = new Map<string, { bytes: string[]; iops: string[]; usable: number; limit: number }>();
  let k = 0;
  for (const { claim, count } of alike.values()) {
    const names: string[] = [];
    for (const mooring of claim.input.moorings) {
      const pool = instance.pools.get(mooring.pool)!;
      const context = ruleContext({ ...claim.input, pools: instance.pools }, pool, mooring);
      const name = `x${k}_${mooring.pool.replace('-', '')}`;
      names.push(name);
      worth.push(`${claim.input.claim.size / 2 ** 30} ${name}`);
      const terms = ofPool.get(pool.id) ?? {
        ...{ bytes: [], iops: [], usable: usableFor(pool, claim.input.storageClass.copies) },
        limit: promisableShare * pool.iops,
      };
      terms.bytes.push(`${context.provisioned / 2 ** 30} ${name}`);
      if (context.backendIops > 0) terms.iops.push(`${context.backendIops} ${name}`);
      ofPool.set(pool.id, terms);
    }
    variables.push(...names);
    rows.push(` all${k}: ${names.join(' + ')} <= ${count}`);
    k += 1;
  }
  for (const [id, { bytes, iops, usable, limit }] of ofPool) {
    const name = id.replace('-', '');
    rows.push(` b${name}: ${bytes.join(' + ')} <= ${usable / 2 ** 30}`);
    if (iops.length > 0) rows.push(` i${name}: ${iops.join(' + ')} <= ${limit}`);
  }
  const general = relaxed ? '' : `General\n ${variables.join(' ')}\n`;
  return `Maximize\n obj: ${worth.join(' + ')}\nSubject To\n${rows.join('\n')}\n${general}End`;
}

/** The most bytes of any placement, within a thousandth; where the solver gives up, what no placement can exceed. */
async function mostBytes(instance: Instance): Promise<{ bytes: number; proven: boolean }> {
  // a new one each time: its memory is not given back
  const highs = await loadHighs();
  const options = { time_limit: 10, mip_rel_gap: 0.001, output_flag: false };
  const whole = highs.solve(modelOf(instance, false), options);
  if (whole.Status === 'Optimal') return { bytes: whole.ObjectiveValue * 2 ** 30, proven: true };
  const bound = highs.solve(modelOf(instance, true), { ...options, time_limit: 60 });
  if (bound.Status !== 'Optimal') throw new Error(`the solver says ${bound.Status} of the bound`);
  return { bytes: bound.ObjectiveValue * 2 ** 30, proven: false };
}

const asked = (claims: readonly BatchClaim[]) => claims.reduce((sum, c) => sum + c.input.claim.size, 0);
const by = (strategy: Strategy, claims: readonly BatchClaim[]): BatchClaim[] =>
  claims.map((c) => ({ ...c, input: { ...c.input, storageClass: { ...c.input.storageClass, strategy } } }));
const seeds = (count: number) => Array.from({ length: count }, (_, i) => i + 1);
const perStrategy = () => Object.fromEntries(strategies.map((s) => [s, [] as number[]]));

const results = [];
for (const kind of siteKinds) {
  const of = { kind: kind.name, claims: 0, fitting, complete: 0, planMs: 0, solverMs: 0, unproven: 0 };
  const [early, alone, planned] = [perStrategy(), perStrategy(), [] as number[]];
  for (const seed of seeds(fitting)) {
    const { pools, claims } = fittingInstance(kind, seed);
    of.claims += claims.length / fitting;
    const began = performance.now();
    if (fitBatch(pools, claims).refused.length === 0) of.complete += 1;
    of.planMs += (performance.now() - began) / fitting;
    // a tenth of them tells what comes before the first refusal
    if (seed % 10 === 1)
      for (const s of strategies) early[s]!.push(fitOneByOne(pools, by(s, claims)).bytesBeforeRefusal / asked(claims));
  }
  for (const seed of seeds(overfull)) {
    const { pools, claims } = overfullInstance(kind, seed);
    const began = performance.now();
    const { bytes, proven } = await mostBytes({ pools, claims });
    of.solverMs += (performance.now() - began) / overfull;
    if (!proven) of.unproven += 1;
    planned.push(fitBatch(pools, claims).bytes / bytes);
    for (const s of strategies) alone[s]!.push(fitOneByOne(pools, by(s, claims)).bytes / bytes);
  }
  results.push({ ...of, early, alone, planned });
}
console.log(JSON.stringify({ strategies, results }));
