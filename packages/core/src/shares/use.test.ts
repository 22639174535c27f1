import { shareUse, type SharePod } from './use';

const pod = (name: string, node: string | null, part: Partial<SharePod> = {}): SharePod => ({
  ...{ pod: name, node, owner: 'tile-press', phase: 'Running', readOnly: false },
  ...part,
});
const addresses = new Map([
  ['quay-01', ['10.40.8.1']],
  ['quay-12', ['10.40.10.33', 'fd00::12']],
  ['quay-20', []],
]);
const blocks = [{ address: '10.40.8.0', prefix: 26 }];

test('who writes and who reads is counted by pods that run where they may mount; ended ones are left out', () => {
  const pods = [
    pod('a', 'quay-01'),
    pod('b', 'quay-01', { readOnly: true }),
    pod('c', null, { phase: 'Pending' }),
    pod('d', 'quay-01', { phase: 'Succeeded' }),
    pod('e', 'quay-12'),
  ];
  const use = shareUse(pods, addresses, blocks, false);
  expect(use).toMatchObject({ writing: 1, reading: 1, shutOut: [{ node: 'quay-12' }] });
  expect(use.users.map((u) => [u.pod, u.letIn])).toEqual([
    ['a', 'yes'],
    ['b', 'yes'],
    ['c', 'unknown'],
    ['e', 'no'],
  ]);
});

test('a node of which no address is known is not called shut out, nor is any where the backend says nothing', () => {
  expect(shareUse([pod('a', 'quay-20'), pod('b', 'quay-99')], addresses, blocks, false)).toMatchObject({
    ...{ writing: 2, shutOut: [] },
    users: [{ letIn: 'unknown' }, { letIn: 'unknown' }],
  });
  expect(shareUse([pod('a', 'quay-12')], addresses, undefined, false).shutOut).toEqual([]);
  // an empty list is one that lets nobody in
  expect(shareUse([pod('a', 'quay-12')], addresses, [], false).shutOut).toHaveLength(1);
});

test('one address in a range is enough, and a claim for reading alone is only read', () => {
  const use = shareUse([pod('a', 'quay-12')], addresses, [{ address: 'fd00::', prefix: 64 }], true);
  expect(use).toMatchObject({ writing: 0, reading: 1, shutOut: [], users: [{ readOnly: true, letIn: 'yes' }] });
});
