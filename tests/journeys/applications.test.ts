import type { ApplicationSeen } from '@moorage/contract/applications';
import { eventually, moorClass, type Caller, type World } from '@moorage/server/testing/world';
import { lively } from '@moorage/standins/platform/pace';
import type { Browser } from './browser';
import { beginJourney } from './journey';

/** Applications: started, followed when pods end, scaled, and taken apart where they stand together. */
let world: World;
let caller: Caller;
let browser: Browser;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ world, caller, browser, end } = await beginJourney({
    writes: true,
    pace: {
      ...lively,
      attachMs: 150,
      detachMs: 150,
      startMs: 200,
      stopMs: 200,
      graceMs: 300,
      evictMs: 300,
      writeMs: 0,
    },
  }));
  await moorClass(caller, 'ledger', ['kelp-nvme'], { copies: 3 });
  await moorClass(caller, 'general', ['basalt-broad'], { copies: 1, isDefault: true });
  await browser.signIn('maren');
});
afterAll(() => end?.());

const pods = (namespace: string, set: string) =>
  world.platform.store.list('pods', namespace).filter((p) => p.metadata.ownerReferences?.[0]?.name === set);
const claims = (set: string) =>
  world.platform.store
    .list('persistentvolumeclaims', 'tide-gauges')
    .map((c) => c.metadata.name)
    .filter((n) => n.includes(set))
    .sort();

/** What is acknowledged of the data of a replica once it wrote so often. */
const write = async (pod: string, count: number) =>
  (await world.platform.processes.write('tide-gauges', pod, count))[`data-${pod}`]!;

test('an application is started as it was planned, and is seen whole', async () => {
  await browser.go('/apps');
  await browser.see('No pod mounts a claim yet');
  await browser.click('Start one');
  await browser.see('Fill in the form; each change is reckoned at once.');
  await browser.type('Namespace', 'tide-gauges');
  await browser.type('Name', 'gauge-store');
  await browser.type('Image', 'orrin-sound.example/gauge-store:4');
  await browser.choose('Class', 'ledger');
  await browser.see('All of it fits: 3 pods, 3 new claims.');
  await browser.see('data-gauge-store-0 → kelp-nvme');
  await browser.see('topologyKey: topology.kubernetes.io/zone');
  await browser.click('Start it');
  await browser.see('3 of 3 ready');
  const nodes = pods('tide-gauges', 'gauge-store').map((p) => p.spec!.nodeName!);
  expect(new Set(nodes).size).toBe(3);
  for (const node of nodes) await browser.see(`runs on ${node}`);
  // the whole of its data lies in one cluster, and there is no other for its class
  await browser.see('3 of 3 replicas: 3 lose their data');
  await browser.see('Its class (ledger) is moored to no other backend that would take it');
}, 300_000);

test('a pod that is deleted is seen on its way back, and its claim stays the same', async () => {
  const uid = () =>
    world.platform.store.get('persistentvolumeclaims', 'tide-gauges', 'data-gauge-store-1').metadata.uid;
  const [before, claim] = [pods('tide-gauges', 'gauge-store').find((p) => p.metadata.name === 'gauge-store-1')!, uid()];
  const written = await write('gauge-store-1', 7);
  await browser.click('Delete the pod gauge-store-1');
  await browser.see('The pod gauge-store-1 is told to end');
  await browser.see('Pods that ended and came back');
  await browser.see('ledger on kelp: measured 1 time so far');
  await browser.see('3 of 3 ready');
  const after = pods('tide-gauges', 'gauge-store').find((p) => p.metadata.name === 'gauge-store-1')!;
  expect(after.metadata.uid).not.toBe(before.metadata.uid);
  expect(uid()).toBe(claim);
  await browser.see('the same, 7 writes');
  await browser.see(written.fingerprint.slice(0, 8));
}, 300_000);

test('replicas are added and taken away, and it is said what becomes of their claims', async () => {
  await browser.click('Scale');
  await browser.type('Replicas', '5');
  await browser.see('All of it fits: 2 pods, 2 new claims.');
  await browser.click('Add');
  await browser.see('5 of 5 ready');
  await browser.click('Scale');
  await browser.type('Replicas', '3');
  await browser.see('2 replicas go, the last first. 2 claims with 0 B written stay, and are taken up again');
  await browser.click('Take away');
  await browser.see('3 of 3 ready');
  await browser.see('data-gauge-store-4, no pod');
  expect(claims('gauge-store')).toEqual([0, 1, 2, 3, 4].map((i) => `data-gauge-store-${i}`));
}, 300_000);

test('a node is drained with its plan followed', async () => {
  const node = pods('tide-gauges', 'gauge-store').find((p) => p.metadata.name === 'gauge-store-2')!.spec!.nodeName!;
  await browser.go(`/apps/nodes?node=${node}`);
  await browser.see('1 pod leaves, with 1 volume to detach and attach elsewhere. Each was back within');
  const row = await browser.see('starts again on quay-');
  const to = /starts again on (quay-\d+)/.exec(await row.getText())![1];
  await browser.click('Drain');
  await browser.see(`${node} is being drained`);
  await browser.see('No pod is on it');
  await eventually('it runs where it was planned', () =>
    Promise.resolve(
      pods('tide-gauges', 'gauge-store').some((p) => p.metadata.name === 'gauge-store-2' && p.spec?.nodeName === to),
    ),
  );
  await browser.click('Let it take pods');
  await browser.see(`${node} takes pods again.`);
}, 300_000);

