import type { PoolShapeRow } from '@moorage/contract/reshapes';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';
import { pools } from '../pools/pool-model';
import { Refusal } from '../refusals/refusal';
import { volumesOn } from './pool-shape.sql';

/** Share of a pool's throughput that moving data is given, when nothing is known of what it will be. */
const movingShare = 0.25;

/** A pool as a change to its disks sees it: its disks with what is on them, and where each volume's copies lie. */
export async function getPoolShape(
  database: Database,
  sight: Sight,
  backend: string,
  pool: string,
): Promise<PoolShapeRow> {
  const row = await pools
    .in(database)
    .scope('listed')
    .findOne({ where: { id: pool, backendId: backend } });
  if (!row) throw Refusal.notFound('pool', pool);
  const { redundancy, disks, throughput, consumedRaw } = row.facts;
  if (redundancy.kind !== 'spread')
    throw new Refusal(
      'conflict',
      'no-disks',
      'Not of disks',
      `The pool "${pool}" does not tell of its disks; its array looks after them.`,
    );
  const volumes = await volumesOn(database, backend, pool);
  const use = new Map<string, { provisioned: number; written: number }>();
  for (const volume of volumes)
    for (const disk of volume.disks) {
      const held = use.get(disk) ?? { provisioned: 0, written: 0 };
      use.set(disk, { provisioned: held.provisioned + volume.bytes, written: held.written + volume.written });
    }
  const placed = redundancy.scheme.kind === 'copies';
  return {
    pool,
    scheme: redundancy.scheme,
    level: redundancy.level,
    disks: disks.map((d) => ({
      id: d.id,
      node: d.node,
      domain: d[redundancy.level],
      capacity: d.capacity,
      provisioned: use.get(d.id)?.provisioned ?? 0,
      written: use.get(d.id)?.written ?? 0,
    })),
    volumes: placed
      ? volumes
          .filter((v) => sight.isWhole || (v.namespace !== null && sight.sees(v.namespace)))
          .map(({ namespace: _namespace, ...v }) => v)
      : [],
    writtenRaw: placed ? 0 : consumedRaw,
    rate: Math.max(1, throughput * movingShare),
  };
}
