import type { Request } from 'express';
import jsonPatch, { type Operation } from 'fast-json-patch';
import { parse } from 'yaml';
import { admitCreate, admitUpdate } from './admission';
import { flag, text } from './collection';
import { mergePatch, noteUpdate, serverSideApply, strategicMerge } from './patch';
import { apiVersion, type Resource } from './resources';
import { selection } from './selectors';
import { badRequest, conflict, forbidden, invalid, notFound, statusBody, StatusError } from './status';
import type { KubeObject, Store } from './store';

export interface At {
  readonly namespace?: string;
  readonly name?: string;
}

/** Whether nothing is to be kept; the platform knows one kind of trial. */
function isTrial(request: Request): boolean {
  const asked = text(request.query.dryRun) ?? (request.body as { dryRun?: string[] } | undefined)?.dryRun?.[0];
  if (asked === undefined) return false;
  if (asked !== 'All')
    throw invalid('CreateOptions', '', [
      {
        field: 'dryRun',
        message: `Unsupported value: "${asked}": supported values: "All"`,
        reason: 'FieldValueNotSupported',
      },
    ]);
  return true;
}

const managerOf = (request: Request): string =>
  text(request.query.fieldManager) ?? (request.header('User-Agent') ?? 'unknown').split('/')[0]!;

/** The body as an object of the resource asked for, or why it is none. */
function objectOf(body: unknown, resource: Resource, at: At): KubeObject {
  const object = body as Partial<KubeObject> | null;
  if (object === null || typeof object !== 'object' || Array.isArray(object))
    throw badRequest('the body of the request is not an object');
  const { kind, apiVersion: version } = object;
  const wanted = apiVersion(resource);
  if ((kind !== undefined && kind !== resource.kind) || (version !== undefined && version !== wanted))
    throw badRequest(
      `${kind ?? resource.kind} in version ${JSON.stringify(version ?? wanted)} cannot be handled as a ${resource.kind}: no kind "${kind ?? ''}" is registered for version "${wanted}" at this address`,
    );
  const metadata = object.metadata as unknown;
  if (metadata === null || typeof metadata !== 'object' || Array.isArray(metadata))
    throw new StatusError(
      422,
      'Invalid',
      `${resource.kind} is invalid: metadata.name: Required value: name or generateName is required`,
    );
  const { namespace } = metadata as { namespace?: string };
  if (resource.namespaced && namespace !== undefined && namespace !== at.namespace)
    throw badRequest('the namespace of the provided object does not match the namespace sent on the request');
  return {
    ...object,
    metadata: { ...(metadata as KubeObject['metadata']), ...(resource.namespaced && { namespace: at.namespace }) },
  } as KubeObject;
}

function assertNamespace(store: Store, resource: Resource, name: string, namespace: string | undefined): void {
  if (!resource.namespaced) return;
  const there = store.get('namespaces', undefined, namespace!);
  if (there.metadata.deletionTimestamp)
    throw forbidden(
      resource,
      name,
      `unable to create new content in namespace ${namespace} because it is being terminated`,
    );
}

export function create(store: Store, resource: Resource, at: At, request: Request): KubeObject {
  return createFrom(store, resource, at, objectOf(request.body, resource, at), isTrial(request));
}

function createFrom(store: Store, resource: Resource, at: At, object: KubeObject, trial: boolean): KubeObject {
  const generated = (object.metadata as { generateName?: string }).generateName;
  if (!object.metadata.name && generated) object.metadata.name = generated + Math.random().toString(36).slice(2, 7);
  if (!object.metadata.name)
    throw invalid(resource.kind, '', [
      {
        field: 'metadata.name',
        message: 'Required value: name or generateName is required',
        reason: 'FieldValueRequired',
      },
    ]);
  if (object.metadata.resourceVersion) throw badRequest('resourceVersion should not be set on objects to be created');
  assertNamespace(store, resource, object.metadata.name, at.namespace);
  admitCreate(store, resource.plural, object);
  return store.create(resource.plural, object, trial ? 'trial' : 'kept');
}

type Part = 'all' | 'status';

function write(
  store: Store,
  resource: Resource,
  current: KubeObject,
  made: KubeObject,
  part: Part,
  request: Request,
): KubeObject {
  // a status write changes the status and nothing else, and the other way round
  const next: KubeObject =
    part === 'status'
      ? {
          ...current,
          metadata: { ...current.metadata, resourceVersion: made.metadata.resourceVersion },
          status: made.status,
        }
      : { ...made, status: current.status };
  next.metadata = { ...next.metadata, name: current.metadata.name, namespace: current.metadata.namespace };
  if (made.metadata.uid !== undefined && made.metadata.uid !== current.metadata.uid)
    throw otherUid(resource, current, made.metadata.uid);
  store.assertCurrent(resource.plural, current, next);
  if (part === 'all') {
    admitUpdate(store, resource.plural, current, next);
    if (!request.is('application/apply-patch+yaml'))
      noteUpdate(current, next, managerOf(request), apiVersion(resource), new Date());
  }
  return store.update(resource.plural, next, isTrial(request) ? 'trial' : 'kept');
}

