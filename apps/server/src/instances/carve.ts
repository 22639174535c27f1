import type { Carving, FreeInstance } from '@moorage/contract/instances';
import { carve, whatWouldFree } from '@moorage/core/shares/carve';
import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { beginOperations } from '../operations/operations';
import { instances } from '../pools/instance-model';
import { pools } from '../pools/pool-model';
import { livePools, type LivePool } from '../pools/pools';
import { Refusal } from '../refusals/refusal';
import { asRecords } from '../database/statement';
import { beginShifts, carvedShares, sendShares, sharesInside, type CarvedShare } from './instances.sql';
import { givingBack } from './kinds';

/** Shares that are looked at for one pool, and moved at once. */
const most = { looked: 20_000, moved: 500, instances: 5_000 };

const byInstance = (shares: readonly CarvedShare[]): Map<string, CarvedShare[]> => {
  const inside = new Map<string, CarvedShare[]>();
  for (const share of shares) {
    const there = inside.get(share.instance);
    if (there) there.push(share);
    else inside.set(share.instance, [share]);
  }
  return inside;
};

/** A share may move when its volume is there and nobody else does anything with it. */
const maySend = ({ state, instance_to }: CarvedShare): boolean =>
  (state === 'bound' || state === 'adrift') && instance_to === null;

async function poolSoldInInstances(database: Database, id: string): Promise<LivePool> {
  const [pool] = await livePools(database, [id]);
  if (!pool) throw Refusal.notFound('pool', id);
  if (!pool.facts.instances)
    throw new Refusal('not-found', 'no-instances', 'No instances', `The pool ${id} is not sold in instances.`);
  return pool;
}

/** Instances of a pool, what is carved out of each, how few would do, and what would free one. */
export async function getCarving(database: Database, id: string): Promise<Carving> {
  const pool = await poolSoldInInstances(database, id);
  const { sold, ...sizes } = pool.facts.instances!;
  const bought = await instances.in(database).findAll({
    raw: true,
    where: { poolId: id },
    order: [['id', 'ASC']],
    limit: most.instances,
  });
  const found = await carvedShares(database, id, most.looked + 1);
  const shares = found.slice(0, most.looked);
  const inside = byInstance(shares);
  const names = new Set(bought.map((i) => i.id));
  const listed = new Set(sold.map((s) => s.name));
  const fresh = carve(
    shares.map((s) => ({ id: s.volume_name, size: s.bytes })),
    sizes,
  );
  return {
    ...{ pool: id, sizes },
    instances: [
      ...bought.map((i) => ({
        ...{ id: i.id, bytes: i.bytes, used: i.used, shares: inside.get(i.id)?.length ?? 0 },
        ...{ listed: listed.has(i.id), leaving: i.leaving, since: i.createdAt.toISOString() },
      })),
      ...sold
        .filter((s) => !names.has(s.name))
        .slice(0, most.instances)
        .map(({ name, bytes, used }) => ({
          ...{ id: name, bytes, used, shares: null },
          ...{ listed: true, leaving: false, since: null },
        })),
    ],
    shares: shares.length,
    used: shares.reduce((sum, s) => sum + s.bytes, 0),
    bought: bought.reduce((sum, i) => sum + i.bytes, 0),
    ...{ atLeast: fresh.bound, more: found.length > most.looked },
    anew: { instances: fresh.instances.length, bytes: fresh.instances.reduce((sum, i) => sum + i.size, 0) },
    freeing: freeingOf(
      bought.filter((i) => !i.leaving),
      inside,
    ),
  };
}

