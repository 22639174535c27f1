import { randomUUID } from 'node:crypto';
import {
  mirrored,
  PlatformProblem,
  type PlatformConnector,
  type PlatformEvent,
  type PlatformObject,
  type PlatformPage,
  type Plural,
} from '../platform/connector';
import { meet, type Fate } from './fate';

const plurals: Readonly<Record<string, Plural>> = {
  Namespace: 'namespaces',
  Node: 'nodes',
  StorageClass: 'storageclasses',
  PersistentVolume: 'persistentvolumes',
  PersistentVolumeClaim: 'persistentvolumeclaims',
  ResourceQuota: 'resourcequotas',
  BucketClass: 'bucketclasses',
  BucketClaim: 'bucketclaims',
  BucketAccess: 'bucketaccesses',
};
const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** RFC 7396: null takes a member away. */
function merge(into: unknown, patch: unknown): unknown {
  if (!isRecord(patch)) return patch;
  const merged: Record<string, unknown> = isRecord(into) ? { ...into } : {};
  for (const [key, value] of Object.entries(patch))
    if (value === null) delete merged[key];
    else merged[key] = merge(merged[key], value);
  return merged;
}

/** The platform in memory, held to the same tests as the real one. */
export class MemoryPlatform implements PlatformConnector {
  private readonly objects = new Map<string, PlatformObject>();
  private history: { readonly plural: Plural; readonly version: number; readonly event: PlatformEvent }[] = [];
  private version = 100;
  private oldest = 100;
  private readonly listeners = new Set<() => void>();
  /** Decides what becomes of each call that changes something. */
  fate: () => Fate = () => 'answered';

  private key = ({ kind = '', metadata: { name, namespace = '' } }: PlatformObject) => `${kind}/${namespace}/${name}`;

  /** Versions older than now are no longer kept. */
  expireHistory(): void {
    this.history = [];
    this.oldest = ++this.version;
  }

  private changing = <T>(work: () => T): Promise<T> =>
    meet(this.fate(), (of, detail) => new PlatformProblem(of === 'refused' ? 'invalid' : of, detail), work);

  private keep(type: PlatformEvent['type'], object: PlatformObject): PlatformObject {
    this.version += 1;
    const stamped = { ...object, metadata: { ...object.metadata, resourceVersion: String(this.version) } };
    if (type === 'DELETED') this.objects.delete(this.key(object));
    else this.objects.set(this.key(object), stamped);
    const plural = plurals[object.kind ?? ''];
    if (plural) this.history.push({ plural, version: this.version, event: { type, object: structuredClone(stamped) } });
    for (const tell of this.listeners) tell();
    return stamped;
  }

  list(plural: Plural): PlatformPage {
    if (!mirrored.includes(plural)) throw new Error(`${plural} is not mirrored`);
    const items = [...this.objects.values()].filter((o) => plurals[o.kind ?? ''] === plural);
    return { items: structuredClone(items), version: String(this.version) };
  }

  async *pages(plural: Plural): AsyncGenerator<PlatformPage> {
    yield await Promise.resolve(this.list(plural));
  }

  async watch(
    plural: Plural,
    version: string,
    onEvent: (event: PlatformEvent | { version: string }) => void,
    signal: AbortSignal,
  ): Promise<void> {
    let told = Number(version);
    if (told < this.oldest) throw new PlatformProblem('gone', `version ${version} is no longer kept`);
    const tell = () => {
      for (const { plural: of, version: at, event } of this.history) if (at > told && of === plural) onEvent(event);
      told = this.version;
    };
    tell();
    this.listeners.add(tell);
    await new Promise<void>((resolve) => {
      if (signal.aborted) resolve();
      signal.addEventListener('abort', () => resolve());
    });
    this.listeners.delete(tell);
  }

  create(object: PlatformObject): Promise<PlatformObject> {
    return this.changing(() => {
      if (this.objects.has(this.key(object)))
        throw new PlatformProblem('exists', `${object.metadata.name} already exists`);
      if (object.kind === 'PersistentVolumeClaim' && !object.spec?.accessModes?.length)
        throw new PlatformProblem('invalid', 'at least one access mode', [
          { field: 'spec.accessModes', message: 'Required value' },
        ]);
      const metadata = { ...object.metadata, uid: randomUUID(), creationTimestamp: new Date().toISOString() };
      return this.keep('ADDED', { ...structuredClone(object), metadata });
    });
  }

  find(apiVersion: string, kind: string, name: string, namespace?: string): Promise<PlatformObject | undefined> {
    const found = this.objects.get(this.key({ apiVersion, kind, metadata: { name, namespace } }));
    return Promise.resolve(structuredClone(found));
  }

  sayingsOf(): Promise<[]> {
    return Promise.resolve([]);
  }

  mergePatch(patch: PlatformObject): Promise<PlatformObject> {
    return this.changing(() => {
      const there = this.objects.get(this.key(patch));
      if (!there) throw new PlatformProblem('not-found', `${patch.metadata.name} not found`);
      if (patch.metadata.uid !== undefined && patch.metadata.uid !== there.metadata.uid)
        throw new PlatformProblem('conflict', `${patch.metadata.name} is another one by now`);
      return this.keep('MODIFIED', merge(there, patch) as PlatformObject);
    });
  }

  patchClaimStatus = (claim: PlatformObject): Promise<PlatformObject> =>
    this.patchBucketStatus({ ...claim, kind: 'PersistentVolumeClaim' });

  patchBucketStatus({ kind, metadata, status }: PlatformObject): Promise<PlatformObject> {
    return this.changing(() => {
      const there = this.objects.get(this.key({ kind, metadata }));
      if (!there) throw new PlatformProblem('not-found', `${metadata.name} not found`);
      if (metadata.resourceVersion !== undefined && metadata.resourceVersion !== there.metadata.resourceVersion)
        throw new PlatformProblem('conflict', `${metadata.name} was changed meanwhile`);
      return this.keep('MODIFIED', merge(there, { status }) as PlatformObject);
    });
  }

  fetchTime = (): Promise<Date> => Promise.resolve(new Date());

  evict(namespace: string, name: string, uid: string): Promise<void> {
    return this.ensureDeleted('v1', 'Pod', name, namespace, uid);
  }

  ensureDeleted(apiVersion: string, kind: string, name: string, namespace?: string, uid?: string): Promise<void> {
    return this.changing(() => {
      const there = this.objects.get(this.key({ apiVersion, kind, metadata: { name, namespace } }));
      if (there && (uid === undefined || there.metadata.uid === uid)) this.keep('DELETED', there);
    });
  }
}