const otherUid = (resource: Resource, { metadata }: KubeObject, uid: string) =>
  conflict(
    resource,
    metadata.name,
    `Precondition failed: UID in precondition: ${uid}, UID in object meta: ${metadata.uid}`,
  );

export function replace(store: Store, resource: Resource, at: At, part: Part, request: Request): KubeObject {
  const current = store.get(resource.plural, at.namespace, at.name!);
  const body = objectOf(request.body, resource, at);
  if (body.metadata.name !== undefined && body.metadata.name !== at.name)
    throw badRequest(`the name of the object (${body.metadata.name}) does not match the name on the URL (${at.name})`);
  return write(store, resource, current, body, part, request);
}

function patched(current: KubeObject, request: Request, resource: Resource): KubeObject {
  const copy = structuredClone(current);
  if (request.is('application/json-patch+json')) {
    if (!Array.isArray(request.body)) throw badRequest('a JSON patch is a list of operations');
    try {
      return jsonPatch.applyPatch(copy, request.body as Operation[], true).newDocument;
    } catch (error) {
      throw new StatusError(
        422,
        'Invalid',
        `the server rejected our request due to an error in our request: ${(error as Error).message.split('\n')[0]}`,
      );
    }
  }
  if (request.is('application/merge-patch+json')) return mergePatch(copy, request.body) as KubeObject;
  if (request.is('application/strategic-merge-patch+json')) return strategicMerge(copy, request.body) as KubeObject;
  throw new StatusError(
    415,
    'UnsupportedMediaType',
    `the body of the request was in an unknown format - accepted media types include: application/json-patch+json, application/merge-patch+json, application/strategic-merge-patch+json, application/apply-patch+yaml (${resource.plural})`,
  );
}

export function patch(
  store: Store,
  resource: Resource,
  at: At,
  part: Part,
  request: Request,
): { object: KubeObject; made: boolean } {
  if (request.is('application/apply-patch+yaml')) return apply(store, resource, at, part, request);
  const current = store.get(resource.plural, at.namespace, at.name!);
  const next = patched(current, request, resource);
  if (next.metadata?.name !== at.name)
    throw badRequest(`the name of the object (${next.metadata?.name}) does not match the name on the URL (${at.name})`);
  return { object: write(store, resource, current, objectOf(next, resource, at), part, request), made: false };
}

function apply(store: Store, resource: Resource, at: At, part: Part, request: Request) {
  const manager = text(request.query.fieldManager);
  if (!manager)
    throw badRequest(
      'PatchOptions.meta.k8s.io "" is invalid: fieldManager: Required value: is required for apply patch',
    );
  const wanted = objectOf(parse(String(request.body)), resource, at);
  if (wanted.metadata.name !== undefined && wanted.metadata.name !== at.name)
    throw badRequest(
      `the name of the object (${wanted.metadata.name}) does not match the name on the URL (${at.name})`,
    );
  wanted.metadata.name = at.name!;
  const current = store.find(resource.plural, at.namespace, at.name!);
  const applied = serverSideApply(current, wanted, {
    manager,
    force: flag(request.query.force),
    apiVersion: apiVersion(resource),
    now: new Date(),
  });
  if ('conflicts' in applied) {
    const causes = applied.conflicts.map((c) => ({
      reason: 'FieldManagerConflict',
      message: `conflict with ${JSON.stringify(c.manager)} using ${apiVersion(resource)}`,
      field: c.field,
    }));
    throw new StatusError(
      409,
      'Conflict',
      `Apply failed with ${causes.length} conflict${causes.length === 1 ? '' : 's'}: ${causes.map((c) => `${c.message}: ${c.field}`).join(', ')}`,
      causes,
    );
  }
  if (!current) return { object: createFrom(store, resource, at, applied.object, isTrial(request)), made: true };
  return { object: write(store, resource, current, applied.object, part, request), made: false };
}

interface DeleteOptions {
  readonly preconditions?: { readonly uid?: string; readonly resourceVersion?: string };
  readonly propagationPolicy?: string;
  readonly gracePeriodSeconds?: number;
}

const policies = ['Background', 'Foreground', 'Orphan'];

