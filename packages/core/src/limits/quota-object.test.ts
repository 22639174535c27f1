import fc from 'fast-check';
import { hardOf, limitsIn, plainHard, sameHard, settle, type Hard, type SetLimit } from './quota-object';

const GiB = 2 ** 30;

test('limits are items of the quota object of the platform, and back', () => {
  const limits: SetLimit[] = [
    { className: '', of: 'bytes', amount: 600 * GiB },
    { className: '', of: 'claims', amount: 40 },
    { className: '', of: 'snapshots', amount: 100 },
    { className: 'swift-ledger', of: 'bytes', amount: 50 * GiB },
    { className: 'swift-ledger', of: 'claims', amount: 3 },
  ];
  const hard = hardOf(limits);
  expect(hard).toEqual({
    'count/volumesnapshots.snapshot.storage.k8s.io': '100',
    persistentvolumeclaims: '40',
    'requests.storage': '600Gi',
    'swift-ledger.storageclass.storage.k8s.io/persistentvolumeclaims': '3',
    'swift-ledger.storageclass.storage.k8s.io/requests.storage': '50Gi',
  });
  expect(limitsIn(hard)).toEqual(expect.arrayContaining(limits));
  expect(limitsIn(hard)).toHaveLength(limits.length);
});

test('IOPS are no item: the platform knows none', () => {
  expect(hardOf([{ className: '', of: 'iops', amount: 5000 }])).toEqual({});
});

test('items about other things say no limit, and what cannot be read says none', () => {
  expect(
    limitsIn({ pods: '10', 'requests.cpu': '4', 'requests.storage': 'plenty', persistentvolumeclaims: '7' }),
  ).toEqual([{ className: '', of: 'claims', amount: 7 }]);
});

test('two ways to write one quantity are the same', () => {
  expect(sameHard(plainHard({ 'requests.storage': '1024Mi' }), plainHard({ 'requests.storage': '1Gi' }))).toBe(true);
});

test('the order of the items is nothing that is said', () => {
  expect(sameHard({ a: '1', b: '2' }, { b: '2', a: '1' })).toBe(true);
  expect(sameHard({ a: '1' }, { a: '1', b: '2' })).toBe(false);
  expect(sameHard({ a: '1', b: '2' }, { a: '1', c: '2' })).toBe(false);
});

const of = (gib: number): Hard => hardOf([{ className: '', of: 'bytes', amount: gib * GiB }]);
test.each<[string, Hard, Hard | null, Hard | null, ReturnType<typeof settle>['kind']]>([
  ['a first limit is written', of(5), null, null, 'write'],
  ['an object of that name from before is overwritten', of(5), null, of(9), 'write'],
  ['nothing on either side', {}, null, null, 'agreed'],
  ['written before, and noted by nobody', of(5), null, of(5), 'agreed'],
  ['changed here', of(6), of(5), of(5), 'write'],
  ['changed there', of(5), of(5), of(7), 'take'],
  ['its line removed there', of(5), of(5), {}, 'take'],
  ['changed here and there', of(6), of(5), of(7), 'write'],
  ['deleted there', of(5), of(5), null, 'write'],
  ['taken away here', {}, of(5), of(5), 'write'],
  ['taken away here, and deleted there', {}, of(5), null, 'agreed'],
  ['other items beside it', of(5), of(5), { ...of(5), pods: '10' }, 'agreed'],
])('%s', (_name, ours, agreed, theirs, kind) => expect(settle(ours, agreed, theirs).kind).toBe(kind));

test('what was changed there as well is passed over, and that is told', () => {
  expect(settle(of(6), of(5), of(7))).toEqual({ kind: 'write', passedOver: true });
  expect(settle(of(6), of(5), of(5))).toEqual({ kind: 'write', passedOver: false });
});

test('whatever both sides do, they say the same once it has settled, and a change of one side alone is never lost', () => {
  const hards = fc.array(
    fc.record({
      className: fc.constantFrom('', 'swift-ledger', 'deep.archive'),
      of: fc.constantFrom('bytes' as const, 'claims' as const),
      amount: fc.integer({ min: 0, max: 2 ** 45 }),
    }),
    { maxLength: 4 },
  );
  fc.assert(
    fc.property(hards, hards, hards, fc.constantFrom('here', 'there', 'both', 'neither'), (a, b, c, who) => {
      const agreed = hardOf(a);
      const ours = who === 'here' || who === 'both' ? hardOf(b) : agreed;
      const theirs = who === 'there' || who === 'both' ? hardOf(c) : agreed;
      const so = settle(ours, agreed, theirs);
      const settled = so.kind === 'take' ? hardOf(so.limits) : ours;
      const changedHere = !sameHard(ours, agreed);
      expect(settled).toEqual(changedHere ? ours : theirs);
      expect(settle(settled, settled, settled).kind).toBe('agreed');
    }),
  );
});
