import fc from 'fast-check';
import { aClass, anInput, aSpreadPool } from '../placement/testing';
import { decide, roomFor } from '../placement/decide';
import type { BatchClaim } from '../placement/request';
import { fitBatch, fitOneByOne } from '../placement/batch';
import { classRoom } from '../placement/decide';
import { ruleContext } from '../placement/rules';
import type { PlacementInput } from '../placement/request';
import { withVolume } from '../pools/pool';
import type { Pool } from '../pools/pool-state';
import type { Bytes } from '../sizes/bytes';
import type { ReplicaDisk } from './place';
import { placesOnDisks } from './on-pool';

const GiB = 2 ** 30;

/** A pool of nodes with disks, in GiB; `used` by disk where given. */
function diskPool(id: string, nodes: readonly (readonly number[])[], overcommit = 1): Pool {
  const disks = nodes.flatMap((capacities, n) =>
    capacities.map((capacity, d): ReplicaDisk => ({
      id: `${id}-${n}-${d}`,
      node: `n${n}`,
      domain: `n${n}`,
      capacity: capacity * GiB,
      used: 0,
      usable: true,
    })),
  );
  const bare = aSpreadPool(
    id,
    nodes.map((c) => c.reduce((a, b) => a + b, 0)),
    { overcommit },
  );
  if (bare.redundancy.kind !== 'spread') throw new Error('not of disks');
  return { ...bare, redundancy: { ...bare.redundancy, disks } };
}
const even = (nodes: number, disks: number, capacity: number) =>
  Array.from({ length: nodes }, () => Array<number>(disks).fill(capacity));

/** Claims that bind one after the other before the first is refused. */
function bindAll(input: PlacementInput, most = 5000): number {
  const pools = new Map(input.pools);
  for (let n = 0; n < most; n++) {
    const { winner, provisioned, backendIops, backendThroughput } = decide({ ...input, pools });
    if (winner === undefined) return n;
    const taking = { provisioned: provisioned!, backendIops: backendIops!, backendThroughput: backendThroughput! };
    pools.set(winner, withVolume(pools.get(winner)!, taking, input.storageClass));
  }
  return most;
}
const asking = (pools: readonly Pool[], sizeGiB: number, copies: number): PlacementInput => {
  const input = anInput(pools, { storageClass: aClass({ copies }) });
  return { ...input, claim: { ...input.claim, size: (sizeGiB * GiB) as Bytes } };
};

describe('how many volumes find disks for their copies', () => {
  test.each([
    ['5 nodes with 4 disks of 1,000 GiB take six of 600 GiB in 3 copies, not eleven', even(5, 4, 1000), 600, 3, 6],
    ['8 nodes with 12 disks of 3,840 GiB, 2,600 GiB in 1 copy', even(8, 12, 3840), 2600, 1, 96],
    ['one large node beside small ones', [[4000], [1000], [1000]], 500, 2, 4],
    ['more copies than nodes', even(2, 4, 1000), 100, 3, 0],
  ])('%s', (_name, nodes, size, copies, expected) => {
    const pool = diskPool('kelp', nodes);
    expect(placesOnDisks(pool, aClass({ copies }), size * GiB)).toBe(expected);
    expect(bindAll(asking([pool], size, copies))).toBe(expected);
  });

  test('the rule that stops is named', () => {
    const input = asking([diskPool('kelp', even(5, 4, 1000))], 600, 3);
    const pool = input.pools.get('kelp')!;
    expect(roomFor(ruleContext(input, pool, input.moorings[0]))).toEqual({ claims: 6, stoppedBy: 'disk-room' });
  });
});

const nodes = fc.array(fc.array(fc.integer({ min: 50, max: 1000 }), { minLength: 1, maxLength: 5 }), {
  minLength: 2,
  maxLength: 6,
});

test('what an outlook promises is what the decisions then do', () =>
  fc.assert(
    fc.property(
      nodes,
      fc.integer({ min: 20, max: 400 }),
      fc.integer({ min: 1, max: 3 }),
      fc.constantFrom(1, 1.5),
      (of, size, copies, overcommit) => {
        const input = asking([diskPool('kelp', of, overcommit)], size, copies);
        expect(bindAll(input)).toBe(classRoom(input).claims);
      },
    ),
    { numRuns: 150 },
  ));

test('what a plan places, the decisions place when the claims come, each where the plan says', () =>
  fc.assert(
    fc.property(
      fc.array(nodes, { minLength: 1, maxLength: 3 }),
      fc.array(fc.record({ size: fc.integer({ min: 20, max: 700 }), copies: fc.integer({ min: 1, max: 3 }) }), {
        minLength: 1,
        maxLength: 30,
      }),
      (sites, asked) => {
        const pools = new Map(sites.map((of, i) => [`p${i}`, diskPool(`p${i}`, of)]));
        const claims = asked.map(({ size, copies }, i): BatchClaim => {
          const { pools: _pools, ...input } = asking([...pools.values()], size, copies);
          return { id: `c${i}`, input };
        });
        const plan = fitBatch(pools, claims, undefined, 100);
        const come = fitOneByOne(
          pools,
          claims.filter((c) => plan.placed.has(c.id)),
          plan,
        );
        expect(come.refused).toEqual([]);
        expect([...come.placed].sort()).toEqual([...plan.placed].sort());
        expect(plan.bytes).toBeGreaterThanOrEqual(0.995 * fitOneByOne(pools, claims).bytes);
      },
    ),
    { numRuns: 150 },
  ));