/** Deletes one object; gives what the API answers. */
export function remove(store: Store, resource: Resource, at: At, request: Request): unknown {
  const current = store.get(resource.plural, at.namespace, at.name!);
  const options = (request.body ?? {}) as DeleteOptions;
  const { uid, resourceVersion } = options.preconditions ?? {};
  const { metadata } = current;
  if (uid !== undefined && uid !== metadata.uid) throw otherUid(resource, current, uid);
  if (resourceVersion !== undefined && resourceVersion !== metadata.resourceVersion)
    throw conflict(
      resource,
      at.name!,
      `Precondition failed: ResourceVersion in precondition: ${resourceVersion}, ResourceVersion in object meta: ${metadata.resourceVersion}`,
    );
  const policy = text(request.query.propagationPolicy) ?? options.propagationPolicy;
  if (policy !== undefined && !policies.includes(policy))
    throw invalid('DeleteOptions', '', [
      { field: 'propagationPolicy', message: `Unsupported value: "${policy}"`, reason: 'FieldValueNotSupported' },
    ]);
  if (isTrial(request)) return current;
  const grace = text(request.query.gracePeriodSeconds);
  return deleted(store, resource, current, policy, grace === undefined ? options.gracePeriodSeconds : Number(grace));
}

function deleted(
  store: Store,
  resource: Resource,
  current: KubeObject,
  policy: string | undefined,
  grace?: number,
): unknown {
  const { namespace, name, uid } = current.metadata;
  if (resource.plural === 'namespaces') {
    store.amend('namespaces', current, (copy) => {
      copy.status = { ...copy.status, phase: 'Terminating' };
    });
    return store.terminate('namespaces', undefined, name);
  }
  if (policy === 'Orphan') orphan(store, uid!);
  if (policy === 'Foreground' && dependentsOf(store, uid!).length > 0) {
    store.amend(resource.plural, current, (copy) => {
      copy.metadata.finalizers = [...new Set([...(copy.metadata.finalizers ?? []), 'foregroundDeletion'])];
    });
    return store.terminate(resource.plural, namespace, name);
  }
  // a pod is told to end, and goes once its node says so
  const isGraceful = resource.plural === 'pods' && current.spec?.nodeName !== undefined && grace !== 0;
  const left = isGraceful
    ? store.terminate('pods', namespace, name)
    : resource.plural === 'pods' && grace === 0
      ? store.purge('pods', structuredClone(current))
      : store.delete(resource.plural, namespace, name);
  if (resource.plural === 'pods' || store.find(resource.plural, namespace, name)) return left;
  return statusBody(200, undefined, '', [], {
    name,
    ...(resource.group && { group: resource.group }),
    kind: resource.plural,
    uid,
  });
}

/** Objects that name an owner. */
export const dependentsOf = (store: Store, owner: string): { plural: string; object: KubeObject }[] =>
  store.all().filter(({ object }) => object.metadata.ownerReferences?.some((r) => r.uid === owner));

function orphan(store: Store, owner: string): void {
  for (const { plural, object } of dependentsOf(store, owner))
    store.amend(plural, object, (copy) => {
      copy.metadata.ownerReferences = copy.metadata.ownerReferences?.filter((r) => r.uid !== owner);
    });
}

/** Deletes all that a selection of a collection holds; gives them as a list. */
export function removeAll(store: Store, resource: Resource, at: At, request: Request): unknown {
  const selects = selection(resource.plural, text(request.query.labelSelector), text(request.query.fieldSelector));
  const items = store.list(resource.plural, at.namespace).filter(selects);
  const policy =
    text(request.query.propagationPolicy) ?? (request.body as DeleteOptions | undefined)?.propagationPolicy;
  if (!isTrial(request)) for (const item of items) deleted(store, resource, item, policy);
  return {
    apiVersion: apiVersion(resource),
    kind: `${resource.kind}List`,
    metadata: { resourceVersion: String(store.resourceVersion) },
    items,
  };
}

/** How many replicas a set should have, as its own small object. */
export function scaleOf(set: KubeObject) {
  const { name, namespace, uid, resourceVersion, creationTimestamp } = set.metadata;
  return {
    apiVersion: 'autoscaling/v1',
    kind: 'Scale',
    metadata: { name, namespace, uid, resourceVersion, creationTimestamp },
    spec: { replicas: (set.spec?.replicas as number | undefined) ?? 1 },
    status: { replicas: (set.status?.replicas as number | undefined) ?? 0 },
  };
}

export function rescale(store: Store, resource: Resource, at: At, request: Request) {
  const set = store.find(resource.plural, at.namespace, at.name!);
  if (!set) throw notFound(resource, at.name!);
  const body = request.method === 'PUT' ? (request.body as object) : (mergePatch(scaleOf(set), request.body) as object);
  const { replicas } = (body as { spec?: { replicas?: unknown } }).spec ?? {};
  if (typeof replicas !== 'number' || !Number.isInteger(replicas) || replicas < 0)
    throw invalid('Scale', at.name!, [
      {
        field: 'spec.replicas',
        message: `Invalid value: ${JSON.stringify(replicas)}: must be greater than or equal to 0`,
        reason: 'FieldValueInvalid',
      },
    ]);
  return scaleOf(
    store.amend(resource.plural, set, (copy) => {
      copy.spec!.replicas = replicas;
    }),
  );
}
