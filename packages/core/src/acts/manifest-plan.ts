import { parseQuantity } from '../sizes/quantity';
import { covers, type Manifest, type PlatformStep } from './platform-step';

/** An object of a text, read, with what is wrong in it. */
export interface WantedObject {
  /** Where it begins, counted from 1. */
  readonly line: number;
  /** `foreign`: a class of another provisioner. `other`: nothing that is made here. `broken`: nothing that can be read. */
  readonly what: 'class' | 'foreign' | 'claim' | 'volume' | 'other' | 'broken';
  readonly manifest: Manifest;
  readonly faults: readonly Fault[];
}

export interface Fault {
  readonly line: number;
  readonly path: string;
  readonly detail: string;
}

/** A backend's volume that a persistent volume of a text names. */
export interface NamedVolume {
  /** Bytes. */
  readonly size: number;
  /** Whose it is by now: a claim or a persistent volume. */
  readonly heldBy: string | null;
}

/** An object as the platform has it, as far as a plan compares. */
export interface Stands {
  readonly metadata: Manifest['metadata'];
  readonly spec?: object;
}

/** What is there before a text is applied, and what its person may do. */
export interface Standing {
  find(wanted: Manifest): Stands | undefined;
  hasNamespace(name: string): boolean;
  /** Whether claims of a class may grow; undefined when there is no such class. */
  grows(className: string): boolean | undefined;
  volumeAt(handle: string): NamedVolume | undefined;
  may(what: WantedObject['what'], namespace: string | undefined): boolean;
}

/** Why an object of a text is not made or changed. Sizes in bytes. */
export type Objection =
  | ({ readonly reason: 'fault' } & Fault)
  | { readonly reason: 'twice'; readonly line: number }
  | { readonly reason: 'not-allowed' }
  | { readonly reason: 'no-namespace'; readonly namespace: string }
  | { readonly reason: 'fixed'; readonly path: string; readonly from: string; readonly to: string }
  | { readonly reason: 'shrinks'; readonly from: number; readonly to: number }
  | { readonly reason: 'does-not-grow'; readonly className: string }
  | { readonly reason: 'not-bound' }
  | { readonly reason: 'class-stands'; readonly path: string; readonly from: string; readonly to: string }
  | { readonly reason: 'no-such-volume'; readonly handle: string }
  | { readonly reason: 'volume-held'; readonly handle: string; readonly by: string }
  | { readonly reason: 'volume-smaller'; readonly has: number; readonly says: number }
  | { readonly reason: 'not-kept' };

export interface MemberChange {
  readonly path: string;
  /** Empty: not there before. */
  readonly from: string;
  readonly to: string;
}

export type Fate = 'new' | 'changed' | 'untouched' | 'left' | 'refused';

export interface PlannedObject extends WantedObject {
  /** `left`: not ours to make, or in the way of nothing. */
  readonly fate: Fate;
  readonly changes: readonly MemberChange[];
  readonly objections: readonly Objection[];
  readonly step?: PlatformStep;
}

type Record_ = Readonly<Record<string, unknown>>;
const isRecord = (value: unknown): value is Record_ =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const textOf = (value: unknown): string =>
  value === undefined || value === null ? '' : typeof value === 'string' ? value : JSON.stringify(value);

const bytesOf = (value: unknown): number | undefined => {
  const size = parseQuantity(typeof value === 'number' ? String(value) : typeof value === 'string' ? value : '');
  return size.ok ? size.bytes : undefined;
};

/** Members that are quantities: the same size may be written in several ways. */
const isSize = (path: string): boolean => path.endsWith('.storage');

/** Members that a text asks otherwise than they stand; what stands besides is of no matter. */
export function differences(there: unknown, asked: unknown, path = ''): MemberChange[] {
  if (isRecord(asked) && (isRecord(there) || there === undefined))
    return Object.entries(asked).flatMap(([key, value]) =>
      differences(there?.[key], value, path === '' ? key : `${path}.${key}`),
    );
  if (covers(there, asked)) return [];
  if (isSize(path) && bytesOf(there) !== undefined && bytesOf(there) === bytesOf(asked)) return [];
  return [{ path, from: textOf(there), to: textOf(asked) }];
}

/** A path, and where it must begin: a member of these may change on an object that is there. */
const mayChange: Readonly<Record<'claim' | 'volume', readonly string[]>> = {
  claim: ['metadata.labels.', 'metadata.annotations.', 'spec.resources.requests.storage'],
  volume: ['metadata.labels.', 'metadata.annotations.', 'spec.persistentVolumeReclaimPolicy'],
};
const claimSize = 'spec.resources.requests.storage';

interface Storage {
  readonly capacity?: { readonly storage?: unknown };
  readonly csi?: { readonly volumeHandle?: string };
  readonly persistentVolumeReclaimPolicy?: string;
  readonly storageClassName?: string;
  readonly volumeName?: string;
}
const specOf = (object: Stands | Manifest): Storage => ('spec' in object && object.spec ? object.spec : {});

function growthObjections({ from, to }: MemberChange, there: Stands, standing: Standing): Objection[] {
  const { volumeName, storageClassName = '' } = specOf(there);
  const [was, asked] = [bytesOf(from)!, bytesOf(to)!];
  if (asked < was) return [{ reason: 'shrinks', from: was, to: asked }];
  if (!volumeName) return [{ reason: 'not-bound' }];
  return standing.grows(storageClassName) ? [] : [{ reason: 'does-not-grow', className: storageClassName }];
}

