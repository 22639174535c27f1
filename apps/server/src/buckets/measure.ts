import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { BackendProblem } from '../swordfish/connector';
import type { ObjectStore } from '../swordfish/object-store';
import { buckets, type BucketModel } from './bucket-model';
import { bucketsToMeasure } from './buckets.sql';
import { admit } from './keys';

/** Pages of a thousand objects that are counted of one bucket in one round. */
const pagesAtOnce = 10;

/**
 * Counts what lies in some buckets, those first that were not counted for longest: the protocol tells no sum, so their objects are
 * listed, a few pages in each round. A bucket that holds as much as it may is shut for writing until it holds less.
 */
export async function measureSome(database: Database, backends: Backends, everyS: number): Promise<void> {
  for (const { claim_uid, backend_id } of await bucketsToMeasure(database, everyS)) {
    const bucket = await buckets.in(database).findByPk(claim_uid);
    if (!bucket) continue;
    try {
      await measure(database, (await backends.connector(backend_id)).objects, bucket);
    } catch (error) {
      if (!(error instanceof BackendProblem)) throw error;
      // its backend's own finding tells of it; others are counted meanwhile
      await bucket.update({ measuredAt: new Date(), measuring: null });
    }
  }
}

async function measure(database: Database, objects: ObjectStore, bucket: BucketModel): Promise<void> {
  let { after, bytes, objects: count } = bucket.measuring ?? { after: undefined, bytes: 0, objects: 0 };
  for (let pages = 0; pages < pagesAtOnce; pages++) {
    const page = await objects.fetchObjects(bucket.name, after);
    if (!page) return noteMissing(database, bucket);
    bytes += page.bytes;
    count += page.keys.length;
    if (!Number.isSafeInteger(bytes))
      throw new BackendProblem('nonsense', `what it lists of ${bucket.name} is larger than anything that is`);
    after = page.next;
    if (after === undefined) return note(database, objects, bucket, bytes, count);
  }
  await bucket.update({ measuring: { after: after!, bytes, objects: count } });
}

/** Its backend does not have it: what it held last stays told, and nothing is made in its place. */
async function noteMissing(database: Database, bucket: BucketModel): Promise<void> {
  const isNews = bucket.missingSince === null;
  await bucket.update({ missingSince: bucket.missingSince ?? new Date(), measuredAt: new Date(), measuring: null });
  if (isNews) await announce(database, [{ topic: 'buckets' }, { topic: 'namespaces', subject: bucket.namespace }]);
}

async function note(
  database: Database,
  objects: ObjectStore,
  bucket: BucketModel,
  written: number,
  count: number,
): Promise<void> {
  const shut = written >= bucket.bytes;
  const changed =
    written !== bucket.written || count !== bucket.objects || shut !== bucket.shut || bucket.missingSince !== null;
  await bucket.update({ written, objects: count, shut, missingSince: null, measuredAt: new Date(), measuring: null });
  // again each time: one that was killed here, or a key that was given meanwhile, must leave it neither open nor shut for good
  if (bucket.state === 'ready') await admit(database, objects, bucket);
  if (changed) await announce(database, [{ topic: 'buckets' }, { topic: 'namespaces', subject: bucket.namespace }]);
}
