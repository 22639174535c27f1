import type { Express } from 'express';
import { missing, notFound, RedfishError } from './errors';
import { lastPart } from './links';
import type { Backend } from './model';
import { poolFrom, redundancyFrom, type PoolBody } from './new-pool';
import type { InstanceBody } from './instances';
import { answerCollection } from './query';
import { exportedSystems, fileShares } from './shares';
import type { Volume, VolumeChange } from './resources';
import { ownVolume, type Views } from './views';
import { collection, link, root } from './service-views';

interface VolumeBody {
  Name?: string;
  DisplayName?: string;
  CapacityBytes?: number;
  RAIDType?: string;
  Encrypted?: boolean;
  CapacitySources?: { ProvidingPools?: unknown[] }[];
  Links?: { Drives?: unknown[]; ClassOfService?: unknown };
}

/** The pool that provides a volume, and the part of it where it is sold in parts; undefined where the link leads elsewhere. */
function providedBy(sources: VolumeBody['CapacitySources']): { pool: string; instance?: string } | undefined {
  const path = (sources?.[0]?.ProvidingPools?.[0] as { '@odata.id'?: unknown } | undefined)?.['@odata.id'];
  const [, within, instance] = /\/StoragePools\/([^/]+)\/AllocatedPools\/([^/]+)$/.exec(String(path)) ?? [];
  const pool = within ?? lastPart(sources?.[0]?.ProvidingPools?.[0]);
  return pool === undefined ? undefined : { pool, ...(instance !== undefined && { instance }) };
}

/** Of the links of a volume, its class of service alone can be set. */
const isClassOfService = (links: unknown): links is { ClassOfService: { '@odata.id': string } } =>
  links !== null && typeof links === 'object' && Object.keys(links).join() === 'ClassOfService';

/** What a PATCH may change of a volume: its size, its class of service, the name people see, and the part of its pool it lies in. */
function changeOf(body: unknown, volume: Volume): VolumeChange {
  if (body === null || typeof body !== 'object' || Array.isArray(body))
    throw new RedfishError(400, 'MalformedJSON', 'The request body is not an object of properties.');
  const change: VolumeChange = {};
  for (const [property, value] of Object.entries(body))
    if (property === 'CapacityBytes') change.capacity = sizeIn(value);
    else if (property === 'DisplayName' && typeof value === 'string') change.shownAs = value;
    else if (property === 'Links' && isClassOfService(value)) change.serviceClass = lastPart(value.ClassOfService);
    else if (property === 'CapacitySources' && volume.instance !== undefined) {
      const at = providedBy(value as VolumeBody['CapacitySources']);
      if (at?.pool !== volume.pool)
        throw new RedfishError(400, 'PropertyValueConflict', 'A volume moves between the parts of its own pool alone.');
      change.instance = at.instance;
    } else if (property in readOnly)
      throw new RedfishError(
        400,
        'PropertyNotWritable',
        `The property ${property} is a read-only property and cannot be assigned a value.`,
      );
    else if (!property.startsWith('@'))
      throw new RedfishError(
        400,
        'PropertyUnknown',
        `The property ${property} is not in the list of valid properties for the resource.`,
      );
  return change;
}
const readOnly = {
  Id: 1,
  Name: 1,
  RAIDType: 1,
  Encrypted: 1,
  Status: 1,
  Capacity: 1,
  CapacitySources: 1,
  VolumeUsage: 1,
  ProvisioningPolicy: 1,
  Links: 1,
  Identifiers: 1,
};

