import type { Conflict, DraftedChange } from '@moorage/contract/moorings';
import { plainClass } from '@moorage/core/classes/storage-class';
import type { ClassChange, Outlook } from '@moorage/core/placement/outlook';
import { changeText, consequencesOfDraft, theirsText } from './draft-words';
import { countText, outlookText } from './outlook-words';

const GiB = 2 ** 30;
const cls = { ...plainClass, name: 'ledger', isDefault: false };
const mooring = (part: object = {}): DraftedChange => ({
  kind: 'mooring',
  className: 'ledger',
  pool: 'kelp-nvme',
  enabled: true,
  weight: 1,
  seen: 1,
  ...part,
});
const order: DraftedChange = { kind: 'order', className: 'ledger', pools: ['a', 'b'], seen: ['b', 'a'] };
const preset: DraftedChange = { kind: 'default', className: 'ledger', seen: null };
const fresh: DraftedChange = { kind: 'class', storageClass: cls };
const changed = (part: object): DraftedChange => ({
  kind: 'class-change',
  storageClass: { ...cls, ...part },
  was: cls,
  seen: '4',
});

test.each<[DraftedChange, string]>([
  [mooring(), 'ledger may use kelp-nvme'],
  [mooring({ weight: 2 }), 'ledger may use kelp-nvme, weight 2'],
  [mooring({ enabled: false }), 'ledger no longer uses kelp-nvme'],
  [order, 'ledger: a, then b'],
  [preset, 'ledger becomes the default class'],
  [fresh, 'New class ledger'],
  [changed({ strategy: 'pack' }), 'ledger chooses the pool that a claim fills best'],
  [
    changed({ strategy: 'pack', copies: 3, iopsFloor: { kind: 'fixed', value: 1 } }),
    'ledger is changed: copies, IOPS floor, strategy',
  ],
])('a drafted change in one line: %#', (change, text) => expect(changeText(change)).toBe(text));

describe('what somebody else made of it', () => {
  const conflict = (now: unknown, person: string | null = 'Tom'): Conflict => ({ index: 0, now, person, at: null });
  test.each<[DraftedChange, unknown, string]>([
    [mooring(), null, 'Tom took the mooring away.'],
    [mooring(), { enabled: false, weight: 3 }, 'Tom changed it: off, weight 3.'],
    [order, ['b', 'a'], 'Tom put them in this order: b, then a.'],
    [preset, 'general', 'Tom made general the default.'],
    [preset, null, 'Tom made no class the default.'],
    [fresh, 'ledger', 'Tom made a class of this name.'],
    [changed({ copies: 3 }), null, 'Tom deleted the class.'],
    [
      changed({ copies: 3, expansion: true }),
      { version: '9', storageClass: { ...cls, copies: 2, encrypted: true } },
      'Tom changed it too: copies.',
    ],
  ])('%#', (change, now, text) => expect(theirsText(change, conflict(now))).toBe(text));

  test('nobody known is said to be somebody, and the time of day is told', () =>
    expect(theirsText(order, { ...conflict(['b']), person: null, at: '2026-11-25T08:05:00' })).toBe(
      'Somebody at 08:05 put them in this order: b.',
    ));
});

const outlook = (claims: number, part: Partial<Outlook> = {}): Outlook => ({
  claims,
  bytes: claims * 100 * GiB,
  usual: 100 * GiB,
  known: true,
  mode: 'ReadWriteOnce',
  stoppedBy: [{ pool: 'a', rule: 'iops' }],
  ...part,
});
const change = (part: Partial<ClassChange> = {}): ClassChange => ({
  className: 'ledger',
  before: outlook(30),
  after: outlook(30),
  poolsBefore: 2,
  poolsAfter: 2,
  lost: { growing: 0, cloning: 0, remaking: 0 },
  ...part,
});
const told = (part: Partial<ClassChange>) => consequencesOfDraft(change(part)).map((c) => [c.text, c.grave]);

describe('what a draft brings about', () => {
  test('no pool, or one, is grave', () => {
    expect(told({ poolsAfter: 0 })).toEqual([['ledger is left with no pool: its claims would stay pending', true]]);
    expect(told({ poolsAfter: 1 })).toEqual([
      ['ledger is left with one pool: when it is full or down, nothing binds', true],
    ]);
    expect(told({ poolsBefore: 1, poolsAfter: 1 })).toEqual([]);
  });

  test('each way out that volumes lose is told with how many', () =>
    expect(told({ lost: { growing: 1, cloning: 2, remaking: 3 } })).toEqual([
      ['ledger: 1 of its volumes could no longer grow by a quarter where they are', true],
      ['ledger: 2 of its volumes could no longer be cloned', true],
      ['ledger: 3 of its volumes would find no other pool if theirs were lost', true],
    ]));

  test('where the next claim lands, and how many more there are', () => {
    expect(told({ landsBefore: 'a', landsAfter: 'b', after: outlook(12) })).toEqual([
      ['ledger: the next claim of 100 GiB lands on b; it was a', false],
      ['ledger takes 12 more claims of 100 GiB, 1.17 TiB; it was 30, 2.93 TiB', false],
    ]);
    expect(told({ landsBefore: undefined, landsAfter: 'b' })).toEqual([
      ['ledger: the next claim of 100 GiB lands on b; it was nowhere', false],
    ]);
  });

  test('of a new class that takes nothing, that it takes nothing', () => {
    expect(told({ before: undefined, after: outlook(0) })).toEqual([['ledger would take 0 claims of 100 GiB', true]]);
    expect(told({ before: undefined })).toEqual([['ledger would take 30 claims of 100 GiB', false]]);
  });
});

test('how much more a class takes, with what stops it', () => {
  expect(outlookText(outlook(30))).toBe('30 more of 100 GiB, 2.93 TiB, until IOPS floor stops it');
  expect(outlookText(outlook(3, { stoppedBy: [{ pool: 'a', rule: 'subscription' }] }))).toContain(
    'until room to promise',
  );
  expect(outlookText(outlook(0))).toMatch(/^no more of (its usual|a guessed) /);
  expect(outlookText(outlook(30, { stoppedBy: [] }))).toBe('30 more of 100 GiB, 2.93 TiB');
  // beside a claim tried with another mode, it says which one it counts
  expect(outlookText(outlook(0, { mode: 'ReadWriteMany' }))).toMatch(/ 100 GiB with ReadWriteMany$/);
  expect([countText(1234), countText(100_000)]).toEqual(['1,234', 'over 99,999']);
});
