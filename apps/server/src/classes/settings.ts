import type { StorageClass } from '@moorage/core/classes/storage-class';
import { Refusal } from '../refusals/refusal';

/** Refuses what contradicts itself, before the platform is asked. */
export function assertClass(storageClass: StorageClass): void {
  const above = (member: 'iops' | 'throughput') => {
    const [floor, ceiling] =
      member === 'iops'
        ? [storageClass.iopsFloor, storageClass.iopsCeiling]
        : [storageClass.throughputFloor, storageClass.throughputCeiling];
    return floor?.kind === 'fixed' && ceiling?.kind === 'fixed' && floor.value > ceiling.value;
  };
  for (const member of ['iops', 'throughput'] as const)
    if (above(member))
      throw Refusal.invalid(
        `${member}Floor`,
        'The floor is above the ceiling: the pool would have to give more than it lets through.',
      );
  if (storageClass.witness && (storageClass.copies !== 2 || storageClass.shards))
    throw Refusal.invalid('witness', 'A witness decides between two copies; with another number it has no use.');
  if (storageClass.purpose === 'shared-files' && storageClass.volumeMode === 'Block')
    throw Refusal.invalid(
      'volumeMode',
      'Files that many nodes write need a file system: raw block devices are for one writer node.',
    );
}
