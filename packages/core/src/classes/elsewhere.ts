import type { StorageClass } from './storage-class';

const singles = new WeakMap<StorageClass, StorageClass>();
const offsites = new WeakMap<StorageClass, StorageClass>();
/** One object for each class, so that what was worked out for it stays good. */
function keptIn(
  kept: WeakMap<StorageClass, StorageClass>,
  cls: StorageClass,
  made: Partial<StorageClass>,
): StorageClass {
  let other = kept.get(cls);
  if (!other) kept.set(cls, (other = { ...cls, ...made }));
  return other;
}

/** The class without copies elsewhere: what it asks of the pool that keeps its second copy. */
export const singleOf = (cls: StorageClass): StorageClass =>
  keptIn(singles, cls, { secondCopy: false, offsite: false });

/** What a class asks of the pool that keeps its off-site copy: at most two whole copies, since the first volume is kept as well. */
export const offsiteClass = (cls: StorageClass): StorageClass =>
  keptIn(offsites, cls, {
    secondCopy: false,
    offsite: false,
    copies: Math.min(2, cls.copies),
    shards: undefined,
    level: 'node',
    witness: false,
    pinnedNodes: [],
    zones: [],
    locality: false,
    iopsFloor: undefined,
    iopsCeiling: undefined,
    throughputFloor: undefined,
    throughputCeiling: undefined,
    protocols: [],
    compression: false,
    deduplication: false,
    safeguard: undefined,
  });
