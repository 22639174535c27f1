import express, { type Express, type Request, type Response } from 'express';
import jsonPatch, { type Operation } from 'fast-json-patch';
import type { Faults } from '../faults';
import { admitCreate, admitUpdate } from './admission';
import { apiVersion, basePath, resources, type Resource } from './resources';
import { matchesSelectors } from './selectors';
import { statusBody, StatusError } from './status';
import type { KubeObject, Store, WatchEvent } from './store';

type Params = { namespace?: string; name?: string };
const text = (value: unknown): string | undefined => (typeof value === 'string' && value !== '' ? value : undefined);

function mergePatch(target: unknown, patch: unknown): unknown {
  if (patch === null || typeof patch !== 'object' || Array.isArray(patch)) return patch;
  const result: Record<string, unknown> = { ...(target as Record<string, unknown> | undefined) };
  for (const [key, value] of Object.entries(patch)) {
    if (value === null) delete result[key];
    else result[key] = mergePatch(result[key], value);
  }
  return result;
}

function patched(current: KubeObject, request: Request): KubeObject {
  const copy = structuredClone(current);
  if (request.is('application/json-patch+json'))
    return jsonPatch.applyPatch(copy, request.body as Operation[]).newDocument;
  return mergePatch(copy, request.body) as KubeObject;
}

function watch(store: Store, resource: Resource, request: Request, response: Response): void {
  const { namespace } = request.params as Params;
  const labels = text(request.query.labelSelector);
  const fields = text(request.query.fieldSelector);
  const asked = text(request.query.resourceVersion);
  const wants = (e: WatchEvent) =>
    e.plural === resource.plural &&
    (!namespace || e.object.metadata.namespace === namespace) &&
    matchesSelectors(e.object, labels, fields);
  response.setHeader('Content-Type', 'application/json');
  response.setHeader('Transfer-Encoding', 'chunked');
  response.flushHeaders();
  const send = (type: string, object: unknown) => response.write(JSON.stringify({ type, object }) + '\n');
  if (asked === undefined || asked === '0') {
    for (const object of store.list(resource.plural, namespace))
      if (matchesSelectors(object, labels, fields)) send('ADDED', object);
  } else {
    const missed = store.since(Number(asked));
    if (!missed) {
      send('ERROR', statusBody(410, 'Expired', `too old resource version: ${asked} (${store.resourceVersion})`));
      response.end();
      return;
    }
    for (const event of missed) if (wants(event)) send(event.type, event.object);
  }
  const live = (event: WatchEvent) => {
    if (wants(event)) send(event.type, event.object);
  };
  store.changes.on('change', live);
  const bookmark = setInterval(
    () =>
      send('BOOKMARK', {
        apiVersion: apiVersion(resource),
        kind: resource.kind,
        metadata: { resourceVersion: String(store.resourceVersion) },
      }),
    15_000,
  );
  const limit = setTimeout(() => response.end(), 1000 * Number(text(request.query.timeoutSeconds) ?? 1800));
  response.on('close', () => {
    store.changes.off('change', live);
    clearInterval(bookmark);
    clearTimeout(limit);
  });
}

function list(store: Store, resource: Resource, request: Request, response: Response): void {
  const { namespace } = request.params as Params;
  if (request.query.watch === 'true' || request.query.watch === '1') return watch(store, resource, request, response);
  const labels = text(request.query.labelSelector);
  const fields = text(request.query.fieldSelector);
  const all = store
    .list(resource.plural, namespace)
    .filter((object) => matchesSelectors(object, labels, fields))
    .sort((a, b) => (keyed(a) < keyed(b) ? -1 : 1));
  const limit = Number(text(request.query.limit) ?? 0);
  const from = Number(text(request.query.continue) ?? 0);
  const items = limit > 0 ? all.slice(from, from + limit) : all;
  const more = from + items.length < all.length;
  response.json({
    apiVersion: apiVersion(resource),
    kind: `${resource.kind}List`,
    metadata: {
      resourceVersion: String(store.resourceVersion),
      ...(more && { continue: String(from + items.length), remainingItemCount: all.length - from - items.length }),
    },
    items,
  });
}
const keyed = (o: KubeObject) => `${o.metadata.namespace ?? ''}/${o.metadata.name}`;