function sizeIn(value: unknown): number {
  if (value === undefined) throw missing('CapacityBytes');
  if (typeof value !== 'number')
    throw new RedfishError(
      400,
      'PropertyValueTypeError',
      `The value '${String(value)}' for the property CapacityBytes is not a type that the property can accept.`,
    );
  return value;
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
      .map((p, index) => ({
        ...link(`${at.storage}#/Redundancy/${index}`),
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
    const members = backend.shownPools.map((p) => ({ path: at.pool(p.id), whole: () => view.pool(p) }));
    answerCollection(req, res, 'StoragePool', 'Pools', members);
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
  soldInParts(app, backend, view);
  fileShares(app, backend, view);
  app.get(at.fileSystems, (req, res) => {
    const mounted = used.filter((d) => d.use === 'mounted');
    const members = mounted.map((d) => ({
      path: `${at.fileSystems}/${ownVolume(d)}`,
      whole: () => view.fileSystem(d),
    }));
    const exported = exportedSystems(backend, view, req);
    answerCollection(req, res, 'FileSystem', 'File systems', [...members, ...exported]);
  });
  app.get(`${at.fileSystems}/:id`, (req, res) => {
    const drive = used.find((d) => d.use === 'mounted' && ownVolume(d) === req.params.id);
    if (!drive) throw notFound('FileSystem', req.params.id);
    res.json(view.fileSystem(drive));
  });
  app.get(at.volumes, (req, res) => {
    // asked for by name again and again: not every volume is drawn for that
    const named = /^Name eq '([^']*)'$/.exec(String(req.query.$filter ?? ''))?.[1];
    const shown = [...backend.volumes.values()].filter((v) => named === undefined || v.name === named);
    answerCollection(req, res, 'Volume', 'Volumes', [
      ...shown.map((v) => ({ path: at.volume(v.id), whole: () => view.volume(v, 'replicas') })),
      ...used.map((d) => ({ path: at.volume(ownVolume(d)), whole: () => view.ownVolume(d) })),
    ]);
  });
  app.post(at.volumes, (req, res) => {
    const body = req.body as VolumeBody;
    const provider = providedBy(body.CapacitySources);
    if (!body.Name) throw missing('Name');
    if (!provider) throw missing('CapacitySources');
    const { task } = backend.create({
      name: body.Name,
      capacity: sizeIn(body.CapacityBytes),
      ...provider,
      raidType: body.RAIDType,
      encrypted: body.Encrypted,
      drives: (body.Links?.Drives ?? []).map((d) => lastPart(d) ?? ''),
      serviceClass: lastPart(body.Links?.ClassOfService),
      shownAs: body.DisplayName,
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
  app.patch(`${at.volumes}/:volume`, (req, res) => {
    const volume = backend.volume(req.params.volume);
    backend.change(volume.id, changeOf(req.body, volume));
    res.json(view.volume(volume, 'links'));
  });
  // what a resource is made of is a resource of its own
  for (const [path, part] of [
    [`${at.volumes}/:id`, (id: string) => sourceOf(id)],
    [`${at.pools}/:id`, (id: string) => view.pool(backend.pool(id)).CapacitySources[0]],
    [
      `${at.fileSystems}/:id`,
      (id: string) => {
        const drive = used.find((d) => d.use === 'mounted' && ownVolume(d) === id);
        return drive && view.fileSystem(drive).CapacitySources[0];
      },
    ],
  ] as const)
    app.get(`${path}/CapacitySources/:source`, (req, res) => {
      const { id, source } = req.params as { id: string; source: string };
      const found = source === '1' ? part(id) : undefined;
      if (!found) throw notFound('CapacitySource', source);
      res.json({ '@odata.type': '#Capacity.v1_3_0.CapacitySource', ...found });
    });
  const sourceOf = (id: string): object | undefined => {
    const own = used.find((d) => ownVolume(d) === id);
    return own ? view.ownVolume(own).CapacitySources[0] : view.volume(backend.volume(id), 'links').CapacitySources[0];
  };
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
  app.post(`${at.volumes}/:volume/Actions/Volume.ChangeRAIDLayout`, (req, res) => {
    const { Drives } = req.body as { Drives?: readonly unknown[] };
    const { id } = backend.volume(req.params.volume);
    if (!Array.isArray(Drives) || Drives.length === 0) throw missing('Drives');
    backend.relayVolume(
      id,
      Drives.map((d) => lastPart(d) ?? ''),
    );
    res.status(204).end();
  });
  app.delete(`${at.volumes}/:volume`, (req, res) => {
    backend.remove(req.params.volume);
    res.status(204).end();
  });
}

/** The parts of a pool that is sold in parts: pools of their own, within it. */
function soldInParts(app: Express, backend: Backend, view: Views): void {
  const path = `${view.at.pools}/:pool/AllocatedPools` as const;
  const { instances } = backend;
  app.get(path, (req, res) => {
    const members = instances
      .of(backend.pool(req.params.pool).id)
      .map((i) => ({ path: view.at.instance(i), whole: () => view.instance(i) }));
    answerCollection(
      req,
      res,
      'StoragePool',
      'Pools within the pool',
      members,
      view.soldAs(backend.pool(req.params.pool)),
    );
  });
  app.post(path, (req, res) => {
    const made = instances.buy(backend.pool(req.params.pool), req.body as InstanceBody);
    res.status(201).location(view.at.instance(made)).json(view.instance(made));
  });
  app.get(`${path}/Capabilities`, (req, res) => {
    res.json(view.instanceCapabilities(backend.pool(req.params.pool)));
  });
  app.get(`${path}/:id`, (req, res) => {
    res.json(view.instance(instances.get(req.params.pool, req.params.id)));
  });
  app.get(`${path}/:id/CapacitySources/1`, (req, res) => {
    const [source] = view.instance(instances.get(req.params.pool, req.params.id)).CapacitySources;
    res.json({ '@odata.type': '#Capacity.v1_3_0.CapacitySource', ...source });
  });
  app.patch(`${path}/:id`, (req, res) => {
    const pool = backend.pool(req.params.pool);
    res.json(view.instance(instances.enlarge(pool, req.params.id, req.body as InstanceBody)));
  });
  app.delete(`${path}/:id`, (req, res) => {
    instances.giveBack(backend.pool(req.params.pool).id, req.params.id);
    res.status(204).end();
  });
}
