import type { RunningServer } from '../server';
import { aClaim, type Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

let world: World;
let server: RunningServer;
let maren: Caller;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'general', ['basalt-broad'], { copies: 1 });
});
afterAll(() => world.end());

const claimed = (name: string, part: object) =>
  world.platform.store.create('persistentvolumeclaims', {
    metadata: { name, namespace: 'tide-gauges' },
    spec: {
      accessModes: ['ReadWriteOnce'],
      volumeMode: 'Filesystem',
      storageClassName: 'general',
      resources: { requests: { storage: '5Gi' } },
      ...part,
    },
    status: { phase: 'Pending' },
  });
const volumesOf = async () => (await maren.ok<{ total: number }>('GET', '/api/backends/basalt/volumes')).total;

describe('a claim that asks for what is not carried out yet waits, and says for what', () => {
  test.each([
    [
      'source',
      'from-snapshot',
      { dataSource: { apiGroup: 'snapshot.storage.k8s.io', kind: 'VolumeSnapshot', name: 's' } },
    ],
    ['source', 'from-claim', { dataSource: { kind: 'PersistentVolumeClaim', name: 'other' } }],
    ['source', 'from-reference', { dataSourceRef: { kind: 'PersistentVolumeClaim', name: 'other' } }],
    ['named-volume', 'by-name', { volumeName: 'pvc-of-yesterday' }],
    ['selector', 'by-labels', { selector: { matchLabels: { shelf: 'upper' } } }],
  ])('%s: %s', async (asks, name, part) => {
    claimed(name, part);
    const { claim } = await maren.inState(name, 'held-back');
    expect(claim.reason!.asks).toBe(asks);
    expect(claim.volumeName).toBe('volumeName' in part ? part.volumeName : null);
  });

  test('and nothing was made for any of them, nor were they written to', async () => {
    // one that is bound after them shows that the server went on
    await maren.ok('POST', '/api/claims', aClaim('plain', 'general'));
    await maren.inState('plain', 'bound');
    expect(await world.rows(`SELECT claim_name FROM reservations WHERE claim_name <> 'plain'`)).toEqual([]);
    await eventually('the volume of the plain one alone', async () => (await volumesOf()) === 1);
    const stored = world.platform.store.find('persistentvolumeclaims', 'tide-gauges', 'by-name')!;
    expect(stored.spec?.volumeName).toBe('pvc-of-yesterday');
    expect(stored.metadata.resourceVersion).toBe(
      (await world.rows<{ version: string }>(`SELECT version FROM platform_objects WHERE name = 'by-name'`))[0]!
        .version,
    );
  });
});
