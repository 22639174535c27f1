import { randomBytes, randomUUID } from 'node:crypto';
import express, { type Express, type Request, type Response } from 'express';
import type { Faults } from '../faults';
import { errorBody, RedfishError } from './errors';
import type { Backend, ServiceClass } from './model';
import { poolFrom, redundancyFrom, type PoolBody } from './new-pool';
import { collection, link, root, ownVolume, Views } from './views';

const lastPart = (reference: unknown): string | undefined => {
  const id = (reference as { '@odata.id'?: unknown } | undefined)?.['@odata.id'];
  return typeof id === 'string' ? id.split('/').pop() : undefined;
};
const missing = (property: string) =>
  new RedfishError(
    400,
    'PropertyMissing',
    `The property ${property} is a required property and must be included in the request.`,
  );
const notFound = (type: string, id: string) =>
  new RedfishError(404, 'ResourceNotFound', `The requested resource of type ${type} named '${id}' was not found.`);

interface VolumeBody {
  Name?: string;
  CapacityBytes?: number;
  RAIDType?: string;
  Encrypted?: boolean;
  CapacitySources?: { ProvidingPools?: unknown[] }[];
  Links?: { Drives?: unknown[]; ClassOfService?: unknown };
}

interface Session {
  readonly id: string;
  readonly user: string;
}

/** The storage interface over one backend: the standard's resources as far as they are used, in its form. */
export function backendApi(backend: Backend, faults: Faults): Express {
  const app = express();
  const view = new Views(backend);
  const { seed } = backend;
  app.use(
    faults.middleware((status) =>
      errorBody(status === 507 ? 'InsufficientStorage' : 'ServiceTemporarilyUnavailable', 'Refused by a fault.'),
    ),
  );
  app.use(express.json({ limit: '8mb' }));
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
      AccountService: link(`${root}/AccountService`),
      TelemetryService: link(`${root}/TelemetryService`),
      Tasks: link(`${root}/TaskService`),
      Links: { Sessions: link(`${root}/SessionService/Sessions`) },
    });
  });
  people(app, backend);
  nodesAndDrives(app, backend, view);
  poolsAndVolumes(app, backend, view);
  services(app, backend, view);
  app.use((req) => {
    throw new RedfishError(404, 'ResourceMissingAtURI', `The resource at the URI '${req.path}' was not found.`);
  });
  app.use((error: unknown, _req: Request, res: Response, _next: express.NextFunction) => {
    if (error instanceof RedfishError) res.status(error.status).json(errorBody(error.messageId, error.message));
    else res.status(400).json(errorBody('MalformedJSON', error instanceof Error ? error.message : String(error)));
  });
  return app;
}

/** Sessions, accounts and roles: who may read and who may change. */
function people(app: Express, backend: Backend): void {
  const sessions = new Map<string, Session>();
  const sessionsPath = `${root}/SessionService/Sessions`;
  const known = (user: string | undefined, password: string | undefined) => {
    const account = user === undefined ? undefined : backend.accounts.get(user);
    return account && account.password === password ? account : undefined;
  };
  app.post(sessionsPath, (req, res) => {
    const { UserName, Password } = req.body as { UserName?: string; Password?: string };
    const account = known(UserName, Password);
    if (!account || !UserName)
      throw new RedfishError(
        401,
        'ResourceAtUriUnauthorized',
        'While accessing the resource the credentials were refused.',
      );
    const token = randomBytes(16).toString('hex');
    const id = randomUUID().slice(0, 8);
    sessions.set(token, { id, user: UserName });
    const path = `${sessionsPath}/${id}`;
    res.setHeader('X-Auth-Token', token);
    res
      .status(201)
      .location(path)
      .json({
        ...link(path),
        '@odata.type': '#Session.v1_7_0.Session',
        Id: id,
        Name: 'Session',
        UserName,
        Roles: [account.role],
      });
  });
  app.use((req, _res, next) => {
    const basic = /^Basic (.+)$/.exec(req.header('Authorization') ?? '')?.[1];
    const [user, password] = basic ? Buffer.from(basic, 'base64').toString('utf8').split(':') : [];
    const session = sessions.get(req.header('X-Auth-Token') ?? '');
    const account = session ? backend.accounts.get(session.user) : known(user, password);
    if (!account)
      throw new RedfishError(401, 'NoValidSession', 'There is no valid session established with the implementation.');
    const leaving = req.method === 'DELETE' && req.path.startsWith(sessionsPath);
    if (req.method !== 'GET' && account.role === 'ReadOnly' && !leaving)
      throw new RedfishError(
        403,
        'InsufficientPrivilege',
        'There are insufficient privileges for the account or credentials associated with the current session to perform the requested operation.',
      );
    next();
  });
  app.get(`${root}/SessionService`, (_req, res) => {
    res.json({
      ...link(`${root}/SessionService`),
      '@odata.type': '#SessionService.v1_1_9.SessionService',
      Id: 'SessionService',
      Name: 'Sessions',
      ServiceEnabled: true,
      Sessions: link(sessionsPath),
    });
  });
  app.get(sessionsPath, (_req, res) => {
    res.json(
      collection(
        'Session',
        sessionsPath,
        'Sessions',
        [...sessions.values()].map((s) => link(`${sessionsPath}/${s.id}`)),
      ),
    );
  });
  app.get(`${sessionsPath}/:id`, (req, res) => {
    const session = [...sessions.values()].find((s) => s.id === req.params.id);
    if (!session) throw notFound('Session', req.params.id);
    const { id, user } = session;
    res.json({
      ...link(`${sessionsPath}/${id}`),
      '@odata.type': '#Session.v1_7_0.Session',
      Id: id,
      Name: 'Session',
      UserName: user,
      Roles: [backend.accounts.get(user)?.role],
    });
  });
  app.delete(`${sessionsPath}/:id`, (req, res) => {
    for (const [token, session] of sessions) if (session.id === req.params.id) sessions.delete(token);
    res.status(204).end();
  });
  const accounts = `${root}/AccountService`;
  app.get(accounts, (_req, res) => {
    res.json({
      ...link(accounts),
      '@odata.type': '#AccountService.v1_15_1.AccountService',
      Id: 'AccountService',
      Name: 'Accounts',
      Roles: link(`${accounts}/Roles`),
    });
  });
  const privileges = { Administrator: ['Login', 'ConfigureComponents', 'ConfigureManager'], ReadOnly: ['Login'] };
  app.get(`${accounts}/Roles`, (_req, res) => {
    const roles = Object.keys(privileges).map((r) => link(`${accounts}/Roles/${r}`));
    res.json(collection('Role', `${accounts}/Roles`, 'Roles', roles));
  });
  app.get(`${accounts}/Roles/:role`, (req, res) => {
    const assigned = privileges[req.params.role as keyof typeof privileges] as string[] | undefined;
    if (!assigned) throw notFound('Role', req.params.role);
    res.json({
      ...link(`${accounts}/Roles/${req.params.role}`),
      '@odata.type': '#Role.v1_3_1.Role',
      Id: req.params.role,
      Name: req.params.role,
      AssignedPrivileges: assigned,
    });
  });
}

