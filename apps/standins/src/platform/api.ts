import express, { type Express, type Request, type Response } from 'express';
import type { Faults } from '../faults';
import { list, Pages } from './collection';
import { discovery } from './discovery';
import { evict } from './disruption';
import { basePath, resources, type Resource } from './resources';
import { statusBody, StatusError } from './status';
import type { Store } from './store';
import { create, patch, remove, removeAll, replace, rescale, scaleOf, type At } from './writes';

function serve(app: Express, store: Store, pages: Pages, resource: Resource): void {
  const { plural, namespaced } = resource;
  const everywhere = `${basePath(resource)}/${plural}`;
  const collection = namespaced ? `${basePath(resource)}/namespaces/:namespace/${plural}` : everywhere;
  const one = `${collection}/:name`;
  const at = (req: Request) => req.params as At;
  for (const path of new Set([everywhere, collection])) {
    app.get(path, (req, res) => list(store, pages, resource, req, res));
    app.delete(path, (req, res) => {
      res.json(removeAll(store, resource, at(req), req));
    });
  }
  app.get([one, `${one}/status`], (req, res) => {
    res.json(store.get(plural, at(req).namespace, at(req).name!));
  });
  app.post(collection, (req, res) => {
    res.status(201).json(create(store, resource, at(req), req));
  });
  for (const part of ['all', 'status'] as const) {
    const path = part === 'status' ? `${one}/status` : one;
    app.put(path, (req, res) => {
      res.json(replace(store, resource, at(req), part, req));
    });
    app.patch(path, (req, res) => {
      const { object, made } = patch(store, resource, at(req), part, req);
      res.status(made ? 201 : 200).json(object);
    });
  }
  if (plural === 'pods')
    app.post(`${one}/eviction`, (req, res) => {
      evict(store, at(req).namespace!, at(req).name!, req.body);
      res.status(201).json(statusBody(201, undefined, ''));
    });
  if (resource.scalable) {
    app.get(`${one}/scale`, (req, res) => {
      res.json(scaleOf(store.get(plural, at(req).namespace, at(req).name!)));
    });
    for (const method of ['put', 'patch'] as const)
      app[method](`${one}/scale`, (req: Request, res: Response) => {
        res.json(rescale(store, resource, at(req), req));
      });
  }
  app.delete(one, (req, res) => {
    res.json(remove(store, resource, at(req), req));
  });
}

/** The platform's API over a store. */
export function platformApi(store: Store, faults: Faults, pages = new Pages()): Express {
  const app = express();
  app.use(faults.middleware((code) => statusBody(code, 'ServiceUnavailable', 'refused by a fault')));
  app.use(express.text({ type: ['application/apply-patch+yaml', 'application/yaml'], limit: '3mb' }));
  app.use(express.json({ type: ['application/json', 'application/*+json'], limit: '3mb', strict: false }));
  discovery(app);
  for (const resource of resources) serve(app, store, pages, resource);
  app.use((req, res) => {
    res.status(404).json(statusBody(404, 'NotFound', `the server could not find the requested resource: ${req.path}`));
  });
  app.use((error: unknown, _req: Request, res: Response, _next: express.NextFunction) => {
    if (error instanceof StatusError)
      res.status(error.code).json(statusBody(error.code, error.reason, error.message, error.causes, error.details));
    else res.status(400).json(statusBody(400, 'BadRequest', error instanceof Error ? error.message : String(error)));
  });
  return app;
}
