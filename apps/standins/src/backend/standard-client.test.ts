import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { backendSeeds } from '../backend-seeds';
import { startBackend } from '../start';

const run = promisify(execFile);

interface Found {
  readonly version: string;
  readonly systems: string[];
  readonly chassis: string[];
  readonly drives: [string, number, string][];
  readonly volumes: [string, number][];
}
interface Resource {
  readonly Name: string;
  readonly Members: { readonly '@odata.id': string }[];
  readonly Capacity: { readonly Data: { readonly AllocatedBytes: number } };
}

/** Clients for the standard that nobody here wrote, out of Debian's packages. */
describe.each(['basalt', 'kelp', 'gneiss', 'limpet', 'eddy'] as const)('%s', (name) => {
  const seed = backendSeeds[name]();
  let box: Awaited<ReturnType<typeof startBackend>>;
  beforeAll(async () => {
    box = await startBackend(seed);
  });
  afterAll(() => box.stop());

  test('is read by a foreign client: service root, systems, chassis, drives and volumes', async () => {
    const program = join(__dirname, 'standard-client.py');
    const { stdout } = await run('/usr/bin/python3', [program, box.url, seed.user, seed.password], { maxBuffer: 1e7 });
    const found = JSON.parse(stdout) as Found;
    expect(found.version).toBe('1.20.0');
    expect(found.systems).toEqual([name, ...seed.nodes]);
    expect(found.chassis).toEqual([...seed.nodes]);
    expect(found.drives.map(([id, bytes, media]) => [id, bytes, media]).sort()).toEqual(
      seed.drives.map((d) => [d.id, d.capacity, d.media]).sort(),
    );
    expect(found.volumes).toHaveLength(seed.drives.filter((d) => d.use).length);
  });

  test('its pools are read by another', async () => {
    const get = async (path: string): Promise<Resource> => {
      const access = ['-r', new URL(box.url).host, '-S', 'Never', '-A', 'Basic', '-u', seed.user, '-p', seed.password];
      const { stdout } = await run('redfishtool', [...access, 'raw', 'GET', path]);
      return JSON.parse(stdout) as Resource;
    };
    const { Members } = await get(`/redfish/v1/Storage/${name}/StoragePools`);
    expect(Members.map((m) => m['@odata.id'].split('/').pop())).toEqual(seed.pools.map((p) => p.id));
    for (const member of Members)
      expect((await get(member['@odata.id'])).Capacity.Data.AllocatedBytes).toBeGreaterThan(0);
  });
});
