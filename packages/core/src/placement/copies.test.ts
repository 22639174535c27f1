import { GiB, gibibytes } from '../sizes/bytes';
import { changeCopies, withCopies, type CopyChange, type LyingCopy } from './copies';
import type { GrowthInput } from './growth';
import { aClaim, aClass, aPool, aSpreadPool, anInput } from './testing';

/** Six nodes of one disk each; `used` by node in GiB, beside the 100 GiB of the volume's own three copies. */
function onDisks(used: readonly number[], part: Parameters<typeof aSpreadPool>[2] = {}) {
  const pool = aSpreadPool('k', [900, 900, 900, 900, 900, 900], { iops: 10_000, subscribedRaw: 300 * GiB, ...part });
  if (pool.redundancy.kind !== 'spread') throw new Error('a spread pool');
  const disks = pool.redundancy.domains.map((d, i) => ({
    ...{ id: `disk-${i + 1}`, node: d.name, domain: d.name, capacity: d.capacity, usable: true },
    used: ((used[i] ?? 0) + (i < 3 ? 100 : 0)) * GiB,
  }));
  return { ...pool, redundancy: { ...pool.redundancy, disks } };
}
const allowances = [{ setting: 'copies' as const, minimum: 2, maximum: 4, namespaces: [] }];
function input(
  used: readonly number[] = [],
  part: Parameters<typeof onDisks>[1] = {},
  cls: Parameters<typeof aClass>[0] = {},
) {
  const pool = onDisks(used, part);
  const base = anInput([pool], {
    storageClass: aClass({ copies: 3, allowances, writeShare: 0.5, iopsFloor: { kind: 'fixed', value: 600 }, ...cls }),
    claim: aClaim({ size: gibibytes(100) }),
  });
  const held = {
    pool: 'k',
    provisioned: gibibytes(100),
    backendIops: 1200,
    backendThroughput: 0,
    disks: ['disk-1', 'disk-2', 'disk-3'],
  };
  return { ...base, held: [held] } satisfies GrowthInput;
}
const copy = (n: number, part: Partial<LyingCopy> = {}): LyingCopy => ({
  ...{ disk: `disk-${n}`, node: `quay-${n}`, domain: `quay-${n}`, role: 'data', whole: true },
  ...part,
});
const three = [copy(1), copy(2), copy(3)];
const plan = (of: GrowthInput, change: CopyChange, lying = three) => changeCopies(of, lying, change);
const reckoned = (...of: Parameters<typeof plan>) => {
  const answer = plan(...of);
  if (answer.kind !== 'reckoned') throw new Error(answer.kind);
  return answer;
};
const failed = (...of: Parameters<typeof plan>) =>
  reckoned(...of)
    .checks.filter((c) => !c.passed)
    .map(({ rule, need, have }) => [rule, need, have]);

test('one copy more goes to the node with most room that has none, and costs its bytes and every write once more', () => {
  const answer = reckoned(input([0, 0, 0, 300, 200, 500]), { kind: 'raise' });
  expect(answer).toMatchObject({
    ...{ fits: true, copies: 4, raw: 400 * GiB, addedRaw: 100 * GiB },
    copy: { disk: 'disk-5', left: 600 * GiB },
    ...{ before: { withoutLoss: 2, withoutInterruption: 1 }, after: { withoutLoss: 3, withoutInterruption: 2 } },
    // 600 operations, half of them writes: 300 read, 300 written four times
    backendIops: 300 + 4 * 300,
  });
  expect(answer.choices.map((c) => c.node)).toEqual(['quay-5', 'quay-4', 'quay-6']);
});

test('the node may be chosen, of those that have neither a copy nor the vote', () => {
  expect(reckoned(input(), { kind: 'raise', node: 'quay-6' }).copy.disk).toBe('disk-6');
  expect(plan(input(), { kind: 'raise', node: 'quay-1' })).toMatchObject({ kind: 'no-place', node: 'quay-1' });
  const witness = copy(6, { role: 'witness' });
  expect(reckoned(input(), { kind: 'raise' }, [...three, witness]).choices.map((c) => c.node)).not.toContain('quay-6');
  const pinned = { pinnedNodes: ['quay-1', 'quay-2', 'quay-3', 'quay-4'] };
  expect(reckoned(input([], {}, pinned), { kind: 'raise' }).choices.map((c) => c.node)).toEqual(['quay-4']);
});

