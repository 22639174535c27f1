import { PodPlacing, type PodAsked } from '@moorage/core/applications/pods';
import { podShape, type PodBody } from '@moorage/core/applications/set-shape';
import { Journal } from '@moorage/standins/journal';
import { against, measure } from '@moorage/standins/platform/fit';
import { Store, type KubeObject } from '@moorage/standins/platform/store';
import fc from 'fast-check';
import type { Database } from '../database/database';
import { platformObjects } from '../mirror/mirror-model';
import type { PlatformObject, Plural } from '../platform/connector';
import { migratedDatabase } from '../testing/databases';
import { zonesOfVolumes } from './pages.sql';
import { nodesAndPods } from './plan';

/** Where pods are planned to go, beside what the platform's own scheduler would say of each. */
const [nodeCount, setCount, perSet] = [200, 50, 20];
const zones = ['north', 'middle', 'south'];
let database: Database;
let end: () => Promise<void>;
beforeAll(async () => {
  ({ database, end } = await migratedDatabase());
}, 60_000);
afterAll(() => end());

const dice = (seed: number) => {
  const rolls = fc.sample(fc.noBias(fc.nat(2 ** 30 - 1)), { seed, numRuns: 20_000 });
  const roll = () => rolls.pop()! / 2 ** 30;
  return {
    chance: (share: number) => roll() < share,
    pick: <T>(of: readonly T[]): T => of[Math.floor(roll() * of.length)]!,
  };
};

const ready = (is: boolean) => ({ type: 'Ready', status: is ? 'True' : 'Unknown' });

/** Nodes that differ in everything a scheduler looks at. */
function makeNodes(store: Store, { chance, pick }: ReturnType<typeof dice>): void {
  for (let i = 0; i < nodeCount; i++) {
    const name = `n-${String(i).padStart(3, '0')}`;
    store.create('nodes', {
      metadata: {
        name,
        labels: {
          'kubernetes.io/hostname': name,
          'topology.kubernetes.io/zone': pick(zones),
          ...(chance(0.5) && { disk: pick(['fast', 'slow']) }),
        },
      },
      spec: {
        ...(chance(0.05) && { unschedulable: true }),
        ...(chance(0.15) && {
          taints: [{ key: pick(['gpu', 'batch']), value: 'yes', effect: pick(['NoSchedule', 'PreferNoSchedule']) }],
        }),
      },
      status: {
        conditions: [ready(!chance(0.05))],
        allocatable: { cpu: pick(['2', '4', '1500m']), memory: pick(['4Gi', '8Gi']), pods: pick(['6', '12', '110']) },
      },
    } as KubeObject);
    if (chance(0.7))
      store.create('csinodes', {
        metadata: { name },
        spec: { drivers: [{ name: 'vast-moorage.example', nodeID: name, allocatable: { count: pick([4, 8, 24]) } }] },
      } as KubeObject);
  }
}

function makeClaim(store: Store, name: string, zone: string | undefined): void {
  store.create('persistentvolumes', {
    metadata: { name: `pv-${name}` },
    spec: {
      claimRef: { namespace: 'team', name },
      ...(zone !== undefined && {
        nodeAffinity: {
          required: {
            nodeSelectorTerms: [
              { matchExpressions: [{ key: 'topology.kubernetes.io/zone', operator: 'In', values: [zone] }] },
            ],
          },
        },
      }),
    },
  } as KubeObject);
  store.create('persistentvolumeclaims', {
    metadata: { name, namespace: 'team' },
    spec: { volumeName: `pv-${name}`, resources: { requests: { storage: '1Gi' } } },
    status: { phase: 'Bound' },
  } as KubeObject);
}

/** What pods of a set ask of their nodes. */
function bodyOf({ chance, pick }: ReturnType<typeof dice>, set: string): PodBody & { volumes?: object[] } {
  return {
    ...(chance(0.3) && { nodeSelector: { disk: pick(['fast', 'slow']) } }),
    ...(chance(0.4) && { tolerations: [{ key: pick(['gpu', 'batch']), operator: 'Exists' }] }),
    containers: [
      { name: 'main', resources: { requests: { cpu: pick(['100m', '500m', '1']), memory: pick(['256Mi', '1Gi']) } } },
    ],
    ...(chance(0.6) && {
      topologySpreadConstraints: [
        {
          maxSkew: pick([1, 2]),
          topologyKey: pick(['topology.kubernetes.io/zone', 'kubernetes.io/hostname']),
          whenUnsatisfiable: 'DoNotSchedule',
          labelSelector: { matchLabels: { app: set } },
        },
      ],
    }),
  };
}

