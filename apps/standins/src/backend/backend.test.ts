import { kelpSeed } from '../backend-seeds';
import { startBackend } from '../start';

interface ReplicaTarget {
  readonly ReplicaInfo: { readonly ReplicaState: string; readonly PercentSynced: number };
}
/** What the tests read of resources of whatever type, as the wire has them, or of a refusal. */
interface Resource {
  readonly Id: string;
  readonly '@odata.id': string;
  readonly Members: (Resource & { readonly [member: string]: unknown })[];
  readonly ReplicaTargets: ReplicaTarget[];
  readonly Capacity: { readonly Data: { readonly ProvisionedBytes: number } };
  readonly Status: { readonly Health: string };
  readonly error: { readonly code: string; readonly '@Message.ExtendedInfo': { readonly Message: string }[] };
  readonly [member: string]: unknown;
}

const GiB = 2 ** 30;
let kelp: Awaited<ReturnType<typeof startBackend>>;
beforeAll(async () => {
  kelp = await startBackend({ ...kelpSeed(), createMs: 5 });
});
afterAll(() => kelp.stop());

const basic = `Basic ${Buffer.from('moorage:holdfast').toString('base64')}`;
async function call(method: string, path: string, body?: unknown, authorization: string = basic) {
  const response = await fetch(kelp.url + path, {
    method,
    headers: { Authorization: authorization, 'Content-Type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  const text = await response.text();
  return {
    status: response.status,
    headers: response.headers,
    data: (text ? JSON.parse(text) : undefined) as Resource,
  };
}
const volumes = '/redfish/v1/Storage/kelp/Volumes';
const drivesOn = (...nodes: string[]) =>
  nodes.map((node) => kelp.backend.seed.drives.find((d) => d.node === node && d.pool === 'kelp-nvme')!);
const aVolume = (name: string, nodes: string[], part: object = {}) => ({
  Name: name,
  CapacityBytes: 10 * GiB,
  CapacitySources: [{ ProvidingPools: [{ '@odata.id': '/redfish/v1/Storage/kelp/StoragePools/kelp-nvme' }] }],
  Links: { Drives: drivesOn(...nodes).map((d) => ({ '@odata.id': `/redfish/v1/Chassis/${d.node}/Drives/${d.id}` })) },
  ...part,
});

test('the service root is open, everything else wants a session', async () => {
  expect((await call('GET', '/redfish/v1', undefined, '')).data).toMatchObject({ RedfishVersion: '1.20.0' });
  expect((await call('GET', volumes, undefined, '')).data.error.code).toMatch(/NoValidSession$/);
  expect(
    (await call('POST', '/redfish/v1/SessionService/Sessions', { UserName: 'moorage', Password: 'x' }, '')).status,
  ).toBe(401);
  const session = await call(
    'POST',
    '/redfish/v1/SessionService/Sessions',
    { UserName: 'moorage', Password: 'holdfast' },
    '',
  );
  expect([session.status, session.headers.get('X-Auth-Token')?.length]).toEqual([201, 32]);
});

test('every link of every resource leads to a resource', async () => {
  const seen = new Set<string>();
  const queue = ['/redfish/v1'];
  for (let path = queue.pop(); path !== undefined; path = queue.pop()) {
    const plain = path.split('#')[0]!;
    if (seen.has(plain) || seen.size > 400) continue;
    seen.add(plain);
    // a session and the parts of a resource are no resources to fetch
    if (/Sessions$|CapacitySources/.test(plain)) continue;
    const { status, data } = await call('GET', plain);
    expect([plain, status]).toEqual([plain, 200]);
    JSON.stringify(data, (key, value: unknown) => {
      if (key === '@odata.id' && typeof value === 'string') queue.push(value);
      return value;
    });
  }
  expect(seen.size).toBeGreaterThan(40);
});

test('a volume is listed at once, ready when its task is done, and counts in its pool', async () => {
  const made = await call(
    'POST',
    volumes,
    aVolume('vol-a', ['quay-03', 'quay-04', 'quay-05'], { RAIDType: 'RAID1Triple' }),
  );
  expect([made.status, made.data.TaskState]).toEqual([202, 'Running']);
  const listed = await call('GET', `${volumes}?$filter=${encodeURIComponent("Name eq 'vol-a'")}&$expand=.`);
  expect(listed.data.Members).toHaveLength(1);
  expect(listed.data.Members[0]!.ReplicaTargets.map((r) => r.ReplicaInfo)).toEqual(
    Array(3).fill({ ReplicaRole: 'Target', ReplicaType: 'Mirror', ReplicaState: 'Synchronized', PercentSynced: 100 }),
  );
  let task = made.data;
  for (let i = 0; i < 500 && task.TaskState !== 'Completed'; i++)
    task = (await call('GET', made.headers.get('Location')!)).data;
  expect(task).toMatchObject({ TaskState: 'Completed', PercentComplete: 100 });
  const pool = await call('GET', '/redfish/v1/Storage/kelp/StoragePools/kelp-nvme');
  expect(pool.data.Capacity.Data.ProvisionedBytes).toBe(10 * GiB);
});

test.each([
  ['a name twice', () => aVolume('vol-a', ['quay-03']), 409, /ResourceAlreadyExists/],
  ['no name', () => ({ ...aVolume('x', []), Name: undefined }), 400, /PropertyMissing/],
  [
    'a size off the granule',
    () => aVolume('x', ['quay-03'], { CapacityBytes: GiB + 1 }),
    400,
    /PropertyValueNotInList/,
  ],
  ['two copies on one node', () => aVolume('x', ['quay-03', 'quay-03']), 400, /PropertyValueConflict/],
  [
    'a pool that is not there',
    () => aVolume('x', [], { CapacitySources: [{ ProvidingPools: [{ '@odata.id': '/x/nothing' }] }] }),
    404,
    /ResourceNotFound/,
  ],
])('%s is refused in the form of the standard', async (_what, body, status, code) => {
  const answer = await call('POST', volumes, body());
  expect(answer.status).toBe(status);
  expect(answer.data.error.code).toMatch(code);
  expect(answer.data.error['@Message.ExtendedInfo'][0]!.Message).toBeTruthy();
});

test('a node that goes down degrades its copies; back again they are brought up to date', async () => {
  const [volume] = [...kelp.backend.volumes.values()];
  kelp.backend.write(volume!.id, 4 * GiB);
  await fetch(`${kelp.controlUrl}/nodes/quay-04`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: '{"up":false}',
  });
  const down = await call('GET', `${volumes}/${volume!.id}?$expand=.`);
  expect([down.data.Status.Health, down.data.ReplicaTargets[1]!.ReplicaInfo.ReplicaState]).toEqual([
    'Warning',
    'Failed',
  ]);
  expect((await call('POST', volumes, aVolume('vol-b', ['quay-04']))).data.error.code).toMatch(/ResourceCannotBeUsed/);
  await fetch(`${kelp.controlUrl}/nodes/quay-04`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: '{"up":true}',
  });
  const back = await call('GET', `${volumes}/${volume!.id}?$expand=.`);
  expect(back.data.ReplicaTargets[1]!.ReplicaInfo).toMatchObject({ ReplicaState: 'Synchronizing', PercentSynced: 0 });
});

test('a full pool refuses, and says so', async () => {
  kelp.backend.setFull('kelp-nvme', true);
  expect(await call('POST', volumes, aVolume('vol-c', ['quay-03']))).toMatchObject({
    status: 507,
    data: { error: { code: 'Base.1.18.InsufficientStorage' } },
  });
  kelp.backend.setFull('kelp-nvme', false);
});