function serve(app: Express, store: Store, resource: Resource): void {
  const { plural, namespaced } = resource;
  const collection = basePath(resource) + (namespaced ? '/namespaces/:namespace' : '') + `/${plural}`;
  const one = `${collection}/:name`;
  if (namespaced) app.get(`${basePath(resource)}/${plural}`, (req, res) => list(store, resource, req, res));
  app.get(collection, (req, res) => list(store, resource, req, res));
  app.get([one, `${one}/status`], (req, res) => {
    const { namespace, name } = req.params as Params;
    res.json(store.get(plural, namespace, name!));
  });
  app.post(collection, (req, res) => {
    const { namespace } = req.params as Params;
    const body = req.body as KubeObject;
    if (!body?.metadata) throw new StatusError(400, 'BadRequest', 'the body is not an object of the API');
    const generated = (body.metadata as { generateName?: string }).generateName;
    if (!body.metadata.name && generated) body.metadata.name = generated + Math.random().toString(36).slice(2, 7);
    if (!body.metadata.name) throw new StatusError(422, 'Invalid', 'metadata.name: Required value');
    if (namespaced) {
      body.metadata.namespace = namespace;
      if (!store.find('namespaces', undefined, namespace!))
        throw new StatusError(404, 'NotFound', `namespaces "${namespace}" not found`);
    }
    admitCreate(store, plural, body);
    res.status(201).json(store.create(plural, body));
  });
  const replace = (params: Params, make: (current: KubeObject) => KubeObject, statusOnly: 'status' | 'all') => {
    const current = store.get(plural, params.namespace, params.name!);
    const made = make(current);
    // a status write changes the status and nothing else, and the other way round
    const next =
      statusOnly === 'status'
        ? {
            ...current,
            metadata: { ...current.metadata, resourceVersion: made.metadata.resourceVersion },
            status: made.status,
          }
        : { ...made, status: current.status };
    next.metadata = { ...next.metadata, name: current.metadata.name, namespace: current.metadata.namespace };
    admitUpdate(plural, current, next);
    return store.update(plural, next);
  };
  for (const part of ['all', 'status'] as const) {
    const path = part === 'status' ? `${one}/status` : one;
    app.put(path, (req, res) => {
      res.json(replace(req.params as Params, () => req.body as KubeObject, part));
    });
    app.patch(path, (req, res) => {
      res.json(replace(req.params as Params, (current) => patched(current, req), part));
    });
  }
  app.delete(one, (req, res) => {
    const { namespace, name } = req.params as Params;
    res.json(store.delete(plural, namespace, name!));
  });
}

function discovery(app: Express): void {
  const groups = [...new Set(resources.filter((r) => r.group).map((r) => r.group))];
  app.get('/version', (_req, res) => {
    res.json({ major: '1', minor: '31', gitVersion: 'v1.31.0-standin' });
  });
  app.get('/api', (_req, res) => {
    res.json({ kind: 'APIVersions', versions: ['v1'], serverAddressByClientCIDRs: [] });
  });
  app.get('/apis', (_req, res) => {
    res.json({
      kind: 'APIGroupList',
      apiVersion: 'v1',
      groups: groups.map((name) => {
        const version = { groupVersion: `${name}/v1`, version: 'v1' };
        return { name, versions: [version], preferredVersion: version };
      }),
    });
  });
  for (const base of new Set(resources.map(basePath))) {
    const served = resources.filter((r) => basePath(r) === base);
    app.get(base, (_req, res) => {
      res.json({
        kind: 'APIResourceList',
        apiVersion: 'v1',
        groupVersion: apiVersion(served[0]!),
        resources: served.map((r) => ({
          name: r.plural,
          singularName: r.singular,
          namespaced: r.namespaced,
          kind: r.kind,
          verbs: ['create', 'delete', 'get', 'list', 'patch', 'update', 'watch'],
        })),
      });
    });
  }
}

/** The platform's API over a store. */
export function platformApi(store: Store, faults: Faults): Express {
  const app = express();
  app.use(faults.middleware((code) => statusBody(code, 'ServiceUnavailable', 'refused by a fault')));
  app.use(express.json({ type: ['application/json', 'application/*+json'], limit: '3mb' }));
  discovery(app);
  for (const resource of resources) serve(app, store, resource);
  app.use((req, res) => {
    res.status(404).json(statusBody(404, 'NotFound', `the server could not find the requested resource: ${req.path}`));
  });
  app.use((error: unknown, _req: Request, res: Response, _next: express.NextFunction) => {
    if (error instanceof StatusError)
      res.status(error.code).json(statusBody(error.code, error.reason, error.message, error.causes));
    else res.status(400).json(statusBody(400, 'BadRequest', error instanceof Error ? error.message : String(error)));
  });
  return app;
}
