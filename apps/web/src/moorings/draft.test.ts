import type { DraftedChange, MooringRow } from '@moorage/contract/moorings';
import { plainClass } from '@moorage/core/classes/storage-class';
import { aState } from './testing';
import type { Strategy } from '@moorage/core/classes/storage-class';
import { added, strategyChange, mooringChange, orderChange, rebased, withDraft } from './draft';

const row = (pool: string, order: number, part: Partial<MooringRow> = {}): MooringRow => ({
  className: 'ledger',
  pool,
  enabled: true,
  order,
  weight: 1,
  version: 3,
  ...part,
});
const live = aState({
  classes: [{ ...plainClass, name: 'ledger' }],
  classVersions: { ledger: '1' },
  defaultClass: 'ledger',
  moorings: [row('swift', 1), row('broad', 2)],
});
const at = (pool: string) => ({ className: 'ledger', pool });
const turn = (changes: readonly DraftedChange[], pool: string, enabled: boolean) =>
  added(changes, live, mooringChange(live, withDraft(live, changes), at(pool), { enabled }));
const orderOf = (changes: readonly DraftedChange[]) =>
  [...withDraft(live, changes).moorings].sort((a, b) => a.order - b.order).map((m) => m.pool);

test('changes add up on the state, and one that leads back goes', () => {
  let changes = turn([], 'swift', false);
  expect(withDraft(live, changes).moorings[0]).toMatchObject({ pool: 'swift', enabled: false });
  expect(changes).toEqual([{ kind: 'mooring', ...at('swift'), enabled: false, weight: 1, seen: 3 }]);
  changes = turn(changes, 'swift', true);
  expect(changes).toEqual([]);
  expect(turn([], 'deep', false)).toEqual([]);
});

test('a new mooring comes last, and can be ordered in the same draft', () => {
  let changes = turn([], 'deep', true);
  expect(orderOf(changes)).toEqual(['swift', 'broad', 'deep']);
  changes = added(changes, live, orderChange(live, 'ledger', ['deep', 'swift', 'broad']));
  expect(orderOf(changes)).toEqual(['deep', 'swift', 'broad']);
  expect(changes.at(-1)).toMatchObject({ kind: 'order', seen: ['swift', 'broad'] });
  expect(added(changes, live, orderChange(live, 'ledger', ['swift', 'broad', 'deep']))).toHaveLength(1);
});

test('what was seen first stays what the draft is held against', () => {
  const first = turn([], 'swift', false);
  const later = { ...live, moorings: [row('swift', 1, { version: 8 }), row('broad', 2)] };
  const [change] = added(first, later, mooringChange(later, withDraft(later, first), at('swift'), { weight: 2 }));
  expect(change).toMatchObject({ enabled: false, weight: 2, seen: 3 });
});

test('mine is kept against what is there now', () => {
  const conflict = (now: unknown) => ({ index: 0, now, person: 'tom', at: null });
  expect(rebased(turn([], 'swift', false)[0]!, conflict({ version: 9 }))).toMatchObject({ seen: 9, enabled: false });
  expect(rebased(turn([], 'deep', true)[0]!, conflict(null))).toMatchObject({ seen: null });
  const order = orderChange(live, 'ledger', ['broad', 'swift']);
  expect(rebased(order, conflict(['swift', 'deep', 'broad']))).toEqual({
    ...order,
    pools: ['broad', 'swift', 'deep'],
    seen: ['swift', 'deep', 'broad'],
  });
});

test('another strategy is a change of the class; back again is none; of a drafted class it changes the draft', () => {
  const strategy = (changes: readonly DraftedChange[], className: string, to: Strategy) =>
    added(changes, live, strategyChange(live, changes, className, to)!);
  const changes = strategy([], 'ledger', 'pack');
  expect(changes).toMatchObject([
    {
      kind: 'class-change',
      seen: '1',
      storageClass: { strategy: 'pack' },
      was: { strategy: 'in-order', isDefault: true },
    },
  ]);
  expect(withDraft(live, changes).classes[0]!.strategy).toBe('pack');
  expect(strategy(changes, 'ledger', 'in-order')).toEqual([]);
  // what somebody else changed in the class since is kept beside it
  const grown = { ...live, classes: [{ ...live.classes[0]!, expansion: true }] };
  expect(withDraft(grown, changes).classes[0]).toMatchObject({ strategy: 'pack', expansion: true });
  const now = { version: '7', storageClass: { ...grown.classes[0]!, strategy: 'spread' } };
  expect(rebased(changes[0]!, { index: 0, now, person: 'tom', at: null })).toMatchObject({
    seen: '7',
    storageClass: { strategy: 'pack', expansion: true },
    was: { strategy: 'spread', expansion: true },
  });
  const fresh: DraftedChange[] = [{ kind: 'class', storageClass: { ...plainClass, name: 'fresh', isDefault: false } }];
  expect(strategy(fresh, 'fresh', 'spread')).toMatchObject([{ kind: 'class', storageClass: { strategy: 'spread' } }]);
  expect(strategyChange(live, [], 'ghost', 'pack')).toBeUndefined();
});

test('a class of the draft is tried like any other', () => {
  const changes: DraftedChange[] = [
    { kind: 'class', storageClass: { ...plainClass, name: 'fresh', isDefault: false } },
    { kind: 'default', className: 'fresh', seen: 'ledger' },
  ];
  const after = withDraft(live, changes);
  expect([after.classes.map((c) => c.name), after.defaultClass]).toEqual([['ledger', 'fresh'], 'fresh']);
});
