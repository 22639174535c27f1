import type { DeletionPlan } from '@moorage/contract/deletion';
import type { ClaimDetail as Detail, ClaimRow, ClaimSayings, DecisionRow } from '@moorage/contract/claims';
import { waitFor } from '@testing-library/react';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aClaimRow, aReason } from '../testing/rows';
import ClaimDetail from './ClaimDetail';

const GiB = 2 ** 30;
const decision = (trace: Partial<DecisionRow['trace']> = {}): DecisionRow => ({
  ...{ madeAt: '2026-11-26T10:00:00Z', tookMicros: 240, remedies: [] },
  trace: {
    winner: 'kelp-nvme',
    candidates: [
      {
        ...{ pool: 'kelp-nvme', order: 1 },
        checks: [{ rule: 'ceiling', passed: true, need: 80 * GiB, have: 900 * GiB, unit: 'bytes' }],
      },
    ],
    ...trace,
  },
});
const reason: typeof aReason = (part) => aReason({ operation: 'op-1', ...part });
const detail = (claim: ClaimRow, part: Partial<Detail> = {}): Detail => ({
  claim,
  usedBy: { pods: [], application: null, otherReplicas: 0 },
  decisions: [decision()],
  timeline: [],
  manifest: {},
  ...part,
});

/** What goes with a claim of a class that destroys. */
const deletion = ({ claim, usedBy }: Detail): DeletionPlan => {
  const used = claim.consumed ?? 0;
  const fate = claim.volumeName === null ? 'nothing' : 'destroyed';
  const { namespace, name } = claim;
  const pods = usedBy.pods.map((p) => p.pod);
  return {
    claims: [{ namespace, name, fate, used, graceDays: 0, copiesOn: [], pods }],
    ...{ destroyed: used, inGrace: 0, kept: 0, copiesDestroyed: 0, applications: [], confirm: used > 0 },
  };
};

const drawn = async (
  shown: Detail,
  answers: ConstructorParameters<typeof FakeServer>[0] = {},
  person: typeof maren = maren,
) => {
  const server = new FakeServer({
    getClaim: () => shown,
    listDrifts: () => ({ rows: [], counts: {}, next: null }),
    listCandidates: () => ({ candidates: [], best: null, named: null, more: false }),
    planDeletion: () => deletion(shown),
    getClaimSayings: () => ({ sayings: [], problem: null, driver: null }),
    listClasses: () => [],
    placementState: () => new Refused(503, 'Not in this test.'),
    ...answers,
  });
  const { namespace, name } = shown.claim;
  const page = show(<ClaimDetail />, { at: `/claims/${namespace}/${name}`, path: '/claims/:namespace/:name', person });
  await screen.findByRole('heading', { name: /tide-gauges\/level-log/ });
  await screen.findByText(/Asked/);
  return { server, ...page };
};

test('a bound claim says where it lives, why there, and what it is called in both worlds; it fills the Line', async () => {
  await drawn(detail(aClaimRow('level-log', { requested: 79.5 * GiB })));
  expect(screen.getByText('on kelp-nvme')).toBeTruthy();
  expect(screen.getByRole('heading', { name: 'Why kelp-nvme' })).toBeTruthy();
  expect(screen.getByText(/the pool gives whole GiB/)).toBeTruthy();
  expect(document.body.textContent).toMatch(/In the platform pvc-uid-level-log.*on kelp.*v-level-log/s);
  await waitFor(() => expect(window.location.search).toBe('?line=tide-gauges%2Flevel-log'));
});

test('while a claim grows its new size is reserved; that it got it is said once the growth has ended', async () => {
  const growth = { operation: 'op-1', state: 'asking', waitingFor: null, failed: null, error: null } as const;
  const growing = { ...growth, stopped: null, nextAttemptAt: null };
  const { unmount } = await drawn(detail(aClaimRow('level-log', { growth: growing })));
  expect(document.body.textContent).toContain('Asked 80 GiB, reserved 80 GiB');
  unmount();
  await drawn(detail(aClaimRow('level-log')));
  expect(document.body.textContent).toContain('Asked 80 GiB, got 80 GiB');
});

