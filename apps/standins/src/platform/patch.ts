import type { KubeObject } from './store';

type Json = unknown;
type Dict = Record<string, Json>;
const isDict = (value: Json): value is Dict => value !== null && typeof value === 'object' && !Array.isArray(value);

/** JSON merge patch (RFC 7396). */
export function mergePatch(target: Json, patch: Json): Json {
  if (!isDict(patch)) return patch;
  const result: Dict = isDict(target) ? { ...target } : {};
  for (const [key, value] of Object.entries(patch)) {
    if (value === null) delete result[key];
    else result[key] = mergePatch(result[key], value);
  }
  return result;
}

/** Members by which the entries of a list are told apart when it is merged; lists not named here are replaced whole. */
const mergeKeys: Readonly<Record<string, string>> = {
  containers: 'name',
  initContainers: 'name',
  volumes: 'name',
  env: 'name',
  ports: 'containerPort',
  volumeMounts: 'mountPath',
  conditions: 'type',
  ownerReferences: 'uid',
  addresses: 'type',
  taints: 'key',
  imagePullSecrets: 'name',
  drivers: 'name',
};
/** Lists of plain values that are merged like sets. */
const sets = new Set(['finalizers']);

/** The platform's own patch: lists are merged by their keys, with its directives for replacing and deleting. */
export function strategicMerge(target: Json, patch: Json, member = ''): Json {
  if (Array.isArray(patch)) return mergeLists(Array.isArray(target) ? (target as Json[]) : [], patch as Json[], member);
  if (!isDict(patch)) return patch;
  const { $patch: directive, ...rest } = patch;
  if (directive === 'replace') return rest;
  if (directive === 'delete') return undefined;
  const result: Dict = isDict(target) ? { ...target } : {};
  for (const [key, value] of Object.entries(rest)) {
    const taken = /^\$deleteFromPrimitiveList\/(.+)$/.exec(key)?.[1];
    if (taken) {
      const gone = value as Json[];
      result[taken] = ((result[taken] as Json[] | undefined) ?? []).filter((v) => !gone.includes(v));
      continue;
    }
    if (key.startsWith('$setElementOrder/') || key === '$retainKeys') continue;
    if (value === null) {
      delete result[key];
      continue;
    }
    const merged = strategicMerge(result[key], value, key);
    if (merged === undefined) delete result[key];
    else result[key] = merged;
  }
  return result;
}

function mergeLists(target: readonly Json[], patch: readonly Json[], member: string): Json[] {
  if (sets.has(member)) return [...new Set([...target, ...patch])];
  const key = mergeKeys[member];
  if (key === undefined || !patch.every(isDict)) return [...patch];
  if (patch.some((p) => isDict(p) && p.$patch === 'replace' && Object.keys(p).length === 1))
    return patch.filter((p) => isDict(p) && p.$patch === undefined);
  const result = [...target];
  for (const entry of patch as Dict[]) {
    const at = result.findIndex((r) => isDict(r) && r[key] === entry[key]);
    if (entry.$patch === 'delete') {
      if (at >= 0) result.splice(at, 1);
    } else if (at >= 0) result[at] = strategicMerge(result[at], entry);
    else result.push(strategicMerge({}, entry));
  }
  return result;
}

/** One leaf of an object: where it stands, as the API writes field paths, and its value as text. */
type Leaves = Map<string, string>;

/** Leaves that a manager can own; lists told apart by a key are walked into, others are one leaf. */
function leavesOf(value: Json, path = '', member = '', into: Leaves = new Map()): Leaves {
  if (Array.isArray(value) && mergeKeys[member] && value.every(isDict)) {
    const key = mergeKeys[member];
    for (const entry of value as Dict[]) leavesOf(entry, `${path}[${key}=${JSON.stringify(entry[key])}]`, '', into);
    return into;
  }
  if (isDict(value)) {
    for (const [name, of] of Object.entries(value)) {
      const at = `${path}.${name}`;
      if (['.apiVersion', '.kind', '.metadata.name', '.metadata.namespace', '.status'].includes(at)) continue;
      if (/^\.metadata\.(uid|resourceVersion|creationTimestamp|generation|managedFields|deletionTimestamp)$/.test(at))
        continue;
      leavesOf(of, at, name, into);
    }
    if (Object.keys(value).length === 0 && path !== '') into.set(path, '{}');
    return into;
  }
  into.set(path, JSON.stringify(value));
  return into;
}

export interface ManagedFields {
  readonly manager: string;
  readonly operation: 'Apply' | 'Update';
  readonly apiVersion: string;
  readonly time: string;
  readonly fieldsType: 'FieldsV1';
  readonly fieldsV1: Record<string, object>;
}
const managedOf = (object: KubeObject | undefined): readonly ManagedFields[] =>
  (object?.metadata as { managedFields?: ManagedFields[] } | undefined)?.managedFields ?? [];

