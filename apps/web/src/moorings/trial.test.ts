import type { PlacementState } from '@moorage/contract/moorings';
import { poolLines } from '../classes/pool-lines';
import { consequencesOf } from '../classes/consequences';
import { plainClass } from '@moorage/core/classes/storage-class';
import { aPoolState, aState } from './testing';
import { prepare, type TriedClaim } from '@moorage/contract/placement-input';
import { explain, outlooks, tryEverywhere } from './trial';

const GiB = 2 ** 30;
const ledger: PlacementState['classes'][number] = {
  ...plainClass,
  name: 'ledger',
  copies: 2,
  encrypted: true,
  expansion: true,
};
const state = aState({
  classes: [ledger],
  classVersions: { ledger: '1' },
  held: [{ className: 'ledger', pool: 'swift', bytes: 60 * GiB, count: 1, floor: 0 }],
  pools: [aPoolState('swift'), aPoolState('broad', { reservedRaw: 950 * GiB })],
  moorings: [{ className: 'ledger', pool: 'swift', enabled: true, order: 1, weight: 1, version: 1 }],
  limits: [{ namespace: 'ferry-desk', className: null, bytes: 100 * GiB }],
  usage: [{ namespace: 'ferry-desk', className: 'ledger', provisioned: 60 * GiB }],
  namespaces: ['ferry-desk', 'tide-gauges'],
});
const tried = (part: Partial<TriedClaim> = {}): TriedClaim => ({
  size: 80 * GiB,
  mode: 'ReadWriteOnce',
  volumeMode: 'Filesystem',
  namespace: 'tide-gauges',
  zone: '',
  ...part,
});

describe('trying a claim on the whole grid', () => {
  test('says where it lands, what could serve without a mooring, and how many more fit', () => {
    const { winner, cells } = tryEverywhere(prepare(state), tried())['ledger']!;
    expect(winner).toBe('swift');
    expect(cells[0]).toMatchObject({ moreClaims: 12, moreBytes: 960 * GiB, stoppedBy: 'subscription' });
    expect(cells[1]).toMatchObject({ moreClaims: 0, failed: { rule: 'subscription' } });
  });

  test('counts the limit of the namespace, and of no other', () => {
    const answer = tryEverywhere(prepare(state), tried({ namespace: 'ferry-desk' }))['ledger']!;
    expect(answer.winner).toBeUndefined();
    expect(answer.cells[0]!.failed).toMatchObject({ rule: 'namespace-quota', need: 80 * GiB, have: 40 * GiB });
  });

  test('a pool that does not answer cannot serve', () => {
    const down = { ...state, pools: [aPoolState('swift', { reachable: false })] };
    expect(tryEverywhere(prepare(down), tried())['ledger']!.cells[0]!.failed!.rule).toBe('backend');
  });

  test('a class kept for others, and a setting tuned beyond what is allowed, are refused with what would help', () => {
    const kept = prepare({ ...state, grants: [{ className: 'ledger', namespaces: ['ferry-desk'] }] });
    expect(tryEverywhere(kept, tried())['ledger']!.cells[0]!.failed!.rule).toBe('grant');
    const explained = explain(kept, tried(), 'ledger', 'swift')!;
    expect(explained.remedies[0]!.changes).toEqual([{ kind: 'grant', namespace: 'tide-gauges' }]);
    const tuned = tryEverywhere(prepare(state), tried({ tuned: { copies: 1 } }))['ledger']!;
    expect(tuned.cells[0]!.failed!.rule).toBe('allowance');
  });

  test('a class tells how many more of its usual size would bind', () =>
    expect(outlooks(prepare(state))['ledger']).toMatchObject({ usual: 60 * GiB, known: true, claims: 16 }));
});

describe('consequences of a class', () => {
  const texts = (part: object) => Object.values(consequencesOf({ ...ledger, ...part }, state)).flat();
  test('copies that no pool can keep are impossible', () => {
    expect(texts({ copies: 5 }).find((c) => c.tone === 'impossible')!.text).toMatch(/No pool can keep 5 copies/);
    expect(texts({ copies: 3 }).some((c) => c.tone === 'impossible')).toBe(false);
  });
  test('a floor above its ceiling is impossible', () => {
    const found = texts({ iopsFloor: { kind: 'per-gib', perGiB: 12 }, iopsCeiling: { kind: 'fixed', value: 500 } });
    expect(found.filter((c) => c.tone === 'impossible')).toHaveLength(1);
  });
  test('a floor says what it reserves at sizes people ask for, and how many such claims fit', () => {
    const found = texts({ iopsFloor: { kind: 'per-gib', perGiB: 12, minimum: 600, maximum: 15_000 } }).map(
      (c) => c.text,
    );
    expect(found).toContain('Reserved: 600 IOPS at 10 GiB, 1,200 IOPS at 100 GiB, 12,288 IOPS at 1 TiB.');
    const cls = { ...ledger, iopsFloor: { kind: 'per-gib' as const, perGiB: 12, minimum: 600, maximum: 15_000 } };
    expect(poolLines(cls, state).find((l) => l.pool === 'swift')).toMatchObject({
      kept: [600, 1200, 12_288],
      claims: 5,
    });
  });
  test('destroying with the claim wants a second thought', () => {
    expect(texts({ reclaim: 'Delete' }).find((c) => /destroys/.test(c.text))!.tone).toBe('foolish');
  });
});