test('copies elsewhere, and what was decided before, are told', async () => {
  const copy = { provisioned: 80 * GiB, footprintFactor: 1, backendIops: 0, backendThroughput: 0 };
  await drawn(
    detail(aClaimRow('level-log'), {
      decisions: [
        decision({ second: { pool: 'basalt-swift', ...copy }, offsite: { pool: 'limpet-deep', ...copy } }),
        decision({ winner: undefined }),
        decision({ winner: undefined }),
      ],
    }),
  );
  expect(screen.getByText(/second copy is kept on basalt-swift, written at the same time/)).toBeTruthy();
  expect(screen.getByText(/off-site copy is kept on limpet-deep, written later/)).toBeTruthy();
  expect(screen.getByText(/Decided 2 times before/).textContent).toMatch(/nothing fitted\./);
});

describe('deleting', () => {
  test('a claim with data asks for its name, says what goes with it, and can be left', async () => {
    const { user, server } = await drawn(detail(aClaimRow('level-log')), { deleteClaim: () => undefined });
    await user.click(screen.getByRole('button', { name: 'Delete' }));
    expect(await screen.findByText(/destroyed for good, and 2 GiB of written data with it/)).toBeTruthy();
    const act = screen.getByRole<HTMLButtonElement>('button', { name: 'Delete claim' });
    expect(act.disabled).toBe(true);
    await user.type(screen.getByLabelText('Type level-log to delete'), 'level-lo');
    expect(act.disabled).toBe(true);
    await user.click(screen.getByRole('button', { name: 'Keep it' }));
    expect(screen.queryByRole('alert')).toBeNull();
    expect(server.of('deleteClaim')).toEqual([]);
  });

  test('once the name is typed it is sent with it, the Line is emptied, and the list is shown', async () => {
    const { user, server } = await drawn(detail(aClaimRow('level-log')), { deleteClaim: () => undefined });
    await user.click(screen.getByRole('button', { name: 'Delete' }));
    await user.type(await screen.findByLabelText('Type level-log to delete'), 'level-log');
    await user.click(screen.getByRole('button', { name: 'Delete claim' }));
    await waitFor(() => expect(server.of('deleteClaim')).toHaveLength(1));
    expect(server.of('deleteClaim')[0]).toMatchObject({
      params: { namespace: 'tide-gauges', name: 'level-log' },
      query: { confirm: 'level-log' },
    });
    await waitFor(() => expect(window.location.pathname).toBe('/claims'));
    expect(window.location.search).not.toContain('level-log');
  });

  test('a claim without a volume takes no data along and needs no name', async () => {
    const { user, server } = await drawn(
      detail(
        aClaimRow('level-log', {
          ...{ state: 'nothing-fits', pool: null, provisioned: null, consumed: null },
          ...{ volumeName: null, volumeId: null, reason: reason() },
        }),
        { decisions: [] },
      ),
      { deleteClaim: () => undefined },
    );
    await user.click(screen.getByRole('button', { name: 'Delete' }));
    expect(await screen.findByText(/no volume yet: no data goes with it/)).toBeTruthy();
    await user.click(screen.getByRole('button', { name: 'Delete claim' }));
    await waitFor(() => expect(server.of('deleteClaim')).toHaveLength(1));
  });

  test('a claim that a pod uses stays on its page, where one sees what it waits for', async () => {
    const usedBy = { pods: [{ pod: 'gauge-0', node: 'quay-03' }], application: 'gauge', otherReplicas: 2 };
    const { user, server } = await drawn(detail(aClaimRow('level-log', { consumed: 0 }), { usedBy }), {
      deleteClaim: () => undefined,
    });
    await user.click(screen.getByRole('button', { name: 'Delete' }));
    expect(await screen.findByText(/gauge-0 on quay-03 uses it/)).toBeTruthy();
    await user.click(screen.getByRole('button', { name: 'Delete claim' }));
    await waitFor(() => expect(server.of('deleteClaim')).toHaveLength(1));
    await waitFor(() => expect(screen.queryByRole('button', { name: 'Keep it' })).toBeNull());
    expect(window.location.pathname).toBe('/claims/tide-gauges/level-log');
  });

  test('what the server refuses leaves the question open with its reason', async () => {
    const { user } = await drawn(detail(aClaimRow('level-log', { consumed: 0 })), {
      deleteClaim: () => new Refused(409, 'Data was written meanwhile.'),
    });
    await user.click(screen.getByRole('button', { name: 'Delete' }));
    await user.click(await screen.findByRole('button', { name: 'Delete claim' }));
    expect(await screen.findByText(/Data was written meanwhile\./)).toBeTruthy();
    expect(screen.getByRole('button', { name: 'Keep it' })).toBeTruthy();
    expect(window.location.pathname).toBe('/claims/tide-gauges/level-log');
  });

  test('one that is being deleted and waits for its pods has a last way back: its volume is kept', async () => {
    const { user, server } = await drawn(detail(aClaimRow('level-log', { state: 'deleting' })), {
      keepVolume: () => undefined,
    });
    await user.click(await screen.findByRole('button', { name: 'Keep its volume' }));
    await waitFor(() => expect(server.of('keepVolume')).toHaveLength(1));
    expect(await screen.findByText(/it is found under Salvage then/)).toBeTruthy();
  });

  test('a viewer is not offered it, nor for a claim that is being deleted', async () => {
    await drawn(detail(aClaimRow('level-log')), {}, { ...maren, role: 'viewer' });
    expect(screen.queryByRole('button', { name: 'Delete' })).toBeNull();
  });
});