async function mirrored(store: Store): Promise<void> {
  await platformObjects.in(database).destroy({ where: {} });
  for (const plural of ['nodes', 'csinodes', 'persistentvolumes', 'persistentvolumeclaims', 'pods'] as Plural[])
    await platformObjects.in(database).bulkCreate(
      store.list(plural).map((object) => ({
        ...{
          plural,
          uid: object.metadata.uid!,
          namespace: object.metadata.namespace ?? '',
          name: object.metadata.name,
        },
        ...{ version: '1', body: object as PlatformObject, className: null, sizeBytes: null, createdAt: new Date() },
        phase: object.status?.phase ?? null,
      })),
    );
}

test.each([1, 2, 3])(
  'no pod is planned onto a node that the scheduler refuses, nor left where one would do (seed %i)',
  async (seed) => {
    const random = dice(seed);
    const store = new Store(new Journal(), () => new Date());
    makeNodes(store, random);
    const nodes = store.list('nodes');
    // pods that are there already, wherever somebody put them
    const make = (set: string, i: number, body: object, node?: string): KubeObject => {
      const claims = random.chance(0.7) ? [`data-${set}-${i}`, ...(random.chance(0.3) ? [`log-${set}-${i}`] : [])] : [];
      for (const claim of claims) makeClaim(store, claim, random.chance(0.5) ? random.pick(zones) : undefined);
      return store.create('pods', {
        metadata: {
          ...{ name: `${set}-${i}`, namespace: 'team', labels: { app: set } },
          ownerReferences: [{ apiVersion: 'apps/v1', kind: 'StatefulSet', name: set, uid: `uid-${set}` }],
        },
        spec: {
          ...body,
          ...(node !== undefined && { nodeName: node }),
          volumes: claims.map((claimName) => ({ name: claimName, persistentVolumeClaim: { claimName } })),
        },
        status: { phase: node === undefined ? 'Pending' : 'Running' },
      } as KubeObject);
    };
    for (let s = 0; s < 10; s++)
      for (let i = 0; i < 20; i++)
        make(`there-${s}`, i, bodyOf(random, `there-${s}`), random.pick(nodes).metadata.name);
    const waiting = Array.from({ length: setCount }, (_, s) => {
      const body = bodyOf(random, `set-${s}`);
      return Array.from({ length: perSet }, (_unused, i) => make(`set-${s}`, i, body));
    }).flat();
    await mirrored(store);
    const { nodes: known, there } = await nodesAndPods(database);
    const names = store.list('persistentvolumes').map((v) => v.metadata.name);
    const zoned = new Map((await zonesOfVolumes(database, names)).map((v) => [v.name, v.zones]));
    const placing = new PodPlacing(known, there);
    let placed = 0;
    for (const pod of waiting) {
      const claims = pod.spec!.volumes!.map((v) => v.persistentVolumeClaim!.claimName!);
      const all = claims.flatMap((c) => (zoned.has(`pv-${c}`) ? [zoned.get(`pv-${c}`)!] : []));
      const common = all.length > 0 ? all.reduce((a, b) => a.filter((z) => b.includes(z))) : undefined;
      const asked: PodAsked = {
        ...podShape(pod.metadata.labels ?? {}, pod.spec as PodBody),
        ...{ name: pod.metadata.name, namespace: 'team', owner: pod.metadata.ownerReferences![0]!.uid },
        volumes: claims.map((c) => `team/${c}`),
        ...(common && { zones: common }),
      };
      const place = placing.place(asked);
      const measured = measure(store, pod);
      if ('node' in place) {
        const node = store.get('nodes', undefined, place.node);
        expect([pod.metadata.name, place.node, against(store, pod, node, measured, nodes)]).toEqual([
          ...[pod.metadata.name, place.node],
          undefined,
        ]);
        placed += 1;
        store.amend('pods', pod, (copy) => {
          copy.spec!.nodeName = place.node;
          copy.status = { phase: 'Running' };
        });
      } else
        expect([pod.metadata.name, nodes.find((n) => against(store, pod, n, measured, nodes) === undefined)]).toEqual([
          pod.metadata.name,
          undefined,
        ]);
    }
    expect(placed).toBeGreaterThan(waiting.length / 3);
  },
  120_000,
);