const entry = (
  manager: string,
  operation: 'Apply' | 'Update',
  apiVersion: string,
  paths: Iterable<string>,
  now: Date,
): ManagedFields => ({
  manager,
  operation,
  apiVersion,
  time: now.toISOString().replace(/\.\d+Z$/, 'Z'),
  fieldsType: 'FieldsV1',
  fieldsV1: Object.fromEntries([...paths].sort().map((p) => [`f:${p.slice(1)}`, {}])),
});
const pathsOf = (m: ManagedFields): Set<string> => new Set(Object.keys(m.fieldsV1).map((f) => `.${f.slice(2)}`));

export interface ApplyConflict {
  readonly manager: string;
  readonly field: string;
}

/** Removes a leaf that no manager wants any more. */
function dropLeaf(object: Dict, path: string): void {
  const parts = path.match(/\.[^.[\]]+|\[[^\]]+\]/g) ?? [];
  let at: Json = object;
  for (const part of parts.slice(0, -1)) {
    if (part.startsWith('.')) at = isDict(at) ? at[part.slice(1)] : undefined;
    else {
      const [key, wanted] = part.slice(1, -1).split('=') as [string, string];
      at = Array.isArray(at) ? (at as Dict[]).find((e) => JSON.stringify(e[key]) === wanted) : undefined;
    }
  }
  const last = parts.at(-1);
  if (last?.startsWith('.') && isDict(at)) delete at[last.slice(1)];
}

/** Server-side apply: what the manager wants, merged; conflicts with other managers' fields unless forced. */
export function serverSideApply(
  current: KubeObject | undefined,
  wanted: KubeObject,
  by: { readonly manager: string; readonly force: boolean; readonly apiVersion: string; readonly now: Date },
): { readonly object: KubeObject } | { readonly conflicts: readonly ApplyConflict[] } {
  const mine = leavesOf(wanted);
  const there = leavesOf(current ?? {});
  const others = managedOf(current).filter((m) => !(m.manager === by.manager && m.operation === 'Apply'));
  const conflicts = others.flatMap((m) =>
    [...pathsOf(m)]
      .filter((p) => mine.has(p) && there.has(p) && mine.get(p) !== there.get(p))
      .map((field) => ({ manager: m.manager, field })),
  );
  if (conflicts.length > 0 && !by.force) return { conflicts };
  const object = strategicMerge(current ?? {}, wanted) as KubeObject;
  const before = managedOf(current).find((m) => m.manager === by.manager && m.operation === 'Apply');
  const elsewhere = new Set(others.flatMap((m) => [...pathsOf(m)]));
  for (const path of before ? pathsOf(before) : [])
    if (!mine.has(path) && !elsewhere.has(path)) dropLeaf(object as Dict, path);
  const lost = new Set(conflicts.map((c) => c.field));
  const managedFields = [
    ...others.map((m) => ({
      ...m,
      fieldsV1: Object.fromEntries(Object.entries(m.fieldsV1).filter(([f]) => !lost.has(`.${f.slice(2)}`))),
    })),
    entry(by.manager, 'Apply', by.apiVersion, mine.keys(), by.now),
  ].filter((m) => Object.keys(m.fieldsV1).length > 0);
  return { object: { ...object, metadata: { ...object.metadata, managedFields } as KubeObject['metadata'] } };
}

/** Notes who changed which fields by an ordinary write: they are that manager's from now on. */
export function noteUpdate(
  before: KubeObject,
  after: KubeObject,
  manager: string,
  apiVersion: string,
  now: Date,
): void {
  const managed = managedOf(before);
  if (managed.length === 0) return;
  const [old, fresh] = [leavesOf(before), leavesOf(after)];
  const changed = new Set([...fresh].filter(([path, value]) => old.get(path) !== value).map(([path]) => path));
  if (changed.size === 0) {
    (after.metadata as { managedFields?: unknown }).managedFields = managed;
    return;
  }
  const kept = managed.map((m) => ({
    ...m,
    fieldsV1: Object.fromEntries(
      Object.entries(m.fieldsV1).filter(([f]) => !changed.has(`.${f.slice(2)}`) && fresh.has(`.${f.slice(2)}`)),
    ),
  }));
  const own = kept.find((m) => m.manager === manager && m.operation === 'Update');
  const paths = [...changed, ...(own ? pathsOf(own) : [])];
  (after.metadata as { managedFields?: unknown }).managedFields = [
    ...kept.filter((m) => m !== own),
    entry(manager, 'Update', apiVersion, paths, now),
  ].filter((m) => Object.keys(m.fieldsV1).length > 0);
}
