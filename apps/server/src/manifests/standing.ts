import type { Standing, WantedObject } from '@moorage/core/acts/manifest-plan';
import type { Manifest } from '@moorage/core/acts/platform-step';
import type { Person } from '@moorage/contract/people';
import type { Database } from '../database/database';
import { listMirrored, namesOf } from '../mirror/mirrored';
import type { Plural } from '../platform/connector';
import { objectsNamed, volumesAt } from './manifests.sql';

const plurals: Readonly<Record<string, Plural>> = {
  StorageClass: 'storageclasses',
  PersistentVolumeClaim: 'persistentvolumeclaims',
  PersistentVolume: 'persistentvolumes',
};
const keyOf = (plural: string, namespace: string, name: string): string => `${plural} ${namespace}/${name}`;

const handleOf = (manifest: Manifest): string =>
  (manifest as Manifest & { spec?: { csi?: { volumeHandle?: string } } }).spec?.csi?.volumeHandle ?? '';

/** What is there of all that a text names, asked for in four ways to the database however many it names. */
export async function standingFor(
  database: Database,
  wanted: readonly WantedObject[],
  person: Person,
): Promise<Standing> {
  const whole = wanted.filter((o) => o.faults.length === 0 && plurals[o.manifest.kind] !== undefined);
  const named = whole.map(({ manifest: { kind, metadata } }) => ({
    plural: plurals[kind]!,
    namespace: metadata.namespace ?? '',
    name: metadata.name,
  }));
  const handles = whole.filter((o) => o.what === 'volume').map((o) => handleOf(o.manifest));
  const at = handles.map((h) => h.indexOf('/'));
  const objects = await objectsNamed(
    database,
    named.map((n) => n.plural),
    named.map((n) => n.namespace),
    named.map((n) => n.name),
  );
  const namespaces = await namesOf(database, 'namespaces', [
    ...new Set(named.map((n) => n.namespace).filter((n) => n !== '')),
  ]);
  const classNames = objects.flatMap((o) => {
    const { storageClassName } = (o.body.spec ?? {}) as { storageClassName?: string };
    return storageClassName === undefined ? [] : [storageClassName];
  });
  const classes = await listMirrored(database, 'storageclasses', [...new Set(classNames)]);
  const volumes = await volumesAt(
    database,
    handles.map((h, i) => h.slice(0, at[i])),
    handles.map((h, i) => h.slice(at[i]! + 1)),
  );
  const there = new Map(objects.map((o) => [keyOf(o.plural, o.namespace, o.name), o.body]));
  const grows = new Map(
    classes.map((c) => [c.name, (c.body as { allowVolumeExpansion?: boolean }).allowVolumeExpansion === true]),
  );
  const volumeOf = new Map(volumes.map((v) => [v.handle, { size: v.bytes, heldBy: v.held_by }]));
  return {
    find: ({ kind, metadata: { namespace = '', name } }) => there.get(keyOf(plurals[kind]!, namespace, name)),
    hasNamespace: (name) => namespaces.includes(name),
    grows: (name) => grows.get(name),
    volumeAt: (handle) => volumeOf.get(handle),
    may: (what, namespace) =>
      person.role !== 'namespace-owner' || (what === 'claim' && person.namespaces.includes(namespace ?? '')),
  };
}
