import type { PlacementState } from '@moorage/contract/moorings';
import { toCorePool } from '@moorage/contract/pool-state';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { backendRate, promisableShare, rateFor } from '@moorage/core/performance/term';
import { copiesOffered, copiesOn, footprintFactor, thinState, type Pool } from '@moorage/core/pools/pool';
import { subscriptionRoom } from '@moorage/core/capacity/thin';
import { GiB, gibibytes, TiB, bytes } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';

/** Something a setting brings about; `foolish` ones want a second thought, `impossible` ones serve nobody. */
export interface Consequence {
  readonly text: string;
  readonly tone: 'plain' | 'foolish' | 'impossible';
}

const plain = (text: string): Consequence => ({ text, tone: 'plain' });
const foolish = (text: string): Consequence => ({ text, tone: 'foolish' });
const impossible = (text: string): Consequence => ({ text, tone: 'impossible' });
const names = (pools: readonly Pool[]): string => pools.map((p) => p.name).join(', ');
const iops = (value: number): string => `${Math.round(value).toLocaleString('en-GB')} IOPS`;

function copies(cls: StorageClass, pools: readonly Pool[]): Consequence[] {
  const able = pools.filter((p) => copiesOffered(p).most >= cls.copies);
  const unable = pools.filter((p) => copiesOffered(p).most < cls.copies);
  const counted = able.filter((p) => copiesOn(p, cls.copies) > 1);
  const found: Consequence[] = [];
  if (cls.copies === 1)
    found.push(foolish('One copy: where a pool keeps no inner copies, the loss of one disk loses the data.'));
  else
    found.push(
      plain(`${cls.copies - 1} failed ${cls.copies === 2 ? 'domain is' : 'domains are'} survived without loss.`),
    );
  if (cls.copies === 2 && counted.length > 0)
    found.push(foolish('Two copies without a witness: when they lose sight of each other, neither may write alone.'));
  for (const pool of counted) {
    const thin = thinState(pool, cls.copies);
    found.push(
      plain(
        `On ${pool.name} each byte takes ${footprintFactor(pool, cls.copies)}: ${sizeText(thin.usable)} usable, ${sizeText(subscriptionRoom(thin))} left to promise.`,
      ),
    );
  }
  const once = able.filter((p) => copiesOn(p, cls.copies) === 1);
  if (once.length > 0)
    found.push(plain(`On ${names(once)} a volume counts once; the copies are the pool's own affair.`));
  if (able.length === 0)
    found.push(impossible(`No pool can keep ${cls.copies} copies: every claim would stay pending.`));
  else if (unable.length > 0) found.push(plain(`Cannot be served by ${names(unable)}.`));
  return found;
}

const samples = [gibibytes(10), gibibytes(100), bytes(TiB)];

function speed(cls: StorageClass, pools: readonly Pool[]): Consequence[] {
  const { iopsFloor, iopsCeiling, writeShare } = cls;
  const found: Consequence[] = [];
  if (!iopsFloor) found.push(plain('Nothing is reserved: a claim gets what others leave.'));
  else
    found.push(
      plain(`Reserved: ${samples.map((s) => `${iops(rateFor(iopsFloor, s))} at ${sizeText(s)}`).join(', ')}.`),
    );
  if (iopsCeiling)
    found.push(
      plain(
        `Let through at most: ${samples.map((s) => `${iops(rateFor(iopsCeiling, s))} at ${sizeText(s)}`).join(', ')}.`,
      ),
    );
  if (iopsFloor && iopsCeiling && samples.some((s) => rateFor(iopsFloor, s) > rateFor(iopsCeiling, s)))
    found.push(
      impossible('The floor is above the ceiling at some sizes: a pool cannot give more than it lets through.'),
    );
  if (iopsFloor) {
    const floor = rateFor(iopsFloor, bytes(100 * GiB));
    for (const pool of pools.filter((p) => copiesOffered(p).most >= cls.copies)) {
      const cost = backendRate(floor, copiesOn(pool, cls.copies), pool.amplification, writeShare);
      const left = Math.max(0, promisableShare * pool.iops - pool.promisedIops);
      const many = cost > 0 ? Math.floor(left / cost) : Infinity;
      const text = `${pool.name}: ${iops(floor)} cost ${iops(cost)} there; ${many.toLocaleString('en-GB')} claims of 100 GiB can be promised it.`;
      found.push(many === 0 ? foolish(text) : plain(text));
    }
  }
  return found;
}

function keeping(cls: StorageClass, pools: readonly Pool[]): Consequence[] {
  const found: Consequence[] = [];
  if (cls.encrypted) {
    const unable = pools.filter((p) => !p.encryption);
    if (unable.length === pools.length) found.push(impossible('No pool encrypts: every claim would stay pending.'));
    else
      found.push(
        plain(unable.length ? `Shuts out ${names(unable)}, which cannot encrypt.` : 'Every pool can encrypt.'),
      );
  } else found.push(plain('Encrypted only where the pool does so by itself.'));
  if (cls.zones.length > 0) found.push(plain(`Volumes can be used from ${cls.zones.join(', ')} only.`));
  return found;
}

function ending(cls: StorageClass, pools: readonly Pool[]): Consequence[] {
  const found: Consequence[] = [];
  found.push(
    cls.reclaim === 'Delete'
      ? foolish('Deleting a claim destroys its data at once.')
      : plain(
          'When a claim is deleted its volume is kept, adrift: it still counts, and can be given to a claim again.',
        ),
  );
  found.push(
    cls.binding === 'Immediate'
      ? plain('A claim gets its volume at once, before anyone knows where the pod will run.')
      : plain('A claim waits for its first pod; its volume is placed to suit that pod.'),
  );
  const rigid = pools.filter((p) => !p.expansion);
  if (!cls.expansion) found.push(plain('Volumes keep their size for good; a claim that is too small must be moved.'));
  else
    found.push(
      plain(
        rigid.length
          ? `Shuts out ${names(rigid)}, whose volumes cannot grow.`
          : 'Claims may grow later; they never shrink.',
      ),
    );
  return found;
}

export interface Consequences {
  readonly copies: Consequence[];
  readonly speed: Consequence[];
  readonly keeping: Consequence[];
  readonly ending: Consequence[];
}

/** What a class would bring about on the live state, question by question. */
export function consequencesOf(cls: StorageClass, state: PlacementState): Consequences {
  const pools = state.pools.map(toCorePool);
  return {
    copies: copies(cls, pools),
    speed: speed(cls, pools),
    keeping: keeping(cls, pools),
    ending: ending(cls, pools),
  };
}
