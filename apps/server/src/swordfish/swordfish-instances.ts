import type { z } from 'zod';
import { BackendProblem, type WantedInstance } from './connector';
import type { BackendHttp } from './http';
import { expand } from './links';
import type { PoolFacts } from '@moorage/contract/backends';
import {
  allocatedPoolsSchema,
  collectionSchema,
  instanceCapabilitiesSchema,
  instanceSchema,
  poolSchema,
  volumeSchema,
  type PoolResource,
  type VolumeResource,
} from './schemas';
import { numbersFrom } from './swordfish-view';

type InstanceResource = z.infer<typeof instanceSchema>;
type SoldAs = Omit<NonNullable<PoolFacts['instances']>, 'sold'>;

/** What is carved out of where: the pools that others are sold within, by the paths of those. */
export class InstancePaths {
  private readonly byName = new Map<string, string>();
  private readonly known = new Map<string, { readonly pool: string; readonly instance: string }>();

  keep(pool: string, instances: readonly { readonly name: string; readonly path: string }[]): void {
    for (const { name, path } of instances) {
      this.known.set(path, { pool, instance: name });
      this.byName.set(`${pool}/${name}`, path);
    }
  }

  of = (pool: string, instance: string): string | undefined => this.byName.get(`${pool}/${instance}`);

  at = (path: string | undefined): { readonly pool: string; readonly instance: string } | undefined =>
    path === undefined ? undefined : this.known.get(path);
}

/** Pools that are sold in parts: the parts are pools of their own, allocated from them. */
export class SwordfishInstances {
  private readonly sizes = new Map<string, SoldAs>();
  private readonly folders = new Map<string, { readonly folder: string; readonly pool: string }>();

  constructor(
    private readonly http: BackendHttp,
    private readonly paths: InstancePaths,
  ) {}

  /** How a pool is sold, and what of it is; undefined where it is not sold in parts. */
  async fetch(pool: PoolResource, volumes: readonly VolumeResource[]): Promise<PoolFacts['instances']> {
    const path = pool.AllocatedPools?.['@odata.id'];
    const soldAs = path === undefined ? undefined : await this.soldAs(path);
    if (path === undefined || !soldAs) return undefined;
    const { Members } = await this.http.get(path + expand, collectionSchema(instanceSchema));
    const inside = new Map<string, number>();
    for (const v of volumes) {
      const at = v.CapacitySources[0]?.ProvidingPools[0]?.['@odata.id'];
      if (at !== undefined) inside.set(at, (inside.get(at) ?? 0) + v.CapacityBytes);
    }
    const sold = Members.map((m) => ({
      ...{ name: m.Id, path: m['@odata.id'], bytes: m.Capacity.Data.AllocatedBytes },
      used: inside.get(m['@odata.id']) ?? 0,
    }));
    this.paths.keep(pool.Id, sold);
    return { ...soldAs, sold };
  }

  private async soldAs(path: string): Promise<SoldAs | undefined> {
    const known = this.sizes.get(path);
    if (known) return known;
    const collection = await this.http.get(path, allocatedPoolsSchema);
    const [offered] = collection['@Redfish.CollectionCapabilities']?.Capabilities ?? [];
    if (!offered) return undefined;
    const said = await this.http.get(offered.CapabilitiesObject['@odata.id'], instanceCapabilitiesSchema);
    const numbers = numbersFrom(said.Capacity?.Data?.['ProvisionedBytes@Redfish.AllowableNumbers'], 'instances');
    if (!numbers) return undefined;
    const soldAs = { minimum: numbers.minimum, step: numbers.granule, maximum: numbers.maximum };
    this.sizes.set(path, soldAs);
    return soldAs;
  }

  /** Where the instances of a pool are, and its name: read once. */
  private async folderOf(poolPath: string): Promise<{ readonly folder: string; readonly pool: string }> {
    const known = this.folders.get(poolPath);
    if (known) return known;
    const { AllocatedPools, Id: pool } = await this.http.get(poolPath, poolSchema);
    if (!AllocatedPools) throw new BackendProblem('refused', 'the pool is not sold in instances');
    const found = { folder: AllocatedPools['@odata.id'], pool };
    this.folders.set(poolPath, found);
    return found;
  }

  /** An instance by its name: where it was last time, or among all of its pool. */
  private async find(poolPath: string, name: string): Promise<InstanceResource | undefined> {
    const { folder, pool } = await this.folderOf(poolPath);
    const path = this.paths.of(pool, name);
    try {
      if (path !== undefined) return await this.http.get(path, instanceSchema);
    } catch (error) {
      if (!(error instanceof BackendProblem && error.code === 'not-found')) throw error;
    }
    const { Members } = await this.http.get(folder + expand, collectionSchema(instanceSchema));
    const found = Members.find((m) => m.Id === name);
    if (found) this.paths.keep(pool, [{ name, path: found['@odata.id'] }]);
    return found;
  }

  async ensure({ poolPath, name, bytes }: WantedInstance): Promise<{ path: string; bytes: number }> {
    const known = await this.find(poolPath, name);
    const sized = (of: InstanceResource) => ({ path: of['@odata.id'], bytes: of.Capacity.Data.AllocatedBytes });
    if (known && known.Capacity.Data.AllocatedBytes >= bytes) return sized(known);
    const size = { Capacity: { Data: { ProvisionedBytes: bytes } } };
    if (known) await this.http.call('enlarge instance', 'PATCH', known['@odata.id'], size);
    else {
      const { folder } = await this.folderOf(poolPath);
      await this.http.call('buy instance', 'POST', folder, { Name: name, ...size });
    }
    const found = await this.find(poolPath, name);
    if (!found || found.Capacity.Data.AllocatedBytes < bytes)
      throw new BackendProblem(
        'nonsense',
        `the backend took ${bytes} bytes for instance ${name}, and does not list them`,
      );
    return sized(found);
  }

  async ensureGone(poolPath: string, name: string): Promise<void> {
    const found = await this.find(poolPath, name);
    if (!found) return;
    try {
      await this.http.call('give instance back', 'DELETE', found['@odata.id']);
    } catch (error) {
      if (!(error instanceof BackendProblem && error.code === 'not-found')) throw error;
    }
  }

  /** Lets a volume lie in an instance; gives how far it has come, percent. */
  async move(volumePath: string, instancePath: string): Promise<number> {
    const before = await this.progress(volumePath, instancePath);
    if (before === 100) return before;
    await this.http.call('move volume', 'PATCH', volumePath, {
      CapacitySources: [{ ProvidingPools: [{ '@odata.id': instancePath }] }],
    });
    return this.progress(volumePath, instancePath);
  }

  private async progress(volumePath: string, instancePath: string): Promise<number> {
    const { CapacitySources, Operations } = await this.http.get(volumePath, volumeSchema);
    const moving = Operations.find((o) => o.OperationName === 'Move');
    if (moving) return Math.min(99, moving.PercentageComplete ?? 0);
    return CapacitySources[0]?.ProvidingPools[0]?.['@odata.id'] === instancePath ? 100 : 0;
  }
}
