import type { Express } from 'express';
import { missing, notFound, RedfishError } from './errors';
import { lastPart } from './links';
import type { Backend } from './model';
import { poolFrom, redundancyFrom, type PoolBody } from './new-pool';
import { collection, link, ownVolume, root, type Views } from './views';

interface VolumeBody {
  Name?: string;
  CapacityBytes?: number;
  RAIDType?: string;
  Encrypted?: boolean;
  CapacitySources?: { ProvidingPools?: unknown[] }[];
  Links?: { Drives?: unknown[]; ClassOfService?: unknown };
}

/** Pools with their drives, volumes with their copies, and what nodes keep on drives of their own. */
export function poolsAndVolumes(app: Express, backend: Backend, view: Views): void {
  const { at } = view;
  const { seed } = backend;
  const used = seed.drives.filter((d) => d.use !== undefined);
  app.get(`${root}/Storage`, (_req, res) => {
    res.json(collection('Storage', `${root}/Storage`, 'Storage', [link(at.storage)]));
  });
  const storage = () => ({
    ...link(at.storage),
    '@odata.type': '#Storage.v1_17_0.Storage',
    Id: seed.id,
    Name: seed.title,
    Status: { State: 'Enabled', Health: 'OK' },
    StoragePools: link(at.pools),
    Volumes: link(at.volumes),
    FileSystems: link(at.fileSystems),
    Drives: seed.drives.map((d) => link(at.drive(d))),
    'Drives@odata.count': seed.drives.length,
    Redundancy: backend.shownPools
      .filter((p) => p.kind === 'shards')
      .map((p) => ({
        ...link(`${at.storage}#/Redundancy/${p.id}`),
        MemberId: p.id,
        Name: p.id,
        Mode: 'N+m',
        MinNumNeeded: p.dataShards,
        MaxNumSupported: p.dataShards! + p.parityShards!,
        RedundancySet: [link(at.pool(p.id))],
        Status: { State: 'Enabled', Health: 'OK' },
      })),
  });
  app.get(at.storage, (_req, res) => {
    res.json(storage());
  });
  app.patch(at.storage, (req, res) => {
    for (const [pool, shards] of redundancyFrom(req.body)) backend.changePool({ ...backend.pool(pool), ...shards });
    res.json(storage());
  });
  app.get(at.pools, (req, res) => {
    const pools = backend.shownPools;
    res.json(
      collection(
        'StoragePool',
        at.pools,
        'Pools',
        pools.map((p) => (req.query.$expand ? view.pool(p) : link(at.pool(p.id)))),
      ),
    );
  });
  app.post(at.pools, (req, res) => {
    const body = req.body as PoolBody;
    if (!body.Name) throw missing('Name');
    const offered = lastPart(body.Links?.DefaultClassOfService);
    backend.addPool(poolFrom(body, offered === undefined ? undefined : backend.serviceClasses.get(offered)));
    res
      .status(201)
      .location(at.pool(body.Name))
      .json(view.pool(backend.pool(body.Name)));
  });
  app.get(`${at.pools}/:pool`, (req, res) => {
    res.json(view.pool(backend.pool(req.params.pool)));
  });
  app.delete(`${at.pools}/:pool`, (req, res) => {
    backend.removePool(req.params.pool);
    res.status(204).end();
  });
  const drivesIn = (body: unknown): string[] =>
    ((body as { Drives?: unknown[] }).Drives ?? []).map((d) => lastPart(d) ?? '');
  for (const [action, act] of [
    ['AddDrives', backend.addDrives.bind(backend)],
    ['RemoveDrives', backend.removeDrives.bind(backend)],
  ] as const)
    app.post(`${at.pools}/:pool/Actions/StoragePool.${action}`, (req, res) => {
      const task = act(req.params.pool!, drivesIn(req.body));
      res.status(202).location(at.task(task.id)).json(view.task(task));
    });
  app.get(`${at.pools}/:pool/AllocatedVolumes`, (req, res) => {
    res.json(view.allocatedVolumes(backend.pool(req.params.pool)));
  });
  app.get(`${at.pools}/:pool/AllocatedVolumes/Capabilities`, (req, res) => {
    res.json(view.capabilities(backend.pool(req.params.pool)));
  });
  app.get(at.fileSystems, (req, res) => {
    const mounted = used.filter((d) => d.use === 'mounted');
    const members = mounted.map((d) =>
      req.query.$expand ? view.fileSystem(d) : link(`${at.fileSystems}/${ownVolume(d)}`),
    );
    res.json(collection('FileSystem', at.fileSystems, 'File systems', members));
  });
  app.get(`${at.fileSystems}/:id`, (req, res) => {
    const drive = used.find((d) => d.use === 'mounted' && ownVolume(d) === req.params.id);
    if (!drive) throw notFound('FileSystem', req.params.id);
    res.json(view.fileSystem(drive));
  });
  app.get(at.volumes, (req, res) => {
    const named = /^Name eq '([^']*)'$/.exec(String(req.query.$filter ?? ''))?.[1];
    const shown = [...backend.volumes.values()].filter((v) => named === undefined || v.name === named);
    const members: unknown[] = shown.map((v) =>
      req.query.$expand ? view.volume(v, 'replicas') : link(at.volume(v.id)),
    );
    if (named === undefined)
      members.push(...used.map((d) => (req.query.$expand ? view.ownVolume(d) : link(at.volume(ownVolume(d))))));
    res.json(collection('Volume', at.volumes, 'Volumes', members));
  });
  app.post(at.volumes, (req, res) => {
    const body = req.body as VolumeBody;
    const pool = lastPart(body.CapacitySources?.[0]?.ProvidingPools?.[0]);
    if (!body.Name) throw missing('Name');
    if (!pool) throw missing('CapacitySources');
    const { task } = backend.create({
      name: body.Name,
      capacity: body.CapacityBytes ?? 0,
      pool,
      raidType: body.RAIDType,
      encrypted: body.Encrypted,
      drives: (body.Links?.Drives ?? []).map((d) => lastPart(d) ?? ''),
      serviceClass: lastPart(body.Links?.ClassOfService),
    });
    res.status(202).location(at.task(task.id)).json(view.task(task));
  });
  app.get(`${at.volumes}/:volume`, (req, res) => {
    const own = used.find((d) => ownVolume(d) === req.params.volume);
    res.json(
      own
        ? view.ownVolume(own)
        : view.volume(backend.volume(req.params.volume), req.query.$expand ? 'replicas' : 'links'),
    );
  });
  app.get(`${at.volumes}/:volume/Replicas/:index`, (req, res) => {
    const volume = backend.volume(req.params.volume);
    const index = Number(req.params.index);
    const copy = volume.copies[index];
    if (!copy) throw new RedfishError(404, 'ResourceNotFound', 'There is no such replica.');
    res.json(view.copy(volume, copy, index));
  });
  app.post(`${at.volumes}/:volume/Actions/Volume.AssignReplicaTarget`, (req, res) => {
    const { TargetVolume, ReplicaUpdateMode } = req.body as { TargetVolume?: string; ReplicaUpdateMode?: string };
    if (!backend.volumes.has(req.params.volume)) throw notFound('Volume', req.params.volume);
    if (!TargetVolume) throw missing('TargetVolume');
    if (ReplicaUpdateMode !== 'Synchronous' && ReplicaUpdateMode !== 'Asynchronous') throw missing('ReplicaUpdateMode');
    backend.mirror(req.params.volume, { target: TargetVolume, mode: ReplicaUpdateMode });
    res.status(204).end();
  });
  app.delete(`${at.volumes}/:volume`, (req, res) => {
    backend.remove(req.params.volume);
    res.status(204).end();
  });
}
