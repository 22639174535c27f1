import { randomUUID } from 'node:crypto';
import { EventEmitter } from 'node:events';
import type { Journal } from '../journal';
import { apiVersion, resourceOf } from './resources';
import { alreadyExists, conflict, notFound } from './status';

export interface KubeObject {
  apiVersion?: string;
  kind?: string;
  metadata: {
    name: string;
    namespace?: string;
    uid?: string;
    resourceVersion?: string;
    creationTimestamp?: string;
    deletionTimestamp?: string;
    generation?: number;
    labels?: Record<string, string>;
    annotations?: Record<string, string>;
    finalizers?: string[];
    ownerReferences?: { apiVersion: string; kind: string; name: string; uid: string; controller?: boolean }[];
  };
  spec?: KubeSpec;
  status?: KubeStatus;
  // of storage classes
  provisioner?: string;
  parameters?: Record<string, string>;
  reclaimPolicy?: string;
  volumeBindingMode?: string;
  allowVolumeExpansion?: boolean;
  allowedTopologies?: { matchLabelExpressions?: LabelTerm[] }[];
  // whatever else the body holds is the resource's own affair
  [member: string]: unknown;
}

interface LabelTerm {
  key: string;
  values: string[];
}

/** What the stand-in reads of the resources it knows; each has the members of its own kind. */
export interface KubeSpec {
  accessModes?: string[];
  capacity?: Record<string, string>;
  claimRef?: { apiVersion?: string; kind?: string; namespace?: string; name: string; uid?: string };
  drivers?: unknown[];
  hard?: Record<string, string>;
  nodeAffinity?: { required?: { nodeSelectorTerms?: { matchExpressions?: LabelTerm[] }[] } };
  nodeName?: string;
  persistentVolumeClaimRetentionPolicy?: { whenDeleted?: string; whenScaled?: string };
  persistentVolumeReclaimPolicy?: string;
  podManagementPolicy?: string;
  replicas?: number;
  resources?: { requests?: { storage?: string } };
  selector?: {
    matchLabels?: Record<string, string>;
    matchExpressions?: { key: string; operator: string; values?: string[] }[];
  };
  storageClassName?: string;
  template?: { metadata?: { labels?: Record<string, string> }; spec?: Record<string, unknown> };
  unschedulable?: boolean;
  volumeClaimTemplates?: { metadata: { name: string }; spec?: KubeSpec }[];
  volumeMode?: string;
  volumeName?: string;
  volumes?: { name?: string; persistentVolumeClaim?: { claimName: string } }[];
  [member: string]: unknown;
}

export interface KubeStatus {
  phase?: string;
  accessModes?: string[];
  capacity?: Record<string, string>;
  conditions?: { type: string; status: string; reason?: string; message?: string }[];
  replicas?: number;
  readyReplicas?: number;
  hard?: Record<string, string>;
  used?: Record<string, string>;
  [member: string]: unknown;
}

export interface WatchEvent {
  readonly version: number;
  readonly type: 'ADDED' | 'MODIFIED' | 'DELETED';
  readonly plural: string;
  readonly object: KubeObject;
  /** As it was before; undefined for one that is new. */
  readonly before?: KubeObject;
}

/** Events kept for watches that resume; older resource versions are answered with 410 Gone. */
const historyLimit = 4000;

/** Where the journal keeps the version of the last deletion, which no object tells of. */
const versionKey = '#version';

const keyOf = (plural: string, namespace: string | undefined, name: string) => `${plural}/${namespace ?? ''}/${name}`;

/** Objects with resource versions, uids, finalizers and a history to watch, journalled. */
export class Store {
  private readonly objects = new Map<string, Map<string, KubeObject>>();
  private history: WatchEvent[] = [];
  private version: number;
  readonly changes = new EventEmitter().setMaxListeners(0);
  /** How long pods that say nothing of it stay on a node that is not heard of, seconds. */
  tolerationSeconds = 300;

  constructor(
    private readonly journal: Journal,
    private readonly now: () => Date,
  ) {
    // begins past whatever an earlier store gave, even if its journal is lost: versions never fall
    this.version = now().getTime() - 1_700_000_000_000;
    for (const [key, value] of journal.load()) {
      if (key === versionKey) {
        this.version = Math.max(this.version, value as number);
        continue;
      }
      const object = value as KubeObject;
      this.shelf(key.split('/')[0]!).set(key, object);
      this.version = Math.max(this.version, Number(object.metadata.resourceVersion));
    }
  }

  private shelf(plural: string): Map<string, KubeObject> {
    let shelf = this.objects.get(plural);
    if (!shelf) this.objects.set(plural, (shelf = new Map<string, KubeObject>()));
    return shelf;
  }

  get isEmpty(): boolean {
    return this.objects.size === 0;
  }

  get resourceVersion(): number {
    return this.version;
  }

  private record(type: WatchEvent['type'], plural: string, object: KubeObject, before?: KubeObject): void {
    const event = { version: this.version, type, plural, object, ...(before && { before }) };
    this.history.push(event);
    if (this.history.length > historyLimit * 2) this.history = this.history.slice(-historyLimit);
    this.changes.emit('change', event);
  }

