import type { Browser } from './browser';
import { moorClass } from '@moorage/server/testing/world';
import { eddySeed } from '@moorage/standins/backend-seeds';
import { beginJourney } from './journey';

let browser: Browser;
let end: () => Promise<void>;

beforeAll(async () => {
  const journey = await beginJourney({ more: [eddySeed], estate: ['eddy'] });
  ({ browser, end } = journey);
  const { caller } = journey;
  await moorClass(caller, 'ledger', ['kelp-nvme', 'basalt-swift'], {
    iopsFloor: { kind: 'per-gib', perGiB: 12 },
    isDefault: true,
  });
  await moorClass(caller, 'charts-shared', ['basalt-broad'], { copies: 2 });
  const claim = (name: string, className: string, modes = ['ReadWriteOnce']) =>
    caller.ok('POST', '/api/claims', {
      namespace: 'tide-gauges',
      name,
      className,
      size: '80Gi',
      modes,
      volumeMode: 'Filesystem',
    });
  await claim('level-log', 'ledger');
  await claim('tile-share', 'charts-shared', ['ReadWriteMany']);
  await caller.ok('PUT', '/api/namespaces/tide-gauges/enforcement', { byPlatform: false });
  await caller.ok('PUT', '/api/namespaces/tide-gauges/limit', { bytes: 90 * 2 ** 30 });
  await caller.inState('level-log', 'bound');
  await caller.inState('tile-share', 'nothing-fits');
  await caller.ok('POST', '/api/claims/tide-gauges/level-log/growth', { size: '200Gi' });
  await moorClass(caller, 'kept', ['basalt-broad'], { copies: 1, reclaim: 'Retain' });
  await caller.ok('POST', '/api/claims', {
    ...{ namespace: 'ferry-desk', name: 'lost-log', className: 'kept', size: '2Gi' },
    ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
  });
  await caller.inState('lost-log', 'bound', 'ferry-desk');
  await caller.ok('DELETE', '/api/claims/ferry-desk/lost-log');
  await caller.ok('POST', '/api/bucket-classes', {
    name: 'objects',
    pools: ['kelp-deep'],
    deletion: 'Retain',
    limit: '2Gi',
  });
  await caller.ok('POST', '/api/buckets', { namespace: 'tide-gauges', name: 'level-objects', className: 'objects' });
  await caller.ok('POST', '/api/buckets/tide-gauges/level-objects/keys', { name: 'gauge', secretName: 'gauge-secret' });
  await browser.signIn();
});
afterAll(() => end?.());

/** Each place, and something that tells that it is drawn. */
const places: readonly (readonly [string, string, string])[] = [
  ['Watch', '/watch', '[data-finding]'],
  ['Backends', '/backends', '.recharts-bar'],
  ['a backend', '/backends/kelp', 'canvas'],
  ['its volumes', '/backends/kelp?see=volumes&as=table', '[aria-label=Volumes]'],
  ['its load', '/backends/kelp?see=load', '.recharts-line'],
  ['its settings', '/backends/kelp?see=settings', 'form'],
  ['Register a backend', '/backends/new', 'form'],
  ['Commission', '/backends/eddy/commission', '[data-usable]'],
  ['Node readiness', '/backends/readiness', '[role=gridcell]'],
  ['Moorings', '/moorings', '[role=gridcell]'],
  ['Classes', '/classes', 'tbody th'],
  ['a class', '/classes/ledger', '.cm-content'],
  ['New class', '/classes/new', '.cm-content'],
  ['a successor', '/classes/ledger/successor', '.cm-content'],
  ['Manifests', '/classes/manifests', '.cm-content'],
  ['the two shores', '/moorings?view=shores', 'svg text'],
  ['Fit a batch', '/moorings/batch', '[aria-label="Application 1"]'],
  ['Claims with the Line', '/claims?line=tide-gauges/level-log', '[role=row] strong'],
  ['New claim', '/claims?new=claim', 'form'],
  ['a bound claim', '/claims/tide-gauges/level-log', '[aria-label="Trace of the decision"]'],
  ['a claim that fits nowhere', '/claims/tide-gauges/tile-share', '[aria-label="What would bind it"]'],
  ['a claim that cannot grow', '/claims/tide-gauges/level-log', '[aria-label="What would let it grow"]'],
  ['Salvage', '/claims/salvage', '[role=row][data-id]'],
  ['Declared and actual', '/claims/drift', '[role=grid]'],
  ['Buckets', '/claims/buckets', '[role=row][data-id]'],
  ['a bucket', '/claims/buckets?bucket=tide-gauges/level-objects', '[aria-label=Keys]'],
  ['Bucket classes', '/claims/buckets?see=classes', '[aria-label="Bucket classes"]'],
  ['New bucket', '/claims/buckets?new=bucket', '[aria-label="New bucket"] form'],
  ['both sides of a claim', '/claims/tide-gauges/level-log/proof', '[aria-label=Checks]'],
  ['Namespaces', '/namespaces', '[data-cell="tide-gauges/ledger"]'],
  ['limits of a namespace', '/namespaces?namespace=tide-gauges', '[data-limit="bytes/"]'],
  ['Statement', '/namespaces/statement', '[aria-label="Prices"], form'],
  ['Runway', '/namespaces/runway', 'main h1'],
  ['What if', '/namespaces/what-if', '[aria-label="Pools, now and then"]'],
  ['Waste', '/namespaces/waste', '[aria-label=Kind]'],
  ['Read tokens', '/tokens', 'form'],
];

test.each(places)('%s has no serious fault, by day and by night', async (_name, path, drawn) => {
  await browser.turn('day');
  await browser.step(path);
  await browser.find(drawn);
  const { faults, passed } = await browser.faults();
  expect(faults).toEqual([]);
  expect(passed).toBeGreaterThan(5);
  await browser.turn('night');
  expect(await browser.faults('look')).toEqual({ faults: [], passed: 1 });
});
