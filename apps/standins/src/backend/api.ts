import { randomBytes, randomUUID } from 'node:crypto';
import express, { type Express, type Request, type Response } from 'express';
import type { Faults } from '../faults';
import { errorBody, RedfishError } from './errors';
import type { Backend, ServiceClass } from './model';
import { collection, link, root, Views } from './views';

const lastPart = (reference: unknown): string | undefined => {
  const id = (reference as { '@odata.id'?: unknown } | undefined)?.['@odata.id'];
  return typeof id === 'string' ? id.split('/').pop() : undefined;
};

interface VolumeBody {
  Name?: string;
  CapacityBytes?: number;
  RAIDType?: string;
  Encrypted?: boolean;
  CapacitySources?: { ProvidingPools?: unknown[] }[];
  Links?: { Drives?: unknown[]; ClassOfService?: unknown };
}

/** The storage interface over one backend: the standard's resources as far as they are used, in its form. */
export function backendApi(backend: Backend, faults: Faults): Express {
  const app = express();
  const view = new Views(backend);
  const { at } = view;
  const { seed } = backend;
  const tokens = new Map<string, string>();
  app.use(
    faults.middleware((status) =>
      errorBody(status === 507 ? 'InsufficientStorage' : 'ServiceTemporarilyUnavailable', 'Refused by a fault.'),
    ),
  );
  app.use(express.json({ limit: '1mb' }));
  app.use((_req, res, next) => {
    res.setHeader('OData-Version', '4.0');
    next();
  });

  app.get('/redfish', (_req, res) => {
    res.json({ v1: `${root}/` });
  });
  app.get([root, `${root}/`], (_req, res) => {
    res.json({
      ...link(root),
      '@odata.type': '#ServiceRoot.v1_17_0.ServiceRoot',
      Id: 'RootService',
      Name: seed.title,
      RedfishVersion: '1.20.0',
      UUID: `00000000-0000-4000-8000-${Buffer.from(seed.id.padEnd(6, '-').slice(0, 6)).toString('hex')}`,
      Product: seed.title,
      ProtocolFeaturesSupported: {
        ExpandQuery: { Levels: true, MaxLevels: 2, Links: false, NoLinks: true, ExpandAll: false },
        FilterQuery: true,
      },
      Systems: link(`${root}/Systems`),
      Chassis: link(`${root}/Chassis`),
      Storage: link(`${root}/Storage`),
      StorageServices: link(`${root}/StorageServices`),
      SessionService: link(`${root}/SessionService`),
      Tasks: link(`${root}/TaskService`),
      Links: { Sessions: link(`${root}/SessionService/Sessions`) },
    });
  });
  app.post(`${root}/SessionService/Sessions`, (req, res) => {
    const { UserName, Password } = req.body as { UserName?: string; Password?: string };
    if (UserName !== seed.user || Password !== seed.password)
      throw new RedfishError(
        401,
        'ResourceAtUriUnauthorized',
        'While accessing the resource the credentials were refused.',
      );
    const token = randomBytes(16).toString('hex');
    const id = randomUUID().slice(0, 8);
    tokens.set(token, id);
    const path = `${root}/SessionService/Sessions/${id}`;
    res.setHeader('X-Auth-Token', token);
    res
      .status(201)
      .location(path)
      .json({ ...link(path), '@odata.type': '#Session.v1_7_0.Session', Id: id, Name: 'Session', UserName });
  });
  app.use((req, _res, next) => {
    const token = req.header('X-Auth-Token');
    const basic = `Basic ${Buffer.from(`${seed.user}:${seed.password}`).toString('base64')}`;
    if (!(token && tokens.has(token)) && req.header('Authorization') !== basic)
      throw new RedfishError(401, 'NoValidSession', 'There is no valid session established with the implementation.');
    next();
  });

  app.get(`${root}/SessionService`, (_req, res) => {
    res.json({
      ...link(`${root}/SessionService`),
      '@odata.type': '#SessionService.v1_1_9.SessionService',
      Id: 'SessionService',
      Name: 'Sessions',
      ServiceEnabled: true,
      Sessions: link(`${root}/SessionService/Sessions`),
    });
  });
  app.get(`${root}/Systems`, (_req, res) => {
    res.json(collection('ComputerSystem', `${root}/Systems`, 'Systems', [link(`${root}/Systems/${seed.id}`)]));
  });
  app.get(`${root}/Systems/${seed.id}`, (_req, res) => {
    res.json({
      ...link(`${root}/Systems/${seed.id}`),
      '@odata.type': '#ComputerSystem.v1_23_0.ComputerSystem',
      Id: seed.id,
      Name: seed.title,
      SystemType: 'Virtual',
      Status: { State: 'Enabled', Health: 'OK' },
      Storage: link(`${root}/Storage`),
      Links: { Chassis: seed.nodes.map((n) => link(at.chassis(n))) },
    });
  });
  app.get(`${root}/Storage`, (_req, res) => {
    res.json(collection('Storage', `${root}/Storage`, 'Storage', [link(at.storage)]));
  });
  app.get(at.storage, (_req, res) => {
    const shards = seed.pools.filter((p) => p.kind === 'shards');
    res.json({
      ...link(at.storage),
      '@odata.type': '#Storage.v1_17_0.Storage',
      Id: seed.id,
      Name: seed.title,
      Status: { State: 'Enabled', Health: 'OK' },
      StoragePools: link(at.pools),
      Volumes: link(at.volumes),
      Drives: seed.drives.map((d) => link(at.drive(d))),
      Redundancy: shards.map((p) => ({
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
  });
  app.get(at.pools, (req, res) => {
    res.json(
      collection(
        'StoragePool',
        at.pools,
        'Pools',
        seed.pools.map((p) => (req.query.$expand ? view.pool(p) : link(at.pool(p.id)))),
      ),
    );
  });
  app.get(`${at.pools}/:pool`, (req, res) => {
    res.json(view.pool(backend.pool(req.params.pool)));
  });
  app.get(`${at.pools}/:pool/AllocatedVolumes`, (req, res) => {
    const held = [...backend.volumes.values()].filter((v) => v.pool === req.params.pool);
    res.json(
      collection(
        'Volume',
        req.path,
        'Volumes',
        held.map((v) => link(at.volume(v.id))),
      ),
    );
  });
  app.get(`${root}/Chassis`, (_req, res) => {
    res.json(
      collection(
        'Chassis',
        `${root}/Chassis`,
        'Nodes',
        seed.nodes.map((n) => link(at.chassis(n))),
      ),
    );
  });
  const inNode = (node: string | undefined) => seed.drives.filter((d) => d.node === node);
  app.get(`${root}/Chassis/:node`, (req, res) => {
    const { node } = req.params;
    if (!seed.nodes.includes(node))
      throw new RedfishError(
        404,
        'ResourceNotFound',
        `The requested resource of type Chassis named '${node}' was not found.`,
      );
    const first = inNode(node)[0];
    res.json({
      ...link(at.chassis(node)),
      '@odata.type': '#Chassis.v1_25_0.Chassis',
      Id: node,
      Name: node,
      ChassisType: 'RackMount',
      Location: { Placement: { Row: first?.zone ?? '', Rack: first?.rack ?? '' } },
      Status: backend.nodeWorks(node)
        ? { State: 'Enabled', Health: 'OK' }
        : { State: 'UnavailableOffline', Health: 'Critical' },
      Drives: link(`${at.chassis(node)}/Drives`),
    });
  });
  app.get(`${root}/Chassis/:node/Drives`, (req, res) => {
    res.json(
      collection(
        'Drive',
        req.path,
        'Drives',
        inNode(req.params.node).map((d) => (req.query.$expand ? view.drive(d) : link(at.drive(d)))),
      ),
    );
  });
  app.get(`${root}/Chassis/:node/Drives/:drive`, (req, res) => {
    res.json(view.drive(backend.drive(req.params.drive)));
  });
  app.get(at.volumes, (req, res) => {
    const named = /^Name eq '([^']*)'$/.exec(String(req.query.$filter ?? ''))?.[1];
    const shown = [...backend.volumes.values()].filter((v) => named === undefined || v.name === named);
    const members = shown.map((v) => (req.query.$expand ? view.volume(v, 'replicas') : link(at.volume(v.id))));
    res.json(collection('Volume', at.volumes, 'Volumes', members));
  });
  app.post(at.volumes, (req, res) => {
    const body = req.body as VolumeBody;
    const pool = lastPart(body.CapacitySources?.[0]?.ProvidingPools?.[0]);
    if (!body.Name)
      throw new RedfishError(
        400,
        'PropertyMissing',
        'The property Name is a required property and must be included in the request.',
      );
    if (!pool)
      throw new RedfishError(
        400,
        'PropertyMissing',
        'The property CapacitySources is a required property and must be included in the request.',
      );
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
    res.json(view.volume(backend.volume(req.params.volume), req.query.$expand ? 'replicas' : 'links'));
  });
  app.get(`${at.volumes}/:volume/Replicas/:index`, (req, res) => {
    const volume = backend.volume(req.params.volume);
    const index = Number(req.params.index);
    const copy = volume.copies[index];
    if (!copy) throw new RedfishError(404, 'ResourceNotFound', 'There is no such replica.');
    res.json(view.copy(volume, copy, index));
  });
  app.delete(`${at.volumes}/:volume`, (req, res) => {
    backend.remove(req.params.volume);
    res.status(204).end();
  });
  app.get(`${root}/StorageServices`, (_req, res) => {
    res.json(
      collection('StorageService', `${root}/StorageServices`, 'Services', [link(`${root}/StorageServices/${seed.id}`)]),
    );
  });
  app.get(`${root}/StorageServices/${seed.id}`, (_req, res) => {
    res.json({
      ...link(`${root}/StorageServices/${seed.id}`),
      '@odata.type': '#StorageService.v1_7_0.StorageService',
      Id: seed.id,
      Name: seed.title,
      ClassesOfService: link(at.classes),
    });
  });
  app.get(at.classes, (_req, res) => {
    const ids = [...seed.pools.map((p) => p.id), ...backend.serviceClasses.keys()];
    res.json(
      collection(
        'ClassOfService',
        at.classes,
        'Classes of service',
        ids.map((id) => link(at.serviceClass(id))),
      ),
    );
  });
  app.get(`${at.classes}/:cls`, (req, res) => {
    const pool = seed.pools.find((p) => p.id === req.params.cls);
    const cls = backend.serviceClasses.get(req.params.cls);
    if (!pool && !cls) throw new RedfishError(404, 'ResourceNotFound', 'There is no such class of service.');
    res.json(pool ? view.poolClass(pool) : view.serviceClass(cls!));
  });
  app.post(at.classes, (req, res) => {
    const body = req.body as { Id?: string; Name?: string; IOConnectivityLinesOfService?: { MaxIOPS?: number }[] };
    const id = body.Id ?? body.Name;
    if (!id)
      throw new RedfishError(
        400,
        'PropertyMissing',
        'The property Name is a required property and must be included in the request.',
      );
    const cls: ServiceClass = { id, maxIops: body.IOConnectivityLinesOfService?.[0]?.MaxIOPS };
    backend.addServiceClass(cls);
    res.status(201).location(at.serviceClass(id)).json(view.serviceClass(cls));
  });
  app.get(`${root}/TaskService`, (_req, res) => {
    res.json({
      ...link(`${root}/TaskService`),
      '@odata.type': '#TaskService.v1_2_1.TaskService',
      Id: 'TaskService',
      Name: 'Tasks',
      Tasks: link(`${root}/TaskService/Tasks`),
    });
  });
  app.get(`${root}/TaskService/Tasks`, (_req, res) => {
    res.json(
      collection(
        'Task',
        `${root}/TaskService/Tasks`,
        'Tasks',
        [...backend.tasks.keys()].slice(-200).map((t) => link(at.task(t))),
      ),
    );
  });
  app.get(`${root}/TaskService/Tasks/:task`, (req, res) => {
    const task = backend.tasks.get(req.params.task);
    if (!task) throw new RedfishError(404, 'ResourceNotFound', 'There is no such task.');
    res.json(view.task(task));
  });
  app.use((req) => {
    throw new RedfishError(404, 'ResourceMissingAtURI', `The resource at the URI '${req.path}' was not found.`);
  });
  app.use((error: unknown, _req: Request, res: Response, _next: express.NextFunction) => {
    if (error instanceof RedfishError) res.status(error.status).json(errorBody(error.messageId, error.message));
    else res.status(400).json(errorBody('MalformedJSON', error instanceof Error ? error.message : String(error)));
  });
  return app;
}