  /** Events after a version, or undefined when they are no longer kept. */
  since(version: number): readonly WatchEvent[] | undefined {
    const oldest = this.history[0]?.version ?? this.version + 1;
    // a version from the future belongs to another store
    if ((version < oldest - 1 && version < this.version) || version > this.version) return undefined;
    return this.history.filter((e) => e.version > version);
  }

  /** Forgets the history, as a long pause of a watcher would. */
  expireHistory(): void {
    this.history = [];
  }

  list(plural: string, namespace?: string): KubeObject[] {
    const all = [...this.shelf(plural).values()];
    return namespace ? all.filter((o) => o.metadata.namespace === namespace) : all;
  }

  /** Everything there is, with the collection it belongs to. */
  all(): { plural: string; object: KubeObject }[] {
    return [...this.objects].flatMap(([plural, shelf]) => [...shelf.values()].map((object) => ({ plural, object })));
  }

  find(plural: string, namespace: string | undefined, name: string): KubeObject | undefined {
    return this.shelf(plural).get(keyOf(plural, namespace, name));
  }

  get(plural: string, namespace: string | undefined, name: string): KubeObject {
    const found = this.find(plural, namespace, name);
    if (!found) throw notFound(resourceOf(plural), name);
    return found;
  }

  private put(plural: string, object: KubeObject, type: 'ADDED' | 'MODIFIED', before?: KubeObject): KubeObject {
    this.version += 1;
    object.metadata.resourceVersion = String(this.version);
    const key = keyOf(plural, object.metadata.namespace, object.metadata.name);
    this.shelf(plural).set(key, object);
    this.journal.put(key, object);
    this.record(type, plural, object, before);
    return object;
  }

  /** Makes an object; as a trial, what would be made, and nothing is kept. */
  create(plural: string, body: KubeObject, how: 'kept' | 'trial' = 'kept'): KubeObject {
    const resource = resourceOf(plural);
    const { name, namespace } = body.metadata;
    if (this.find(plural, namespace, name)) throw alreadyExists(resource, name);
    const object: KubeObject = {
      ...structuredClone(body),
      apiVersion: apiVersion(resource),
      kind: resource.kind,
      metadata: {
        ...structuredClone(body.metadata),
        uid: randomUUID(),
        creationTimestamp: this.now()
          .toISOString()
          .replace(/\.\d+Z$/, 'Z'),
        generation: 1,
      },
    };
    return how === 'trial' ? object : this.put(plural, object, 'ADDED');
  }

  /** Refuses what was made from a version that is not the current one any more. */
  assertCurrent(plural: string, current: KubeObject, body: KubeObject): void {
    const { resourceVersion, name } = body.metadata;
    if (resourceVersion && resourceVersion !== current.metadata.resourceVersion)
      throw conflict(
        resourceOf(plural),
        name,
        'the object has been modified; please apply your changes to the latest version and try again',
      );
  }

  /** Replaces an object. A resource version in the body must be the current one. */
  update(plural: string, body: KubeObject, how: 'kept' | 'trial' = 'kept'): KubeObject {
    const { name, namespace } = body.metadata;
    const current = this.get(plural, namespace, name);
    this.assertCurrent(plural, current, body);
    const { uid, creationTimestamp, deletionTimestamp } = current.metadata;
    const next: KubeObject = {
      ...structuredClone(body),
      apiVersion: current.apiVersion,
      kind: current.kind,
      metadata: {
        ...structuredClone(body.metadata),
        uid,
        creationTimestamp,
        ...(deletionTimestamp && { deletionTimestamp }),
      },
    };
    const bare = (o: KubeObject) => JSON.stringify({ ...o, metadata: { ...o.metadata, resourceVersion: '' } });
    if (bare(next) === bare(current)) return current;
    if (how === 'trial') return next;
    if (deletionTimestamp && !next.metadata.finalizers?.length) return this.purge(plural, next);
    return this.put(plural, next, 'MODIFIED', current);
  }

  /** Changes an object in place of a read and an update; `change` gets a copy. */
  amend(plural: string, object: KubeObject, change: (copy: KubeObject) => void): KubeObject {
    const copy = structuredClone(this.get(plural, object.metadata.namespace, object.metadata.name));
    change(copy);
    return this.update(plural, copy);
  }

  /** Deletes, or marks as being deleted while finalizers hold it. */
  delete(plural: string, namespace: string | undefined, name: string): KubeObject {
    const current = this.get(plural, namespace, name);
    if (!current.metadata.finalizers?.length) return this.purge(plural, structuredClone(current));
    return this.terminate(plural, namespace, name);
  }

  /** Marks as being deleted; who holds it lets it go. */
  terminate(plural: string, namespace: string | undefined, name: string): KubeObject {
    const current = this.get(plural, namespace, name);
    if (current.metadata.deletionTimestamp) return current;
    const copy = structuredClone(current);
    copy.metadata.deletionTimestamp = this.now()
      .toISOString()
      .replace(/\.\d+Z$/, 'Z');
    return this.put(plural, copy, 'MODIFIED', current);
  }

  /** Takes an object away at once. */
  purge(plural: string, object: KubeObject): KubeObject {
    this.version += 1;
    object.metadata.resourceVersion = String(this.version);
    const key = keyOf(plural, object.metadata.namespace, object.metadata.name);
    this.shelf(plural).delete(key);
    this.journal.remove(key);
    this.journal.put(versionKey, this.version);
    this.record('DELETED', plural, object);
    return object;
  }
}