/** Systems, chassis and the drives in them. */
function nodesAndDrives(app: Express, backend: Backend, view: Views): void {
  const { at } = view;
  const { seed } = backend;
  const byNode = new Map<string, typeof seed.drives>(
    seed.nodes.map((n) => [n, seed.drives.filter((d) => d.node === n)]),
  );
  app.get(`${root}/Systems`, (_req, res) => {
    const ids = [seed.id, ...seed.nodes];
    res.json(
      collection(
        'ComputerSystem',
        `${root}/Systems`,
        'Systems',
        ids.map((id) => link(at.system(id))),
      ),
    );
  });
  app.get(at.system(seed.id), (_req, res) => {
    res.json({
      ...link(at.system(seed.id)),
      '@odata.type': '#ComputerSystem.v1_23_0.ComputerSystem',
      Id: seed.id,
      Name: seed.title,
      SystemType: 'Virtual',
      Status: { State: 'Enabled', Health: 'OK' },
      Storage: link(`${root}/Storage`),
      LogServices: link(`${at.system(seed.id)}/LogServices`),
      Links: { Chassis: seed.nodes.map((n) => link(at.chassis(n))) },
      ...view.reset(seed.id),
    });
  });
  const logs = `${at.system(seed.id)}/LogServices`;
  app.get(logs, (_req, res) => {
    res.json(collection('LogService', logs, 'Logs', [link(`${logs}/Events`)]));
  });
  app.get(`${logs}/Events`, (_req, res) => {
    res.json({
      ...link(`${logs}/Events`),
      '@odata.type': '#LogService.v1_7_0.LogService',
      Id: 'Events',
      Name: 'Events',
      Entries: link(at.entries),
    });
  });
  app.get(at.entries, (_req, res) => {
    res.json(
      collection(
        'LogEntry',
        at.entries,
        'Entries',
        backend.events.map((e, i) => view.entry(e, i)),
      ),
    );
  });
  app.get(`${at.entries}/:entry`, (req, res) => {
    const index = Number(req.params.entry) - 1;
    const event = backend.events[index];
    if (!event) throw notFound('LogEntry', req.params.entry);
    res.json(view.entry(event, index));
  });
  const nodeNamed = (name: string | undefined): string => {
    if (name === undefined || !byNode.has(name)) throw notFound('Chassis', String(name));
    return name;
  };
  app.post(`${root}/Systems/:node/Actions/ComputerSystem.Reset`, (req, res) => {
    if ((req.body as { ResetType?: string }).ResetType !== 'On')
      throw new RedfishError(400, 'ActionParameterNotSupported', 'Only the ResetType On can be asked here.');
    if (req.params.node !== seed.id) backend.setNode(nodeNamed(req.params.node), true);
    res.status(204).end();
  });
  app.get(`${root}/Systems/:node`, (req, res) => {
    res.json(view.system(nodeNamed(req.params.node)));
  });
  const chassis = (node: string) => {
    const first = byNode.get(node)![0];
    return {
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
      Links: { ComputerSystems: [link(at.system(node))] },
    };
  };
  app.get(`${root}/Chassis`, (req, res) => {
    const members = seed.nodes.map((n) => (req.query.$expand ? chassis(n) : link(at.chassis(n))));
    res.json(collection('Chassis', `${root}/Chassis`, 'Nodes', members));
  });
  app.get(`${root}/Chassis/:node`, (req, res) => {
    res.json(chassis(nodeNamed(req.params.node)));
  });
  app.get(`${root}/Chassis/:node/Drives`, (req, res) => {
    const drives = byNode.get(nodeNamed(req.params.node))!;
    const use = req.query.$expand ? backend.useOfDrives() : undefined;
    res.json(
      collection(
        'Drive',
        req.path,
        'Drives',
        drives.map((d) => (use ? view.drive(d, use) : link(at.drive(d)))),
      ),
    );
  });
  app.get(`${root}/Chassis/:node/Drives/:drive`, (req, res) => {
    res.json(view.drive(backend.drive(req.params.drive), backend.useOfDrives()));
  });
}