test('where no other node has room there is no place for it', () => {
  expect(plan(input([0, 0, 0, 850, 850, 850]), { kind: 'raise' })).toEqual({ kind: 'no-place', need: 100 * GiB });
});

test.each<[string, GrowthInput, unknown[][]]>([
  ['more than its class allows', input([], {}, { allowances: [] }), [['allowance', 'copies 4', 'not tunable']]],
  // 5,400 raw bytes of usable 1,350 for four copies
  [
    'more than the pool may promise',
    input([], { subscribedRaw: 5_350 * GiB }),
    [['subscription', 100 * GiB, 50 * GiB]],
  ],
  ['beyond its allotment', input([], { allotment: 400 * GiB, taken: 350 * GiB }), [['allotment', 100 * GiB, 50 * GiB]]],
  [
    'beyond the cap of its backend',
    input([], { backendCap: { limit: 400 * GiB, taken: 400 * GiB } }),
    [['backend-cap', 100 * GiB, 0]],
  ],
  ['more operations than are left', input([], { promisedIops: 6_900 }), [['iops', 300, 100]]],
])('one copy more is refused: %s', (_what, of, checks) => {
  expect(failed(of, { kind: 'raise' })).toEqual(checks);
});

test('one fewer takes what is out of step, else the copy on the fullest disk, and gives its bytes back', () => {
  const of = input([0, 400, 0]);
  const answer = reckoned(of, { kind: 'lower' });
  expect(answer).toMatchObject({
    ...{ fits: true, copies: 2, raw: 200 * GiB, addedRaw: -100 * GiB, copy: { disk: 'disk-2' } },
    ...{ after: { withoutLoss: 1, withoutInterruption: 1 }, backendIops: 300 + 2 * 300 },
  });
  expect(reckoned(of, { kind: 'lower' }, [copy(1), copy(2), copy(3, { whole: false })]).copy.disk).toBe('disk-3');
  expect(reckoned(of, { kind: 'lower', disk: 'disk-1' }).copy.disk).toBe('disk-1');
  // a full pool is no reason to keep it
  expect(reckoned(input([], { subscribedRaw: 5_400 * GiB, promisedIops: 7_000 }), { kind: 'lower' }).fits).toBe(true);
});

test('the only whole copy never goes, and no fewer than the class allows', () => {
  const stale = [copy(1), copy(2, { whole: false }), copy(3, { whole: false })];
  expect(plan(input(), { kind: 'lower', disk: 'disk-1' }, stale)).toEqual({ kind: 'last-whole' });
  expect(reckoned(input(), { kind: 'lower' }, stale).copy.disk).toBe('disk-2');
  expect(failed(input(), { kind: 'lower' }, [copy(1), copy(2)])).toEqual([['allowance', 'copies 1', '2 to 4']]);
  expect(plan(input(), { kind: 'lower' }, [copy(1)])).toEqual({ kind: 'last-whole' });
});

test('back to what the class has is nothing that a claim tunes', () => {
  const of = input([], {}, { allowances: [] });
  expect(withCopies({ ...of, claim: { ...of.claim, tuned: { copies: 4, 'iops-floor': 700 } } }, 3)).toEqual({
    'iops-floor': 700,
  });
  expect(failed(of, { kind: 'lower' }, [...three, copy(4)])).toEqual([]);
});

test("copies that are the pool's own affair are not changed here", () => {
  const base = anInput([aPool('a')]);
  const held = { pool: 'a', provisioned: gibibytes(1), backendIops: 0, backendThroughput: 0, disks: [] };
  expect(changeCopies({ ...base, held: [held] }, [], { kind: 'raise' })).toEqual({ kind: 'not-ours' });
  expect(changeCopies({ ...base, held: [{ ...held, pool: 'gone' }] }, [], { kind: 'raise' })).toEqual({
    kind: 'pool-gone',
    pool: 'gone',
  });
});
