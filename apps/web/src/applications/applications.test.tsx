import type {
  ApplicationPlan,
  ApplicationRow,
  ApplicationSeen,
  DrainSeen,
  MoveSeen,
} from '@moorage/contract/applications';
import { FakeServer, Refused, screen, show } from '../testing/render';
import ApplicationDetail from './ApplicationDetail';
import Applications from './Applications';
import { waitsIn } from './waits';
import { claimsAt, joined, sheetOf } from './sheet';
import {
  behindSentence,
  localitySentence,
  localityWays,
  holderSentence,
  templateSentence,
  dataWords,
  againstWords,
  briefAll,
  goingSentence,
  measuredSentence,
  moveStep,
  planSentence,
  podWord,
  readyMark,
  spreadLines,
  stopsWords,
} from './words';
import { drainSentence, fateWords, lostSentence, nodeStanding } from './node-words';

const GiB = 2 ** 30;
const row = (name: string, part: Partial<ApplicationRow> = {}): ApplicationRow => ({
  ...{ uid: `uid-${name}`, namespace: 'tide-gauges', kind: 'StatefulSet', name, wanted: 2, pods: 2, ready: 2 },
  ...{ claims: 2, bytes: 8 * GiB, classes: ['ledger'], pools: ['kelp-nvme'], nodes: ['quay-1', 'quay-5'] },
  ...{ zones: ['middle', 'north'], worst: 'in-sync', points: [], createdAt: '2026-11-26T10:00:00Z' },
  ...part,
});
const replica = (i: number, node: string | null, part: Partial<ApplicationSeen['replicas'][number]> = {}) => ({
  ...{ pod: `store-${i}`, node, phase: 'Running', ready: true, deleting: false, why: null },
  ...{ since: '2026-11-26T10:00:00Z', claims: [`data-store-${i}`], waitsFor: [] },
  ...part,
});
const claim = (i: number, nodes: readonly string[]) => ({
  ...{ uid: `c${i}`, name: `data-store-${i}`, className: 'ledger', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
  ...{ requested: 4 * GiB, provisioned: 4 * GiB, phase: 'Bound', deleting: false, volumeName: `pvc-${i}`, zones: null },
  parts: [
    {
      ...{ pool: 'kelp-nvme', backend: 'kelp', needs: null },
      copies: nodes.map((node) => ({
        disk: `${node}-d`,
        node,
        state: 'in-sync' as const,
        role: 'data' as const,
        percent: 100,
      })),
    },
  ],
});
const at = (name: string, zone: string, rack: string) => ({ name, zone, rack, takesPods: true });
const seen = (part: Partial<ApplicationSeen> = {}): ApplicationSeen => ({
  application: row('store'),
  replicas: [replica(1, 'quay-5'), replica(0, 'quay-1')],
  more: 0,
  ordered: true,
  templates: [],
  locality: [],
  behind: [],
  claims: [claim(0, ['quay-1', 'quay-9']), claim(1, ['quay-5', 'quay-9']), claim(2, ['quay-1'])],
  nodes: [
    at('quay-1', 'north', 'north-1'),
    at('quay-2', 'north', 'north-1'),
    at('quay-5', 'middle', 'middle-1'),
    at('quay-9', 'south', 'south-1'),
  ],
  points: [
    {
      ...{ level: 'node', name: 'quay-9', of: 'replicas', leaves: 'none' },
      ...{ pods: ['store-0', 'store-1'], standing: [], claims: ['data-store-0', 'data-store-1'] },
    },
  ],
  moves: [],
  measured: [],
  ...part,
});

test('the sheet has a row for each replica and each claim without a pod, and columns by zone, rack, node and pool', () => {
  const sheet = sheetOf(seen());
  expect(sheet.rows.map((r) => r.key)).toEqual(['store-0', 'store-1', 'claim data-store-2']);
  expect(sheet.columns.map((c) => c.name)).toEqual(['quay-5', 'quay-1', 'quay-9', 'kelp-nvme']);
  expect(joined(sheet.columns, (c) => c.group).map((g) => [g.name, g.span])).toEqual([
    ['middle', 1],
    ['north', 1],
    ['south', 1],
    ['kelp', 1],
  ]);
  const cells = sheet.rows.map((r) =>
    sheet.columns.map((c) => {
      const { runs, copies, volumes } = sheet.cell(r, c);
      return `${runs ? 'pod ' : ''}${copies.length}${volumes.length}`;
    }),
  );
  expect(cells).toEqual([
    ['00', 'pod 10', '10', '01'],
    ['pod 10', '00', '10', '01'],
    ['00', '10', '00', '01'],
  ]);
  expect([...sheet.free]).toEqual([['north', 1]]);
});

test('what it says of an application is what is so', () => {
  expect([readyMark(row('a')), readyMark(row('a', { ready: 1 })), readyMark(row('a', { ready: 0 }))]).toEqual([
    ...['settled', 'degraded', 'person'],
  ]);
  expect(readyMark(row('a', { wanted: 0, ready: 0, pods: 0 }))).toBe('waiting');
  const brief = (level: 'node' | 'backend', of: 'replicas' | 'copies' = 'replicas') =>
    ({ level, name: 'x', of, leaves: 'none' }) as const;
  // what is unlike other applications comes first
  expect(briefAll([brief('backend'), brief('node'), brief('node', 'copies')])).toBe('node x stops all, 2 more');
  expect(stopsWords(seen().points[0]!, 2)).toBe('2 of 2 replicas: 2 lose their data');
  expect(podWord(replica(0, null, { ready: false, why: '0/3 nodes are available' }))).toBe('0/3 nodes are available');
  expect(podWord(replica(0, 'quay-1', { deleting: true }))).toBe('ending');
  expect(
    againstWords([
      { rule: 'attach-limit', nodes: 1 },
      { rule: 'cordoned', nodes: 2 },
    ]),
  ).toBe('1 node full of volumes, 2 nodes cordoned');
  expect(spreadLines({ kind: 'none', why: 'not-in-step' }, { level: 'rack' }, ['ledger'])).toEqual([
    'First its copies have to be in step again',
  ]);
  expect(spreadLines({ kind: 'none', why: 'no-other' }, { level: 'backend' }, ['ledger'])).toEqual([
    'Its class (ledger) is moored to no other backend that would take it',
  ]);
});

test('a plan says what fits, what is there from before, and what does not fit', () => {
  const plan = (part: Partial<ApplicationPlan>): ApplicationPlan => ({
    ...{
      fits: true,
      missing: [],
      claims: [],
      pods: [{ pod: 'a-0', node: 'n', zone: 'z', against: [] }],
      bytes: 0,
      monthly: 0,
    },
    ...part,
  });
  const fresh = (pool: string | null) => ({ name: 'd-a-0', bytes: GiB, isThere: false, pool, failed: null });
  expect(planSentence(plan({ claims: [fresh('p'), { ...fresh(null), isThere: true }] }))).toBe(
    'All of it fits: 1 pod, 1 new claim, 1 claim there from before.',
  );
  expect(planSentence(plan({ fits: false, claims: [fresh(null)] }))).toBe(
    'It does not fit: of 1 new claim 0 with a pool, of 1 pod 1 with a node.',
  );
  expect(planSentence(plan({ fits: false, missing: ['deep'] }))).toBe('There is no class deep of ours.');
  const going = { from: 3, to: 2, start: null, claims: [{ name: 'd-a-2', written: GiB / 2 }], confirm: false };
  expect(goingSentence({ ...going, whenScaled: 'Retain', destroyed: 0 })).toBe(
    '1 replica goes. 1 claim with 512 MiB written stays, and is taken up again when there are as many replicas.',
  );
  expect(goingSentence({ ...going, whenScaled: 'Delete', destroyed: GiB / 2 })).toMatch(
    /and 512 MiB of data is destroyed for good/,
  );
});

test('a way back says where it stands, and how long such ways take', () => {
  const move = (part: Partial<MoveSeen>): MoveSeen => ({
    ...{ id: 1, pod: 'store-0', from: 'quay-1', to: null, endedAt: '2026-11-26T10:00:00Z', goneAt: null },
    ...{ detachedAt: null, placedAt: null, attachedAt: null, readyAt: null, data: [] },
    ...part,
  });
  const [goneAt, placedAt, later] = ['2026-11-26T10:00:01Z', '2026-11-26T10:00:02Z', '2026-11-26T10:00:09Z'];
  expect(moveStep(move({}))).toBe('ending on quay-1');
  expect(moveStep(move({ goneAt }))).toBe('waits for a node');
  expect(moveStep(move({ goneAt, placedAt, to: 'quay-5' }))).toBe('its volumes are still on quay-1');
  expect(moveStep(move({ goneAt, placedAt, to: 'quay-5', detachedAt: later }))).toBe('its volumes go to quay-5');
  expect(moveStep(move({ goneAt, placedAt, to: 'quay-1' }))).toBe('starting on quay-1');
  const measured = { className: 'ledger', backend: 'kelp', count: 12, half: 3.14, most: 12.4, longest: 30 };
  expect(measuredSentence(measured)).toBe(
    'ledger on kelp: of the last 12 times, half were ready again within 3.1 s, nine of ten within 12 s; the longest took 30 s.',
  );
  expect(measuredSentence({ ...measured, count: 1 })).toMatch(/measured 1 time so far/);
});

test('copies that are behind say what is left, for how long, and what goes before them', () => {
  const behind = (part: Partial<ApplicationSeen['behind'][number]>) => ({
    ...{
      claim: 'data-store-0',
      pool: 'kelp-nvme',
      disk: 'd',
      node: 'quay-5',
      state: 'resyncing' as const,
      percent: 40,
    },
    ...{ since: '2026-11-26T10:00:00Z', left: 6 * GiB, rate: GiB, ready: 6 },
    ...part,
  });
  expect(behindSentence([behind({}), behind({ ready: 600 })])).toBe(
    '2 copies brought up to date, 12 GiB left, the last in 10 min. What applications read and write goes first: it slows while they are busy.',
  );
  expect(behindSentence([behind({ rate: null, ready: null })])).toMatch(/^1 copy brought up to date, 6 GiB left\. /);
  expect(behindSentence([behind({ state: 'lost', rate: null, ready: null })])).toBe(
    '1 copy out of reach: what is written meanwhile is not on it.',
  );
  const away = behind({ state: 'lost', rate: null, ready: null });
  new FakeServer({
    getApplication: () => seen({ behind: [behind({}), away] }),
  });
  show(<ApplicationDetail />, { at: '/apps/tide-gauges/store', path: '/apps/:namespace/:name' });
  return screen.findByText('when its node or disk is back');
});

test('a pod that waits for its volume is told who has it, and the safe way out', () => {
  const held = { claim: 'data-store-1', node: 'quay-5', ready: true, pod: null, ending: false };
  expect(holderSentence('store-1', held)).toBe(
    'store-1 waits for data-store-1: it is attached to quay-5, where nothing uses it any more. The platform takes it from there by itself.',
  );
  expect(holderSentence('store-1', { ...held, ready: false })).toMatch(
    /switch it off, be sure of it, and declare it off/,
  );
  expect(holderSentence('store-1', { ...held, pod: 'backup-1' })).toMatch(/end that one first/);
  expect(holderSentence('store-1', { ...held, pod: 'store-1', ending: true })).toMatch(
    /until the pod store-1 there has/,
  );
});

test('replicas that read over the network are told what would change that, and what it costs', () => {
  const copyTo = { disk: 'd', fromNode: 'quay-3', fromDisk: 'e', bytes: 3 * GiB };
  const away = {
    ...{ pod: 'store-1', node: 'quay-5', podTo: { node: 'quay-3', local: 1 } },
    claims: [{ claim: 'data-store-1', isLocal: false, copyTo }],
  };
  const own = {
    ...away,
    pod: 'store-0',
    podTo: null,
    claims: [{ claim: 'data-store-0', isLocal: true, copyTo: null }],
  };
  expect(localitySentence([own, away])).toBe(
    '1 of 2 replicas whose class wants it reads from their own nodes; the others read over the network.',
  );
  expect(localityWays(away, 3.74)).toEqual([
    { text: 'a copy of data-store-1 goes from quay-3 to quay-5', cost: '3 GiB copied' },
    { text: 'store-1 starts again on quay-3', cost: 'out for about 3.7 s' },
  ]);
  expect(localityWays({ ...away, podTo: { node: 'quay-3', local: 1 } }, undefined)[1]!.cost).toBe(
    'out while it starts',
  );
  const stuck = { ...away, podTo: null, claims: [{ claim: 'data-store-1', isLocal: false, copyTo: null }] };
  expect(localityWays(stuck, 1)[0]!.text).toMatch(/^nothing: no disk of quay-5 has room/);
});

test('a cell is about the claims that lie there, and else about all of its replica', () => {
  const [data, log] = [claim(1, ['quay-1', 'quay-5']), { ...claim(2, ['quay-3']), name: 'log-store-1' }];
  const sheet = sheetOf(
    seen({ replicas: [{ ...replica(1, 'quay-9'), claims: ['data-store-1', 'log-store-1'] }], claims: [data, log] }),
  );
  const at = (name: string) =>
    claimsAt(
      sheet,
      sheet.rows[0]!,
      sheet.columns.find((c) => c.name === name)!,
    ).map((c) => c.name);
  expect(at('quay-3')).toEqual(['log-store-1']);
  expect(at('quay-5')).toEqual(['data-store-1']);
  expect(at('quay-9')).toEqual(['data-store-1', 'log-store-1']);
  expect(at('kelp-nvme')).toEqual(['data-store-1', 'log-store-1']);
});

test('what stands between an application and all of its replicas is told one by one', () => {
  const texts = (part: Partial<ApplicationSeen>) => waitsIn(seen(part)).map((w) => w.text);
  const wanted = (n: number) => row('store', { wanted: n });
  const starting = replica(1, 'quay-5', { ready: false, phase: 'Pending' });
  expect(texts({ application: wanted(2), replicas: [replica(0, 'quay-1'), replica(1, 'quay-5')] })).toEqual([]);
  expect(
    texts({
      ...{ application: wanted(2), replicas: [replica(0, 'quay-1'), starting] },
      claims: [claim(0, ['quay-1']), { ...claim(1, []), phase: 'Pending' }],
    }),
  ).toEqual(['store-1 waits for its claim data-store-1, which is pending']);
  const both = [claim(0, ['quay-1']), claim(1, ['quay-5'])];
  expect(texts({ application: wanted(4), replicas: [replica(0, 'quay-1'), starting], claims: both })).toEqual([
    'store-1 starts on quay-5',
    '2 more replicas wait until store-1 is ready: they start one after the other',
  ]);
  const unplaced = replica(1, null, { ready: false, phase: 'Pending', why: '0/3 nodes are available' });
  expect(texts({ application: wanted(3), replicas: [unplaced], claims: both, ordered: false })).toEqual([
    'store-1 waits for a node: 0/3 nodes are available',
    '2 more replicas wait to be made by the platform',
  ]);
});

test('what the platform does about the size in a template is said before its claims grow', () => {
  const template = { name: 'data', className: 'ledger', bytes: 4 * GiB, claims: [] };
  const of = (...sizes: number[]) =>
    templateSentence(
      template,
      sizes.map((requested) => ({ requested })),
    );
  expect(of(4 * GiB, 8 * GiB)).toMatch(
    /^Replicas of the template data ask for 4 GiB of ledger\. Its 2 claims can grow, .* 1 claim asks for more than that by now\. The platform does not let/,
  );
  expect(of()).toMatch(/No claim was made so far\./);
});

test('what a claim holds after a way is told beside what it held before', () => {
  const held = (comparison: MoveSeen['data'][number]['comparison'], after: number | null = null) => {
    const fingerprint = 'feedfeedfeedfeed';
    return dataWords({
      ...{ claim: 'data-store-0', before: { writes: 43, fingerprint }, comparison },
      after: after === null ? null : { writes: after, fingerprint },
    });
  };
  expect(held(null)).toBe('43 writes before');
  expect(held('same', 43)).toBe('the same, 43 writes');
  expect(held('continued', 45)).toBe('all 43 writes, then 2 more');
  expect(held('short', 40)).toBe('3 writes of 43 missing');
  expect(held('other', 43)).toBe('other data than before');
  expect(held('unknown')).toBe('43 writes before, after not told');
});

const page = (applications: ApplicationRow[]) => ({
  ...{ applications, total: applications.length, next: null },
  counts: { all: applications.length, replicas: 0, copies: 0, points: 1 },
});

test('a lost node says what is stuck on it, and never that it goes by itself', () => {
  const node = {
    ...{ name: 'quay-5', zone: 'north', rack: 'north-1', ready: false, since: '2026-11-26T10:00:00Z', cordoned: false },
    ...{ off: false, ending: 2, draining: null, staying: 0, never: 0, endsFirst: null, endsLast: null },
  };
  expect(lostSentence(node)).toMatch(
    /^2 pods were told to end there and cannot without it: .* lets go of nothing by itself\.$/,
  );
  const stays = { ...node, ending: 0, staying: 3, never: 1, endsFirst: '2026-11-26T10:05:00Z' };
  expect(lostSentence({ ...stays, endsLast: '2026-11-26T10:10:00Z' }, Date.parse('2026-11-26T10:04:00Z'))).toBe(
    'The platform tells 2 pods there to end in 60 s to 6 min, when the grace that they give it is over; until then nothing is started in their place. 1 pod says it stays for good.',
  );
  expect(lostSentence({ ...node, ending: 0 })).toBe('No pod is on it that the platform would start elsewhere.');
  expect(lostSentence({ ...node, off: true, ready: true })).toMatch(/is heard of again/);
  expect(nodeStanding(node)).toEqual({ kind: 'lost', word: 'not heard of' });
  expect(nodeStanding({ ...node, ready: true, cordoned: true })).toEqual({ kind: 'waiting', word: 'takes no pods' });
});

test('a drain says how many leave, or what keeps it from being done', () => {
  const moves = { namespace: 'a', pod: 'b-0', ownerKind: 'StatefulSet', owner: 'b', claims: ['d-b-0'] };
  const plan = (part: Partial<DrainSeen> = {}): DrainSeen => ({
    ...{ node: 'quay-5', isPossible: true, lastCopies: [], measured: null },
    pods: [{ ...moves, fate: { kind: 'moves', to: 'quay-6', waits: true } }],
    ...part,
  });
  expect(drainSentence(plan())).toBe('1 pod leaves, with 1 volume to detach and attach elsewhere.');
  expect(drainSentence(plan({ measured: { count: 8, half: 2, most: 5 } }))).toMatch(
    /within 2\.0 s in half of 8 times so far/,
  );
  expect(drainSentence(plan({ lastCopies: ['a/b'] }))).toBe(
    'It cannot be drained: the last copy in step of a/b lies on quay-5.',
  );
  expect(fateWords(plan().pods[0]!.fate)).toBe('starts again on quay-6, once its budget allows it');
  expect(fateWords({ kind: 'cannot', why: 'no-node', against: [] })).toBe('cannot leave: there is no node');
});

test('the list asks for what the address says, and an empty one says what to do', async () => {
  const server = new FakeServer({ listNamespaces: () => [], listApplications: () => page([]) });
  show(<Applications />, { at: '/apps?need=points&q=store' });
  await screen.findByText('No application matches');
  expect(server.of('listApplications')[0]!.query).toMatchObject({ need: 'points', q: 'store', limit: '100' });
  await screen.findByRole('button', { name: 'stand together 1' });
});

const one = { at: '/apps/tide-gauges/store', path: '/apps/:namespace/:name' };

test('a pod is deleted by its name, and what is not reckoned is not said to be', async () => {
  const server = new FakeServer({
    getApplication: () => seen(),
    placementState: () => new Refused(503, 'PostgreSQL cannot be reached.'),
    deletePod: () => undefined,
  });
  const { user } = show(<ApplicationDetail />, one);
  await screen.findByText('2 of 2 replicas: 2 lose their data');
  await user.click(await screen.findByRole('button', { name: 'Delete the pod store-1' }));
  await screen.findByText(/The pod store-1 is told to end/);
  expect(server.of('deletePod')[0]!.params).toEqual({ namespace: 'tide-gauges', name: 'store', pod: 'store-1' });
  expect(screen.queryByText(/goes from/)).toBeNull();
});

test('one that is not there is told so, with a way on', async () => {
  new FakeServer({ getApplication: () => new Refused(404, 'There is no application tide-gauges/store.') });
  show(<ApplicationDetail />, one);
  await screen.findByText('There is no application tide-gauges/store.');
  expect(screen.getByRole('button', { name: 'All applications' })).toBeTruthy();
});