function poolsAndVolumes(app: Express, backend: Backend, view: Views): void {
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
  for (const [name, act] of [
    ['AddDrives', backend.addDrives.bind(backend)],
    ['RemoveDrives', backend.removeDrives.bind(backend)],
  ] as const)
    app.post(`${at.pools}/:pool/Actions/StoragePool.${name}`, (req, res) => {
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
  app.delete(`${at.volumes}/:volume`, (req, res) => {
    backend.remove(req.params.volume);
    res.status(204).end();
  });
}

/** Classes of service, endpoints, telemetry and tasks. */
function services(app: Express, backend: Backend, view: Views): void {
  const { at } = view;
  const { seed } = backend;
  app.get(`${root}/StorageServices`, (_req, res) => {
    res.json(collection('StorageService', `${root}/StorageServices`, 'Services', [link(at.service)]));
  });
  app.get(at.service, (_req, res) => {
    res.json({
      ...link(at.service),
      '@odata.type': '#StorageService.v1_7_0.StorageService',
      Id: seed.id,
      Name: seed.title,
      ClassesOfService: link(at.classes),
      Endpoints: link(at.endpoints),
    });
  });
  const endpoints = [
    ...(seed.paths ?? []).map((p, i) => view.path(p, i)),
    ...(seed.clients ?? []).map((c, i) => view.client(c, i)),
  ];
  app.get(at.endpoints, (req, res) => {
    const members = endpoints.map((e) => (req.query.$expand ? e : link(e['@odata.id'])));
    res.json(collection('Endpoint', at.endpoints, 'Endpoints', members));
  });
  app.get(`${at.endpoints}/:id`, (req, res) => {
    const endpoint = endpoints.find((e) => e.Id === req.params.id);
    if (!endpoint) throw notFound('Endpoint', req.params.id);
    res.json(endpoint);
  });
  app.get(at.classes, (_req, res) => {
    const ids = [...backend.shownPools.map((p) => p.id), ...backend.serviceClasses.keys()];
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
    const pool = backend.shownPools.find((p) => p.id === req.params.cls);
    const cls = backend.serviceClasses.get(req.params.cls);
    if (!pool && !cls) throw notFound('ClassOfService', req.params.cls);
    res.json(pool ? view.poolClass(pool) : view.serviceClass(cls!));
  });
  app.post(at.classes, (req, res) => {
    const body = req.body as {
      Id?: string;
      Name?: string;
      IOConnectivityLinesOfService?: { MaxIOPS?: number; AccessProtocols?: string[] }[];
      DataProtectionLinesOfService?: { RecoveryGeographicObjective?: ServiceClass['scope'] }[];
    };
    const id = body.Id ?? body.Name;
    if (!id) throw missing('Name');
    const connectivity = body.IOConnectivityLinesOfService?.[0];
    const cls: ServiceClass = {
      id,
      maxIops: connectivity?.MaxIOPS,
      protocols: connectivity?.AccessProtocols,
      scope: body.DataProtectionLinesOfService?.[0]?.RecoveryGeographicObjective,
    };
    backend.addServiceClass(cls);
    res.status(201).location(at.serviceClass(id)).json(view.serviceClass(cls));
  });
  const telemetry = `${root}/TelemetryService`;
  app.get(telemetry, (_req, res) => {
    res.json({
      ...link(telemetry),
      '@odata.type': '#TelemetryService.v1_3_3.TelemetryService',
      Id: 'TelemetryService',
      Name: 'Telemetry',
      MetricReports: link(`${telemetry}/MetricReports`),
    });
  });
  app.get(`${telemetry}/MetricReports`, (_req, res) => {
    const reports = backend.shownPools.map((p) => link(at.report(p.id)));
    res.json(collection('MetricReport', `${telemetry}/MetricReports`, 'Reports', reports));
  });
  app.get(`${telemetry}/MetricReports/:pool`, (req, res) => {
    res.json(view.report(backend.pool(req.params.pool)));
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
    if (!task) throw notFound('Task', req.params.task);
    res.json(view.task(task));
  });
}