/** The fewest moves that free an instance; what cannot move keeps its instance where it is. */
function freeingOf(
  bought: readonly { readonly id: string; readonly bytes: number; readonly used: number }[],
  inside: ReadonlyMap<string, readonly CarvedShare[]>,
): Carving['freeing'] {
  const reckoned = bought.map((i) => ({
    ...{ id: i.id, size: i.bytes, used: i.used },
    shares: (inside.get(i.id) ?? []).map((s) => ({ ...s, id: s.volume_name, size: s.bytes })),
  }));
  const found = whatWouldFree(
    reckoned,
    (i) => i.shares.length <= most.moved && i.shares.every(maySend) && i.used === sumOf(i.shares),
  );
  if (!found) return null;
  const claims = new Map(reckoned[found.frees]!.shares.map((s) => [s.id, s]));
  return {
    ...{ instance: reckoned[found.frees]!.id, bytes: found.bytes },
    moves: found.moves.map(({ share, to }) => {
      const { claim, bytes } = claims.get(share)!;
      return { volume: share, claim, bytes, to: reckoned[to]!.id };
    }),
  };
}

const sumOf = (shares: readonly { readonly size: number }[]): number => shares.reduce((sum, s) => sum + s.size, 0);

/** Moves the shares of an instance as it was shown, and gives it back; refused when things are not as they were shown. */
export async function freeInstance(
  database: Database,
  poolId: string,
  id: string,
  { moves }: FreeInstance,
  person: string,
  carry: (operations: readonly string[]) => void,
): Promise<Carving> {
  await poolSoldInInstances(database, poolId);
  const about = `${poolId}/${id}`;
  const refuse = (detail: string) =>
    new Refusal('conflict', 'cannot-free', 'The instance cannot be freed so', `${detail} Nothing was changed.`);
  const begun = await database.transaction(async () => {
    // decisions about the pool take turns: nothing is carved out of any instance meanwhile
    await pools.in(database).findByPk(poolId, { lock: true });
    const table = instances.in(database);
    const all = await table.findAll({ raw: true, where: { poolId }, limit: most.instances });
    const instance = all.find((i) => i.id === id);
    if (!instance) throw Refusal.notFound('instance', about);
    const shares = await sharesInside(database, poolId, id, most.moved + 1);
    const to = new Map(moves.map((m) => [m.volume, m.to]));
    if (instance.leaving) throw refuse(`${about} is being given back already.`);
    const other = shares.find((s) => !to.has(s.volume_name));
    if (other) throw refuse(`The share of ${other.claim} lies there as well, and was not shown when this was planned.`);
    if (shares.length !== to.size) throw refuse('A share that was shown there is gone.');
    const held = shares.find((s) => !maySend(s));
    if (held) throw refuse(`The share of ${held.claim} is being made, moved or given to another claim.`);
    if (instance.used !== shares.reduce((sum, s) => sum + s.bytes, 0)) throw refuse('A share is on its way there.');
    const left = new Map(all.filter((i) => !i.leaving && i.id !== id).map((i) => [i.id, i.bytes - i.used]));
    for (const { volume_name, bytes, claim } of shares) {
      const at = to.get(volume_name)!;
      const room = left.get(at) ?? 0;
      if (room < bytes) throw refuse(`${at} has no room for the share of ${claim} any more.`);
      left.set(at, room - bytes);
    }
    await table.update({ leaving: true }, { where: { poolId, id } });
    const sent = shares.map((s) => ({ claim_uid: s.claim_uid, to_instance: to.get(s.volume_name)! }));
    await sendShares(database, poolId, asRecords(sent));
    const shifts = await beginShifts(database, poolId, id, person);
    const busy = shares.find((s) => !shifts.some((b) => b.about === s.claim));
    if (busy) throw refuse(`${busy.claim} is growing, or is being changed otherwise.`);
    const given = await beginOperations(database, givingBack, [about], { about, person });
    await record(database, {
      ...{ person, action: 'delete', kind: 'instance', subject: about },
      after: { moves: shares.map((s) => ({ claim: s.claim, to: to.get(s.volume_name) })) },
    });
    await announce(database, [{ topic: 'pools', subject: poolId }, { topic: 'operations' }]);
    return [...shifts.map((s) => s.id), ...given];
  });
  carry(begun);
  return getCarving(database, poolId);
}
