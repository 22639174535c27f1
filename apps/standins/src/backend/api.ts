import express, { type Express, type Request, type Response } from 'express';
import type { Faults } from '../faults';
import { settle } from './course';
import { objectApi, type ObjectHome } from '../objects/api';
import { errorBody, RedfishError } from './errors';
import type { Backend } from './model';
import { nodesAndDrives } from './nodes';
import { people } from './people';
import { assertKnownQuery } from './query';
import { poolsAndVolumes } from './pools';
import { services } from './services';
import { Views } from './views';
import { link, root } from './service-views';

/** What the object interface needs of the box: its accounts, and the pools that objects fill. */
const objectHome = (backend: Backend, usualPool: string): ObjectHome => ({
  buckets: backend.buckets,
  usualPool,
  secretOf: (account) => backend.accounts.get(account)?.password,
  isAdministrator: (account) => backend.accounts.get(account)?.role === 'Administrator',
  hasPool: (id) => backend.shownPools.some((p) => p.id === id && p.protocols.includes('HTTP')),
  roomFor: (id) => backend.roomIn(backend.pool(id)),
});

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
  if (seed.objectPool !== undefined) {
    const objects = objectApi(objectHome(backend, seed.objectPool));
    app.use((req, res, next) =>
      req.path === '/redfish' || req.path.startsWith('/redfish/') ? next() : objects(req, res, next),
    );
  }
  app.use(express.json({ limit: '8mb' }));
  app.use((req, res, next) => {
    settle(backend);
    res.setHeader('OData-Version', '4.0');
    assertKnownQuery(req);
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
        SelectQuery: false,
        TopSkipQuery: true,
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
