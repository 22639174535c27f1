import type { DecisionRow } from '@moorage/contract/claims';
import type { Change } from '@moorage/core/placement/change';
import { waitFor } from '@testing-library/react';
import { aPoolState, aState } from '../moorings/testing';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aClaimRow } from '../testing/rows';
import { likeness, Remedies } from './Remedies';

const GiB = 2 ** 30;
const claim = aClaimRow('tile-share', { state: 'nothing-fits', pool: null, requested: 300 * GiB });
const decision = (...remedies: Change[][]): DecisionRow => ({
  ...{ madeAt: '2026-11-26T10:00:00Z', tookMicros: 100, trace: { candidates: [] } },
  remedies: remedies.map((changes) => ({ changes: [...changes], pool: 'kelp-nvme', cost: 1 })),
});
const state = aState({
  pools: [aPoolState('kelp-nvme', { allotment: 500 * GiB, overcommit: 1 })],
  limits: [{ namespace: 'tide-gauges', className: null, bytes: 900 * GiB }],
});

const drawn = (changes: Change[][], answers: ConstructorParameters<typeof FakeServer>[0] = {}, person = maren) => {
  const server = new FakeServer({ placementState: () => state, ...answers });
  return { server, ...show(<Remedies claim={claim} decision={decision(...changes)} />, { person }) };
};
const undo = { name: 'Undo' };

test('a mooring is made from where the claim waits, and taken away again', async () => {
  const { user, server } = drawn([[{ kind: 'moor', pool: 'kelp-nvme' }]], { setMooring: () => ({}) });
  expect(screen.getByText('Moor ledger to kelp-nvme')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Moor it' }));
  await screen.findByText('ledger is moored to kelp-nvme. The claim is decided again.');
  await user.click(screen.getByRole('button', undo));
  await waitFor(() => expect(server.of('setMooring')).toHaveLength(2));
  expect(server.of('setMooring').map((c) => [c.params, c.body])).toEqual([
    [{ className: 'ledger', pool: 'kelp-nvme' }, { enabled: true }],
    [{ className: 'ledger', pool: 'kelp-nvme' }, { enabled: false }],
  ]);
});

test.each([
  ['namespace', 'setNamespaceLimit', { namespace: 'tide-gauges' }, 900 * GiB],
  ['class', 'setClassLimit', { namespace: 'tide-gauges', className: 'ledger' }, null],
] as const)(
  'the limit of the %s is raised to what is needed, and put back as it was',
  async (scope, call, params, was) => {
    const change: Change = { kind: 'raise-quota', scope, limit: 1200 * GiB, by: 300 * GiB };
    const { user, server } = drawn([[change]], { [call]: () => undefined });
    await user.click(screen.getByRole('button', { name: 'Raise the limit' }));
    await screen.findByText('The limit is raised. The claim is decided again.');
    await user.click(screen.getByRole('button', undo));
    await waitFor(() => expect(server.of(call)).toHaveLength(2));
    expect(server.of(call).map((c) => c.body)).toEqual([{ bytes: 1200 * GiB }, { bytes: was }]);
    expect(server.of(call)[0]!.params).toEqual(params);
  },
);

test.each<[Change, object, object]>([
  [
    { kind: 'raise-allotment', pool: 'kelp-nvme', limit: 800 * GiB, by: 300 * GiB },
    { allotment: 800 * GiB },
    { allotment: 500 * GiB },
  ],
  [{ kind: 'raise-overcommit', pool: 'kelp-nvme', overcommit: 1.5 }, { overcommit: 1.5 }, { overcommit: 1 }],
])('a pool is changed in one member alone, and put back to what it had', async (change, to, back) => {
  const { user, server } = drawn([[change]], { changePool: () => ({}) });
  await user.click(screen.getByRole('button', { name: 'Raise it' }));
  await screen.findByText('kelp-nvme is changed. The claim is decided again.');
  await user.click(screen.getByRole('button', undo));
  await waitFor(() => expect(server.of('changePool')).toHaveLength(2));
  expect(server.of('changePool').map((c) => c.body)).toEqual([to, back]);
});

test('a class is granted to the namespace of the claim, and the grant taken back', async () => {
  const { user, server } = drawn([[{ kind: 'grant', namespace: 'tide-gauges' }]], { changeGrants: () => ({}) });
  await user.click(screen.getByRole('button', { name: 'Grant it' }));
  await screen.findByText('ledger is granted to tide-gauges.');
  await user.click(screen.getByRole('button', undo));
  await waitFor(() => expect(server.of('changeGrants')).toHaveLength(2));
  expect(server.of('changeGrants').map((c) => c.body)).toEqual([
    { set: [{ namespace: 'tide-gauges', granted: true }] },
    { set: [{ namespace: 'tide-gauges', granted: false }] },
  ]);
});

test('two changes that are needed together stand in one line, each with its own step', () => {
  drawn([
    [
      { kind: 'raise-quota', scope: 'namespace', limit: 1200 * GiB, by: 300 * GiB },
      { kind: 'moor', pool: 'kelp-nvme' },
    ],
    [{ kind: 'ask-less', size: 100 * GiB, by: 200 * GiB }],
  ]);
  expect(screen.getAllByRole('listitem')).toHaveLength(2);
  expect(screen.getByText(/Raise the limit of tide-gauges to 1\.17 TiB.*, and moor ledger to kelp-nvme/)).toBeTruthy();
  expect(screen.getAllByRole('button').map((b) => b.textContent)).toEqual([
    'Raise the limit',
    'Moor it',
    'Make such a claim',
  ]);
});

test('another claim is begun with what this one asks and the one thing that is changed', async () => {
  const { user } = drawn([[{ kind: 'ask-mode', mode: 'ReadWriteMany' }]]);
  await user.click(screen.getByRole('button', { name: 'Make such a claim' }));
  const { searchParams } = new URL(window.location.href);
  expect(searchParams.get('new')).toBe('claim');
  expect(JSON.parse(searchParams.get('as')!)).toEqual({
    ...{ namespace: 'tide-gauges', className: 'ledger', size: '300Gi' },
    ...{ modes: ['ReadWriteMany'], volumeMode: 'Filesystem' },
  });
  expect(JSON.parse(likeness(claim, { kind: 'ask-less', size: 5 * GiB, by: GiB }))).toMatchObject({ size: '5Gi' });
});

test('what is refused is told, and there is nothing to undo', async () => {
  const { user } = drawn([[{ kind: 'moor', pool: 'kelp-nvme' }]], {
    setMooring: () => new Refused(403, 'Mooring is not for you.'),
  });
  await user.click(screen.getByRole('button', { name: 'Moor it' }));
  expect(await screen.findByText(/Mooring is not for you\./)).toBeTruthy();
  expect(screen.queryByRole('button', undo)).toBeNull();
});

test('a namespace owner reads what would help and has no buttons; nothing that helps is said in words', () => {
  const { unmount } = drawn([[{ kind: 'moor', pool: 'kelp-nvme' }]], {}, { ...maren, role: 'namespace-owner' });
  expect(screen.getByText('Moor ledger to kelp-nvme')).toBeTruthy();
  expect(screen.queryByRole('button')).toBeNull();
  unmount();
  drawn([]);
  expect(screen.getByText(/No one or two changes would be enough/)).toBeTruthy();
});