test('a node that is lost keeps its pod, until it is known to be off', async () => {
  const pod = () => pods('tide-gauges', 'gauge-store').find((p) => p.metadata.name === 'gauge-store-0')!;
  const node = pod().spec!.nodeName!;
  // and a machine that holds a copy of its data goes with it
  const before = await caller.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/gauge-store');
  const copyAt = before.claims.find((c) => c.name === 'data-gauge-store-0')!.parts[0]!.copies[0]!.node;
  await write('gauge-store-0', 20);
  // it writes on until its machine goes off, in the middle of a write
  const writing = world.platform.processes.write('tide-gauges', 'gauge-store-0', 10_000).catch(() => undefined);
  for (let i = 0; i < 100; i++) await Promise.resolve();
  world.platform.setNode(node, false);
  world.kelp.backend.setNode(copyAt, false);
  await writing;
  const last = world.platform.processes.acknowledged('tide-gauges', 'data-gauge-store-0')!;
  await browser.go(`/apps/nodes?node=${node}`);
  await browser.see('not heard of since');
  await browser.see('1 pod was told to end there and cannot without it');
  await browser.type('Name of the node that is off', node);
  await browser.click('It is off: let its volumes go');
  await browser.see(`${node} is declared off: its pods are let go`);
  await browser.go('/apps/tide-gauges/gauge-store');
  await browser.see('3 of 3 ready');
  expect(pod().spec!.nodeName).not.toBe(node);
  await browser.see(`${node} to ${pod().spec!.nodeName!}`);
  const told = JSON.parse(pod().metadata.annotations!['vast-moorage.example/data']!) as Record<string, string>;
  expect(told['data-gauge-store-0']).toContain(`${last.writes}:${last.fingerprint}`);
  const [way] = (await caller.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/gauge-store')).moves;
  expect(way!.data[0]!.comparison).toMatch(/same|continued/);
  await browser.see(`${way!.data[0]!.before.writes} writes`);
  // copies that lay there are behind, and brought up to date once it is back
  await browser.see('Copies that are not in step');
  await browser.see('when its node or disk is back');
  world.kelp.backend.holdsResync = true;
  await write('gauge-store-0', 3);
  world.platform.setNode(node, true);
  world.kelp.backend.setNode(copyAt, true);
  await browser.see('brought up to date');
  await browser.see('What applications read and write goes first');
  world.kelp.backend.holdsResync = false;
  await browser.see('worst copy in step');
  await browser.go(`/apps/nodes?node=${node}`);
  await browser.see('is heard of again');
  await browser.click('It is no longer off');
  await browser.see(`${node} is no longer declared off.`);
}, 300_000);

test('an application is started as it is written in a manifest', async () => {
  const text = `apiVersion: apps/v1
kind: StatefulSet
metadata: { name: tide-log, namespace: tide-gauges }
spec:
  replicas: 1
  selector: { matchLabels: { app: tide-log } }
  template:
    metadata: { labels: { app: tide-log } }
    spec:
      containers: [{ name: main, image: orrin-sound.example/tide-log:1 }]
  volumeClaimTemplates:
    - metadata: { name: data }
      spec: { accessModes: [ReadWriteOnce], storageClassName: SHELF, resources: { requests: { storage: 4Gi } } }
`;
  await browser.go('/apps/new');
  await browser.click('From a manifest');
  await browser.paste('Manifests, YAML or JSON', text.replace('SHELF', 'no-such'));
  await browser.see('There is no class no-such of ours.');
  await browser.paste('Manifests, YAML or JSON', text.replace('SHELF', 'ledger'));
  await browser.see('All of it fits: 1 pod, 1 new claim.');
  await browser.click('Start it');
  await browser.see('1 of 1 ready');
  await browser.click('Another size');
  await browser.see('Its 1 claim can grow');
}, 300_000);

test('two replicas on one node are found, and mended', async () => {
  const { store } = world.platform;
  const cordon = (but: string | undefined) => {
    for (const { metadata } of store.list('nodes'))
      store.amend('nodes', store.get('nodes', undefined, metadata.name), (copy) => {
        copy.spec!.unschedulable = but !== undefined && metadata.name !== but;
      });
  };
  cordon('quay-08');
  await browser.go('/apps/new');
  await browser.type('Namespace', 'ferry-desk');
  await browser.type('Name', 'seat-cache');
  await browser.type('Replicas', '2');
  await browser.type('Image', 'orrin-sound.example/seat-cache:1');
  await browser.choose('Replicas keep apart', 'by no rule');
  await browser.see('All of it fits: 2 pods, 2 new claims.');
  await browser.click('Start it');
  await browser.see('2 of 2 ready');
  cordon(undefined);
  await browser.see('2 of 2 replicas: 2 run there');
  await browser.click('Keep apart');
  await browser.see('All of it fits: 2 pods, 2 claims there from before.');
  await browser.click('Start them anew so');
  await browser.see('The replicas of ferry-desk/seat-cache keep apart now');
  // what is left is the array that holds both
  await browser.see('quay-08 to quay-');
  await browser.see('Pods that ended and came back');
  await browser.go('/apps?need=points');
  await browser.see('gauge-store');
  await eventually('they are apart', () =>
    Promise.resolve(new Set(pods('ferry-desk', 'seat-cache').flatMap((p) => p.spec?.nodeName ?? [])).size === 2),
  );
}, 300_000);