describe('a binding that does not go on by itself', () => {
  test('one that failed says when it is tried again, and is tried now when asked', async () => {
    const { user, server } = await drawn(
      detail(
        aClaimRow('level-log', {
          state: 'retrying',
          reason: reason({
            ...{ error: { code: 'backend-unreachable', detail: 'no connection to kelp.' }, attempts: 2 },
            nextAttemptAt: '2026-11-26T10:05:00Z',
          }),
        }),
      ),
      { steerOperation: () => ({}) },
    );
    expect(screen.getByText('kelp-nvme: no connection to kelp. Attempt 3 follows.')).toBeTruthy();
    expect(screen.getByText(/Next attempt at/)).toBeTruthy();
    await user.click(screen.getByRole('button', { name: 'Try now' }));
    await waitFor(() => expect(server.of('steerOperation')[0]!.params).toEqual({ id: 'op-1', act: 'retry' }));
    expect(await screen.findByText('Its binding is tried again now.')).toBeTruthy();
  });

  test('one that somebody paused goes on', async () => {
    const { user, server } = await drawn(
      detail(aClaimRow('level-log', { state: 'stopped', reason: reason({ stopped: 'paused' }) })),
      { steerOperation: () => ({}) },
    );
    expect(screen.getByText(/Somebody paused its binding/)).toBeTruthy();
    await user.click(screen.getByRole('button', { name: 'Go on' }));
    await waitFor(() => expect(server.of('steerOperation')[0]!.params).toEqual({ id: 'op-1', act: 'resume' }));
  });

  test('a namespace owner sees why and cannot steer it', async () => {
    await drawn(
      detail(aClaimRow('level-log', { state: 'stopped', reason: reason({ stopped: 'paused' }) })),
      {},
      { ...maren, role: 'namespace-owner', namespaces: ['tide-gauges'] },
    );
    expect(screen.queryByRole('button', { name: 'Go on' })).toBeNull();
    expect(screen.getByRole('button', { name: 'Delete' })).toBeTruthy();
  });
});

test('a class without a mooring, and a claim that nobody decided yet, are told apart', async () => {
  const bare = { state: 'nothing-fits' as const, pool: null, volumeName: null, volumeId: null, reason: reason() };
  await drawn(detail(aClaimRow('level-log', bare), { decisions: [decision({ winner: undefined, candidates: [] })] }));
  expect(screen.getByText('The class has no mooring: no pool was tried.')).toBeTruthy();
});