function changeObjections(
  what: WantedObject['what'],
  changes: readonly MemberChange[],
  there: Stands,
  standing: Standing,
): Objection[] {
  return changes.flatMap((change): Objection[] => {
    if (what !== 'claim' && what !== 'volume') return [{ reason: 'class-stands', ...change }];
    if (!mayChange[what].some((start) => change.path.startsWith(start))) return [{ reason: 'fixed', ...change }];
    return change.path === claimSize ? growthObjections(change, there, standing) : [];
  });
}

/** A persistent volume must name a volume that a backend has, that nobody holds, and that is as large as it says. */
function volumeObjections(wanted: Manifest, standing: Standing): Objection[] {
  const { csi, capacity, persistentVolumeReclaimPolicy } = specOf(wanted);
  const handle = csi?.volumeHandle ?? '';
  const volume = standing.volumeAt(handle);
  if (!volume) return [{ reason: 'no-such-volume', handle }];
  const says = bytesOf(capacity?.storage) ?? 0;
  return [
    ...(volume.heldBy === null ? [] : [{ reason: 'volume-held' as const, handle, by: volume.heldBy }]),
    ...(says > volume.size ? [{ reason: 'volume-smaller' as const, has: volume.size, says }] : []),
    ...(persistentVolumeReclaimPolicy === 'Retain' ? [] : [{ reason: 'not-kept' as const }]),
  ];
}

/** Two patches: to what is asked, and back; a member that was not there goes again. */
function patchOf(wanted: Manifest, there: Stands, changes: readonly MemberChange[]): PlatformStep {
  const { apiVersion, kind, metadata } = wanted;
  const { name, namespace } = metadata;
  const member = (of: 'labels' | 'annotations', from: Stands) => {
    const start = `metadata.${of}.`;
    const names = changes.filter((c) => c.path.startsWith(start)).map((c) => c.path.slice(start.length));
    return names.length > 0 && { [of]: Object.fromEntries(names.map((n) => [n, from.metadata[of]?.[n] ?? null])) };
  };
  const spec = (of: Stands | Manifest): Record_ => {
    const { resources } = specOf(of) as { resources?: { requests?: { storage?: unknown } } };
    return {
      ...(changes.some((c) => c.path === claimSize) && {
        resources: { requests: { storage: resources?.requests?.storage } },
      }),
      ...(changes.some((c) => c.path === 'spec.persistentVolumeReclaimPolicy') && {
        persistentVolumeReclaimPolicy: specOf(of).persistentVolumeReclaimPolicy,
      }),
    };
  };
  const to = (from: Stands): Manifest & { spec?: Record_ } => {
    const members = spec(from);
    return {
      ...{ apiVersion, kind },
      metadata: {
        name,
        ...(namespace !== undefined && { namespace }),
        ...member('labels', from),
        ...member('annotations', from),
      },
      ...(Object.keys(members).length > 0 && { spec: members }),
    };
  };
  return { do: 'patch', object: to(wanted), back: to(there) };
}

const keyOf = ({ kind, metadata: { namespace = '', name } }: Manifest): string => `${kind} ${namespace}/${name}`;

function planOne(
  wanted: WantedObject,
  earlier: number | undefined,
  standing: Standing,
): Omit<PlannedObject, keyof WantedObject> {
  const { what, manifest, faults } = wanted;
  const { namespace } = manifest.metadata ?? {};
  const none = { changes: [], objections: [] };
  const refuse = (objections: readonly Objection[], changes: readonly MemberChange[] = []) =>
    ({ fate: 'refused', changes, objections }) as const;
  if (faults.length > 0 || what === 'broken') return refuse(faults.map((f) => ({ reason: 'fault', ...f })));
  if (what === 'other') return { fate: 'left', ...none };
  if (earlier !== undefined) return refuse([{ reason: 'twice', line: earlier }]);
  if (!standing.may(what, namespace)) return refuse([{ reason: 'not-allowed' }]);
  const there = standing.find(manifest);
  if (!there) {
    const objections: Objection[] = [
      ...(namespace !== undefined && !standing.hasNamespace(namespace)
        ? [{ reason: 'no-namespace' as const, namespace }]
        : []),
      ...(what === 'volume' ? volumeObjections(manifest, standing) : []),
    ];
    return objections.length > 0
      ? refuse(objections)
      : { fate: 'new', ...none, step: { do: 'make', object: manifest } };
  }
  const changes = differences(there, manifest);
  if (changes.length === 0) return { fate: 'untouched', ...none };
  const objections = changeObjections(what, changes, there, standing);
  if (objections.length > 0) return refuse(objections, changes);
  return { fate: 'changed', changes, objections: [], step: patchOf(manifest, there, changes) };
}

/** What becomes of each object of a text, in its order: new, changed, untouched, left alone, or refused with every reason. */
export function planManifests(wanted: readonly WantedObject[], standing: Standing): PlannedObject[] {
  const seen = new Map<string, number>();
  return wanted.map((object) => {
    const isNamed = object.faults.length === 0 && object.what !== 'other' && object.what !== 'broken';
    const key = isNamed ? keyOf(object.manifest) : undefined;
    const planned = { ...object, ...planOne(object, key === undefined ? undefined : seen.get(key), standing) };
    if (key !== undefined && !seen.has(key)) seen.set(key, object.line);
    return planned;
  });
}
