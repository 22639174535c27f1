import type { Proof as ProofData } from '@moorage/contract/proof';
import { driftKinds } from '@moorage/core/drift/drift';
import { FakeServer, screen, show } from '../testing/render';
import Proof from './Proof';

const GiB = 2 ** 30;
const proof = (part: Partial<ProofData> = {}): ProofData => ({
  ...{ claim: 'tide-gauges/level-log', at: '2026-11-26T10:00:00Z', links: [] },
  platform: {
    ...{ seenAt: '2026-11-26T09:59:58Z', claimUid: 'u-1', requested: 5 * GiB, phase: 'Bound', volumeName: 'pvc-u-1' },
    ...{ volumeUid: 'pv-1', volumePhase: 'Bound', capacity: '5Gi', reclaim: 'Delete', handle: 'basalt/v-1' },
  },
  backend: {
    ...{ id: 'basalt', seenAt: null, reachable: false, volumeId: 'v-1', name: 'pvc-u-1', pool: 'basalt-broad' },
    ...{ bytes: 5 * GiB, consumed: GiB, encrypted: true, iopsCeiling: 900, throughputCeiling: null, copies: [] },
  },
  checks: driftKinds.map((kind) => ({ kind, passed: true, declared: null, actual: null, since: null })),
  ...part,
});
const drawn = (of: ProofData) => {
  new FakeServer({ getProof: () => of });
  return show(<Proof />, { at: '/claims/tide-gauges/level-log/proof', path: '/claims/:namespace/:name/proof' });
};

test('both sides stand beside each other with exact figures, and when each was last seen', async () => {
  drawn(proof());
  expect(
    await screen.findByText(/Both sides say the same of tide-gauges\/level-log: 14 checks, all passed/),
  ).toBeTruthy();
  expect(screen.getByRole('table', { name: 'The platform says' }).textContent).toMatch(
    /asked for5 GiB \(5,368,709,120 bytes\)/,
  );
  const backend = screen.getByRole('table', { name: 'The backend basalt says' }).textContent;
  expect(backend).toMatch(/last answerednever, and not since/);
  expect(backend).toMatch(/IOPS ceiling900 IOPSthroughput ceilingnone/);
});

test('a check that did not pass is counted, and told with both figures', async () => {
  const checks = proof().checks.map((c) =>
    c.kind === 'larger' ? { ...c, passed: false, declared: 4, actual: 6, since: '2026-11-20T08:00:00Z' } : c,
  );
  drawn(proof({ checks }));
  expect(await screen.findByText(/1 of 14 checks of tide-gauges\/level-log did not pass/)).toBeTruthy();
  expect(screen.getByRole('row', { name: /larger/ }).textContent).toMatch(/differs46/);
});

test('a claim without a volume of ours says that there is nothing to compare', async () => {
  drawn(proof({ backend: null, checks: [] }));
  expect(await screen.findByText(/holds no volume of ours/)).toBeTruthy();
  expect(screen.queryByRole('table', { name: 'Checks' })).toBeNull();
});