test('what was done for it is told step by step, the last first, with how long each took', async () => {
  const step = (seconds: number, words: string, took: number | null) => ({
    ...{
      at: `2026-11-26T10:00:${String(seconds).padStart(2, '0')}.000Z`,
      title: 'Binding a claim',
      words,
      seconds: took,
    },
  });
  const many = Array.from({ length: 9 }, (_, i) => step(10 + i, `step ${i}`, 1));
  const timeline = [
    step(1, 'chooses its pool', 0.012),
    step(2, 'volume is being made', 95),
    ...many,
    step(40, 'bound', null),
  ];
  const { user } = await drawn(detail(aClaimRow('level-log'), { timeline }));
  const rows = () =>
    screen
      .getAllByRole('row')
      .map((r) => r.textContent ?? '')
      .filter((t) => t.includes('Binding a claim'));
  expect([rows().length, rows()[0]]).toEqual([8, expect.stringMatching(/bound–$/)]);
  await user.click(screen.getByRole('button', { name: 'Show all 12 lines' }));
  expect(rows().slice(-2)).toEqual([
    expect.stringMatching(/volume is being made2 min$/),
    expect.stringMatching(/chooses its pool0.012 s$/),
  ]);
});

const saying = (part: Partial<ClaimSayings['sayings'][number]> = {}): ClaimSayings['sayings'][number] => ({
  ...{ of: 'claim', name: 'level-log', isWarning: false, reason: 'ExternalProvisioning', message: 'waits' },
  ...{ first: '2026-11-26T10:00:01Z', last: '2026-11-26T10:00:09Z', count: 1, by: 'persistentvolume-controller' },
  ...part,
});

test('what the platform said stands among the steps, by when it was said first', async () => {
  const step = (at: string, words: string) => ({ at, title: 'Binding', words, seconds: 1 });
  await drawn(
    detail(aClaimRow('level-log'), {
      timeline: [step('2026-11-26T10:00:00Z', 'deciding'), step('2026-11-26T10:00:02Z', 'making')],
    }),
    {
      getClaimSayings: () => ({
        ...{ problem: null, driver: null },
        sayings: [
          saying({ count: 12 }),
          saying({
            of: 'pod',
            name: 'log-0',
            isWarning: true,
            reason: 'FailedScheduling',
            first: '2026-11-26T10:00:03Z',
          }),
        ],
      }),
    },
  );
  const table = await screen.findByRole('table', { name: 'What was done for it' });
  await waitFor(() => expect(table.querySelectorAll('tbody tr').length).toBe(4));
  const texts = [...table.querySelectorAll('tbody tr')].map((r) =>
    [...r.querySelectorAll('td')].slice(1).map((c) => c.textContent),
  );
  expect(texts).toEqual([
    ['Platform, of log-0', 'FailedScheduling: waits', ''],
    ['Binding', 'making', '1.00 s'],
    ['Platform', 'ExternalProvisioning: waits', 'said 12 times'],
    ['Binding', 'deciding', '1.00 s'],
  ]);
});

test('a platform that tells nothing now is said, and the steps are there', async () => {
  await drawn(
    detail(aClaimRow('level-log'), {
      timeline: [{ at: '2026-11-26T10:00:00Z', title: 'Binding', words: 'deciding', seconds: 1 }],
    }),
    { getClaimSayings: () => ({ sayings: [], problem: 'it did not answer', driver: null }) },
  );
  await screen.findByText(/What the platform says of it is not known now: it did not answer/);
  screen.getByText('deciding');
});

test.each([
  ['tide.example', 0, /which is on no node of this site: nothing will make its volume/],
  ['tide.example', 1, /which is on 1 node of this site; that one has to make its volume/],
  ['kubernetes.io/no-provisioner', 0, /Its class makes no volumes: the claim gets one that was made beforehand/],
])('a claim of a class of others says whether its driver is here: %s on %d nodes', async (name, nodes, words) => {
  await drawn(detail(aClaimRow('level-log', { state: 'foreign', className: 'theirs' })), {
    getClaimSayings: () => ({ sayings: [], problem: null, driver: { name, nodes } }),
  });
  await screen.findByText(words);
});
