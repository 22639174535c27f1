import type { Journal } from '../journal';
import { missing, notFound, RedfishError } from './errors';
import type { Volume } from './resources';
import type { InstanceSeed, PoolSeed } from './seed';

/** What a pool was sold out of: a pool within it, of a size that is paid for whether anything lies in it or not. */
export interface Instance extends InstanceSeed {
  readonly pool: string;
}

/** An instance as one sends it. */
export interface InstanceBody {
  readonly Name?: unknown;
  readonly Capacity?: { readonly Data?: { readonly ProvisionedBytes?: unknown } };
}

/** Where in the box an instance is: named by its pool and its own name. */
const keyOf = (pool: string, id: string): string => `${pool}/${id}`;

function sizeOf(body: InstanceBody, { sold }: PoolSeed): number {
  const size = body.Capacity?.Data?.ProvisionedBytes;
  if (size === undefined) throw missing('Capacity/Data/ProvisionedBytes');
  const { minimum, step, maximum } = sold!;
  const isSold =
    typeof size === 'number' && size >= minimum && size <= maximum && Number.isInteger((size - minimum) / step);
  if (!isSold)
    throw new RedfishError(
      400,
      'PropertyValueNotInList',
      `The value '${String(size)}' for the property ProvisionedBytes is not in the list of acceptable values.`,
    );
  return size;
}

/** Instances of the pools that are sold in them, and what is carved out of each; journalled. */
export class Instances {
  private readonly all = new Map<string, Instance>();

  constructor(
    pools: readonly PoolSeed[],
    private readonly journal: Journal,
    private readonly volumes: ReadonlyMap<string, Volume>,
  ) {
    for (const pool of pools)
      for (const instance of pool.sold?.from ?? [])
        this.all.set(keyOf(pool.id, instance.id), { pool: pool.id, ...instance });
  }

  /** As the journal tells: null for one that was given back. */
  recall(key: string, instance: Instance | null): void {
    if (instance) this.all.set(key, instance);
    else this.all.delete(key);
  }

  of(pool: string): Instance[] {
    return [...this.all.values()].filter((i) => i.pool === pool);
  }

  get(pool: string, id: string): Instance {
    const found = this.all.get(keyOf(pool, id));
    if (!found) throw notFound('StoragePool', id);
    return found;
  }

  /** Those that lie in it, or are on their way there. */
  inside({ pool, id }: Instance): Volume[] {
    return [...this.volumes.values()].filter((v) => v.pool === pool && (v.instance === id || v.onTheWay === id));
  }

  left(instance: Instance): number {
    return instance.capacity - this.inside(instance).reduce((sum, v) => sum + v.capacity, 0);
  }

  private save(instance: Instance): void {
    const key = keyOf(instance.pool, instance.id);
    this.all.set(key, instance);
    this.journal.put(`instance/${key}`, instance);
  }

  private assertSellable(pool: PoolSeed, more: number): void {
    const sold = this.of(pool.id).reduce((sum, i) => sum + i.capacity, 0);
    if (sold + more > (pool.usable ?? 0))
      throw new RedfishError(507, 'InsufficientStorage', `Insufficient storage: pool '${pool.id}' is sold out.`);
  }

  buy(pool: PoolSeed, body: InstanceBody): Instance {
    const { Name: id } = body;
    if (!pool.sold)
      throw new RedfishError(400, 'ActionNotSupported', `Pool '${pool.id}' is not sold in parts of its own.`);
    if (typeof id !== 'string' || !/^[\w.-]{1,100}$/.test(id)) throw missing('Name');
    if (this.all.has(keyOf(pool.id, id)))
      throw new RedfishError(
        409,
        'ResourceAlreadyExists',
        `The requested resource of type StoragePool with the property Name with the value '${id}' already exists.`,
      );
    const capacity = sizeOf(body, pool);
    this.assertSellable(pool, capacity);
    const instance = { id, pool: pool.id, capacity };
    this.save(instance);
    return instance;
  }

  /** Made larger; instances do not shrink. */
  enlarge(pool: PoolSeed, id: string, body: InstanceBody): Instance {
    const before = this.get(pool.id, id);
    const capacity = sizeOf(body, pool);
    if (capacity < before.capacity)
      throw new RedfishError(
        400,
        'PropertyValueOutOfRange',
        `The value '${capacity}' for the property ProvisionedBytes is below what the pool has.`,
      );
    this.assertSellable(pool, capacity - before.capacity);
    const after = { ...before, capacity };
    this.save(after);
    return after;
  }

  giveBack(pool: string, id: string): void {
    const instance = this.get(pool, id);
    if (this.inside(instance).length > 0)
      throw new RedfishError(409, 'ResourceInUse', `Pool '${id}' still holds volumes and cannot be removed.`);
    this.all.delete(keyOf(pool, id));
    this.journal.put(`instance/${keyOf(pool, id)}`, null);
  }

  /** The instance that a volume is to lie in, with room for so much more; undefined in a pool that is not sold in them. */
  assertRoom(pool: PoolSeed, id: string | undefined, more: number): void {
    if (!pool.sold) return;
    if (id === undefined)
      throw new RedfishError(
        400,
        'PropertyValueConflict',
        `Pool '${pool.id}' takes no volumes itself: one of its allocated pools does.`,
      );
    if (this.left(this.get(pool.id, id)) < more)
      throw new RedfishError(507, 'InsufficientStorage', `Insufficient storage: pool '${id}' has no room for it.`);
  }
}
