import fc from 'fast-check';
import { bytes, GiB } from '../sizes/bytes';
import type { InventoryDisk } from './disk';

/** A bare, well disk; `part` changes it. */
export const aDisk = (id: string, node: string, part: Partial<InventoryDisk> = {}): InventoryDisk => ({
  id,
  lasting: true,
  node,
  rack: `rack-of-${node}`,
  zone: 'north',
  media: 'SSD',
  capacity: bytes(3840 * GiB),
  works: true,
  failing: false,
  lifeLeft: 100,
  use: 'free',
  ...part,
});

/** Random inventories with everything that makes a disk unfit. */
export const inventories: fc.Arbitrary<InventoryDisk[]> = fc
  .array(
    fc.record({
      node: fc.integer({ min: 1, max: 7 }),
      rack: fc.integer({ min: 1, max: 3 }),
      media: fc.constantFrom('SSD', 'SSD', 'HDD'),
      capacity: fc.constantFrom(50, 400, 1600, 3840, 7680).map((g) => bytes(g * GiB)),
      works: fc.constantFrom(true, true, false),
      failing: fc.constantFrom(false, false, false, true),
      lifeLeft: fc.constantFrom(100, 80, 5),
      lasting: fc.constantFrom(true, true, true, false),
      use: fc.constantFrom('free', 'free', 'free', 'system', 'mounted', 'partitioned', 'owned'),
    }),
    { maxLength: 40 },
  )
  .map((disks) =>
    disks.map((d, i): InventoryDisk => ({
      ...d,
      id: `eui.${i.toString(16).padStart(4, '0')}`,
      node: `node-${d.node}`,
      rack: `rack-${d.rack}`,
      zone: 'north',
      use: d.use as InventoryDisk['use'],
    })),
  );
