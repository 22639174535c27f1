import { GiB, gibibytes } from '../sizes/bytes';
import type { Pool } from '../pools/pool-state';
import { compareSites, guessedSize, outlookOf, usualSize, type Site } from './outlook';
import { aClass, aPool, moored } from './testing';
import type { Mooring } from './request';

const small = (id: string, gib: number, part: Partial<Pool> = {}) =>
  aPool(id, { redundancy: { kind: 'inner', survives: 2, usable: gibibytes(gib) }, ...part });
const site = (moorings: Mooring[], held: Site['held'] = [], pools = [small('a', 1000), small('b', 500)]): Site => ({
  classes: [aClass({ name: 'ledger' })],
  moorings: new Map([['ledger', moorings]]),
  pools: new Map(pools.map((p) => [p.id, p])),
  held,
});
const three = [
  { className: 'ledger', pool: 'a', bytes: 40 * GiB, count: 1 },
  { className: 'ledger', pool: 'a', bytes: 80 * GiB, count: 5 },
  { className: 'ledger', pool: 'b', bytes: 200 * GiB, count: 2 },
  { className: 'other', pool: 'b', bytes: GiB, count: 900 },
];

test('the usual size is the middle one, each volume counted', () => {
  expect(usualSize(three, 'ledger')).toBe(80 * GiB);
  expect(usualSize(three, 'nobody')).toBeUndefined();
});

test('the outlook says how many more, how many bytes, and what stops them', () => {
  const known = outlookOf(site([moored('a'), moored('b', 2)], three), aClass({ name: 'ledger' }));
  expect(known).toMatchObject({ usual: 80 * GiB, known: true, claims: 12 + 6, bytes: 18 * 80 * GiB });
  expect(known.stoppedBy).toEqual([
    { pool: 'a', rule: 'subscription' },
    { pool: 'b', rule: 'subscription' },
  ]);
  expect(outlookOf(site([moored('a')]), aClass({ name: 'ledger' }))).toMatchObject({
    usual: guessedSize,
    known: false,
    claims: 10,
  });
});

describe('comparing before and after', () => {
  const both = [moored('a'), moored('b', 2)];
  test('a mooring turned off: what is promised less, and which volumes can do less', () => {
    const off = [moored('a'), moored('b', 2, { enabled: false })];
    expect(compareSites(site(both, three), site(off, three))).toEqual([
      expect.objectContaining({
        className: 'ledger',
        poolsBefore: 2,
        poolsAfter: 1,
        before: expect.objectContaining({ claims: 18 }) as unknown,
        after: expect.objectContaining({ claims: 12 }) as unknown,
        // those on b cannot grow there; those on a have no other pool to be made anew on
        lost: { growing: 2, cloning: 0, remaking: 6 },
      }),
    ]);
  });
  test('the last pool taken away leaves nothing', () => {
    const [change] = compareSites(site([moored('a')], three.slice(0, 2)), site([], three.slice(0, 2)));
    expect(change).toMatchObject({
      poolsAfter: 0,
      after: { claims: 0 },
      lost: { growing: 6, cloning: 6, remaking: 0 },
    });
  });
  test('another order changes where the next claim lands, and nothing else', () => {
    const [change, ...more] = compareSites(site(both, three), site([moored('b'), moored('a', 2)], three));
    expect(more).toEqual([]);
    expect(change).toMatchObject({
      landsBefore: 'a',
      landsAfter: 'b',
      poolsBefore: 2,
      poolsAfter: 2,
      lost: { growing: 0, cloning: 0, remaking: 0 },
    });
    expect([change!.after!.claims, change!.after!.bytes]).toEqual([change!.before!.claims, change!.before!.bytes]);
  });
  test('a pool of another site keeps copies only: a class with one pool beside it has one', () => {
    const pools = new Map([...site(both).pools, ['rock', aPool('rock', { backend: 'limpet', sites: ['gull-rock'] })]]);
    const [change] = compareSites(
      { ...site([moored('a'), moored('b'), moored('rock')]), pools, name: 'quayside' },
      { ...site([moored('a'), moored('rock')]), pools, name: 'quayside' },
    );
    expect([change!.poolsBefore, change!.poolsAfter]).toEqual([2, 1]);
  });
  test('a class that is new has no before', () => {
    const after = site(both);
    const [change] = compareSites({ ...after, classes: [] }, after);
    expect([change!.before, change!.after!.claims]).toEqual([undefined, 15]);
  });
});
