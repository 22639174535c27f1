import { fromManifest, provisioner } from '@moorage/core/classes/manifest';
import type { GrowthInput, Held } from '@moorage/core/placement/growth';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { claimToDecide } from '../binder/choose.sql';
import { factsFor } from '../binder/facts';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { reservationCopies } from '../reservations/reservation-model';
import { furtherCopiesOf, reservedFor, type FurtherCopy, type Reserved } from '../reservations/reservation.sql';

export interface GrowthFacts {
  readonly input: GrowthInput;
  readonly reserved: Reserved;
  readonly further: readonly FurtherCopy[];
}

/** Everything that a growth rests on; what stands in the way before anything is reckoned: the claim is gone, or its class is. */
export async function factsToGrow(
  database: Database,
  site: string,
  uid: string,
  lock?: 'lock',
): Promise<GrowthFacts | 'claim-gone' | 'class-gone'> {
  const claim = await first(claimToDecide(database, uid));
  const reserved = await first(reservedFor(database, uid));
  if (!claim || !reserved || claim.body.metadata.deletionTimestamp || claim.phase !== 'Bound') return 'claim-gone';
  if (claim.class?.provisioner !== provisioner) return 'class-gone';
  const further = await furtherCopiesOf(database, uid);
  const disks = await reservationCopies.in(database).findAll({
    attributes: ['poolId', 'disk'],
    where: { claimUid: uid, role: 'data' },
    order: [['disk', 'ASC']],
    limit: 100,
    raw: true,
  });
  const held = (at: Reserved | FurtherCopy): Held => ({
    pool: at.pool_id,
    provisioned: at.bytes as Bytes,
    backendIops: at.backend_iops,
    backendThroughput: at.backend_throughput,
    disks: disks.filter((d) => d.poolId === at.pool_id).map((d) => d.disk),
    ...('mode' in at && { further: at.mode }),
  });
  const { storageClass } = fromManifest(claim.class);
  const pools = [reserved, ...further].map((p) => p.pool_id);
  const input = await factsFor(database, site, claim, storageClass, lock, pools);
  return { input: { ...input, held: [held(reserved), ...further.map(held)] }, reserved, further };
}
