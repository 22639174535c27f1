import type { Express, Response } from 'express';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { backendApi } from './backend/api';
import type { Course } from './backend/course';
import { Backend } from './backend/model';
import { RedfishError } from './backend/errors';
import type { BackendSeed } from './backend/seed';
import { Clock } from './clock';
import { Faults } from './faults';
import { Journal } from './journal';
import { platformApi } from './platform/api';
import { Pages } from './platform/collection';
import { runControllers } from './platform/controllers';
import { dataPathTo, type DataPath } from './platform/data-path';
import { atOnce, type Pace } from './platform/pace';
import type { Processes } from './platform/processes';
import { Store, type KubeObject } from './platform/store';

export interface Running {
  /** Where the stand-in's own standard is spoken. */
  readonly url: string;
  readonly controlUrl: string;
  readonly faults: Faults;
  stop(): Promise<void>;
}

interface Where {
  readonly port?: number;
  readonly controlPort?: number;
  readonly journal?: string;
}

/** Answers what came of reading or writing, or that it could not be done. */
function answer(res: Response, work: () => unknown): void {
  try {
    res.json(work() ?? null);
  } catch (error) {
    if (!(error instanceof RedfishError)) throw error;
    res.status(error.status).json({ detail: error.message });
  }
}

/** To a backend in the same program. */
export const dataPathWithin = (backend: Backend): DataPath => ({
  write: async (volume, block, text, host) => Promise.resolve(backend.writeBlock(volume, block, text, host)),
  read: async (volume, host) => Promise.resolve(backend.readBlocks(volume, host)),
});

async function listen(app: Express, port: number, clock: Clock): Promise<Server> {
  const server = createServer((req, res) => {
    res.setHeader('Date', clock.now().toUTCString());
    app(req, res);
  });
  server.keepAliveTimeout = 60_000;
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  return server;
}

async function run(
  app: Express,
  control: Express,
  where: Where,
  faults: Faults,
  clock: Clock,
  halt: () => void,
): Promise<Running> {
  control.post('/clock', (req, res) => {
    clock.set((req.body as { at: string | null }).at);
    res.status(204).end();
  });
  const servers = [await listen(app, where.port ?? 0, clock), await listen(control, where.controlPort ?? 0, clock)];
  const [url, controlUrl] = servers.map((s) => `http://127.0.0.1:${(s.address() as AddressInfo).port}`) as [
    string,
    string,
  ];
  const stop = async () => {
    halt();
    for (const server of servers) {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    }
  };
  return { url, controlUrl, faults, stop };
}

export async function startPlatform(
  seed: () => [string, KubeObject][],
  where: Where = {},
  pace: Pace = atOnce,
): Promise<
  Running & {
    store: Store;
    /** By the names of backends: how what their volumes hold is read and written. */
    dataPaths: Map<string, DataPath>;
    processes: Processes;
    setNode: (name: string, up: boolean) => void;
  }
> {
  const clock = new Clock();
  const store = new Store(new Journal(where.journal), clock.now);
  const dataPaths = new Map<string, DataPath>();
  if (store.isEmpty) for (const [plural, object] of seed()) store.create(plural, object);
  const controllers = runControllers(store, pace, dataPaths);
  const faults = new Faults();
  const pages = new Pages();
  const control = faults.control((app) => {
    app.post('/nodes/:name', (req, res) => {
      const { up } = req.body as { up: boolean };
      controllers.setNode(req.params.name, up);
      res.status(204).end();
    });
    app.post('/data-paths', (req, res) => {
      for (const [backend, address] of Object.entries(req.body as Record<string, string>))
        dataPaths.set(backend, dataPathTo(address));
      res.status(204).end();
    });
    app.post('/pods/:namespace/:name/writes', (req, res, next) => {
      const { count } = req.body as { count: number };
      controllers.processes.write(req.params.namespace, req.params.name, count).then((notes) => res.json(notes), next);
    });
    app.get('/writes/:namespace/:claim', (req, res) => {
      res.json(controllers.processes.acknowledged(req.params.namespace, req.params.claim) ?? null);
    });
    app.post('/expire-history', (_req, res) => {
      store.expireHistory();
      pages.expire();
      res.status(204).end();
    });
  });
  const running = await run(platformApi(store, faults, pages), control, where, faults, clock, () => controllers.stop());
  const { processes } = controllers;
  return { ...running, store, dataPaths, processes, setNode: (name, up) => controllers.setNode(name, up) };
}

export async function startBackend(seed: BackendSeed, where: Where = {}): Promise<Running & { backend: Backend }> {
  const backend = new Backend(seed, new Journal(where.journal));
  const faults = new Faults();
  const control = faults.control((app) => {
    // what hosts do with its volumes, past the interface by which they are managed
    app.post('/data/:volume', (req, res) => {
      const { host } = req.body as { host: string };
      answer(res, () => backend.readBlocks(req.params.volume, host));
    });
    app.post('/data/:volume/:block', (req, res) => {
      const { text, host } = req.body as { text: string; host: string };
      answer(res, () => backend.writeBlock(req.params.volume, Number(req.params.block), text, host));
    });
    app.post('/pools/:pool', (req, res) => {
      const { busy, ...state } = req.body as Parameters<Backend['setPool']>[1] & { busy?: number };
      if (busy !== undefined) backend.busy.set(req.params.pool, busy);
      backend.setPool(req.params.pool, state);
      res.status(204).end();
    });
    app.post('/accounts/:user', (req, res) => {
      backend.setPassword(req.params.user, (req.body as { password: string }).password);
      res.status(204).end();
    });
    app.post('/nodes/:node', (req, res) => {
      backend.setNode(req.params.node, (req.body as { up: boolean }).up);
      res.status(204).end();
    });
    app.post('/drives/:drive', (req, res) => {
      backend.setDrive(req.params.drive, (req.body as { works: boolean }).works);
      res.status(204).end();
    });
    app.post('/buckets/:bucket', (req, res) => {
      const { count, bytes } = req.body as { count: number; bytes: number };
      for (let i = 0; i < count; i++)
        backend.buckets.put(req.params.bucket, `sheet-${String(i).padStart(6, '0')}`, {
          ...{ body: Buffer.alloc(bytes), type: 'binary/octet-stream', metadata: {} },
        });
      res.status(204).end();
    });
    app.post('/volumes/:volume/course', (req, res) => {
      backend.setCourse(req.params.volume, req.body as Course);
      res.status(204).end();
    });
    app.post('/silences', (req, res) => {
      backend.silent.push(req.body as { from: string; to: string });
      res.status(204).end();
    });
    app.post('/volumes/:volume', (req, res) => {
      backend.write(req.params.volume, (req.body as { consumed: number }).consumed);
      res.status(204).end();
    });
  });
  const running = await run(backendApi(backend, faults), control, where, faults, backend.clock, () => backend.stop());
  return { ...running, backend };
}
