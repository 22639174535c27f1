import { platformSeed } from '@moorage/standins/seeds';
import { startPlatform } from '@moorage/standins/start';
import { Metrics } from '../metrics/metrics';
import { listed } from '../testing/listed';
import { eventually } from '../testing/world';
import type { PlatformProblem } from './connector';
import { type PlatformEvent } from './connector';
import { KubernetesConnector } from './kubernetes';

let platform: Awaited<ReturnType<typeof startPlatform>>;
let connector: KubernetesConnector;
beforeAll(async () => {
  platform = await startPlatform(platformSeed);
  connector = new KubernetesConnector(platform.url, undefined, new Metrics());
});
afterAll(() => platform.stop());
afterEach(() => platform.faults.heal());

const claim = (name: string, part: object = {}) => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'tide-gauges' },
  spec: {
    accessModes: ['ReadWriteOnce'],
    storageClassName: 'general',
    resources: { requests: { storage: '5Gi' } },
    ...part,
  },
});
const problemOf = (work: Promise<unknown>): Promise<PlatformProblem> =>
  work.then(
    () => Promise.reject(new Error('it succeeded')),
    (error: unknown) => error as PlatformProblem,
  );

describe('calls', () => {
  test('make, find, change and delete; a second delete is fine', async () => {
    const made = await connector.create(claim('one'));
    expect(made.metadata.uid).toBeDefined();
    expect((await connector.find('v1', 'PersistentVolumeClaim', 'one', 'tide-gauges'))!.metadata.uid).toBe(
      made.metadata.uid,
    );
    expect(await connector.find('v1', 'PersistentVolumeClaim', 'none', 'tide-gauges')).toBeUndefined();
    const changed = await connector.mergePatch({
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name: 'one', namespace: 'tide-gauges', labels: { tide: 'low' } },
    });
    expect(changed.metadata.labels).toEqual({ tide: 'low' });
    await connector.ensureDeleted('v1', 'PersistentVolumeClaim', 'one', 'tide-gauges');
    await connector.ensureDeleted('v1', 'PersistentVolumeClaim', 'one', 'tide-gauges');
  });

  test('tell their failures apart, with the field that was refused', async () => {
    await connector.create(claim('two'));
    expect((await problemOf(connector.create(claim('two')))).code).toBe('exists');
    const invalid = await problemOf(connector.create(claim('three', { accessModes: [] })));
    expect(invalid).toMatchObject({ code: 'invalid', causes: [{ field: 'spec.accessModes' }] });
    platform.faults.add({ kind: 'refuse', status: 403, times: 1 });
    expect((await problemOf(connector.create(claim('four')))).code).toBe('forbidden');
    platform.faults.add({ kind: 'refuse', status: 500, times: 1 });
    expect((await problemOf(connector.create(claim('four')))).code).toBe('failed');
    expect(
      (await problemOf(listed(new KubernetesConnector('http://127.0.0.1:9', undefined, new Metrics()), 'nodes'))).code,
    ).toBe('unreachable');
  });

  test('are given up when the platform takes them and never answers', async () => {
    platform.faults.add({ kind: 'hang', path: 'nodes' });
    const hasty = new KubernetesConnector(platform.url, undefined, new Metrics(), 200);
    expect(await problemOf(listed(hasty, 'nodes'))).toMatchObject({
      code: 'unreachable',
      message: expect.stringContaining('did not answer in time') as string,
    });
  });

  test('lists longer than a page are read to their end', async () => {
    for (let i = 0; i < 1203; i++)
      platform.store.create('persistentvolumes', {
        metadata: { name: `vol-${i}` },
        spec: { capacity: { storage: '1Gi' } },
      });
    const { items, version } = await listed(connector, 'persistentvolumes');
    expect(new Set(items.map((v) => v.metadata.name)).size).toBe(1203);
    expect(Number(version)).toBe(platform.store.resourceVersion);
  });
});

describe('a watch', () => {
  test('hands over what came after the version, in order, and ends when told', async () => {
    const { version } = await listed(connector, 'persistentvolumeclaims');
    const events: PlatformEvent[] = [];
    const stop = new AbortController();
    const watching = connector.watch(
      'persistentvolumeclaims',
      version,
      (e) => void ('type' in e && events.push(e)),
      stop.signal,
    );
    await connector.create(claim('seen'));
    await connector.mergePatch({
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name: 'seen', namespace: 'tide-gauges', labels: { a: 'b' } },
    });
    await eventually('both events', async () => events.length >= 2);
    expect(events.map((e) => [e.type, e.object.metadata.name])).toEqual([
      ['ADDED', 'seen'],
      ['MODIFIED', 'seen'],
    ]);
    stop.abort();
    await watching;
  });

  test('from a version that is no longer kept is gone', async () => {
    platform.store.expireHistory();
    expect((await problemOf(connector.watch('nodes', '1', () => undefined, new AbortController().signal))).code).toBe(
      'gone',
    );
  });

  test('that is told to end before it began ends', async () => {
    const { version } = await listed(connector, 'nodes');
    await connector.watch('nodes', version, () => undefined, AbortSignal.abort());
  });

  test('that the platform never begins to answer ends when told', async () => {
    platform.faults.add({ kind: 'hang', path: 'nodes' });
    const stop = new AbortController();
    const watching = connector.watch('nodes', '1', () => undefined, stop.signal);
    const asked = platform.faults.calls.length;
    await eventually('it asks', () => Promise.resolve(platform.faults.calls.length > asked));
    stop.abort();
    await watching;
  });
});
