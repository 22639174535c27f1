import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { kelpSeed } from '@moorage/standins/backend-seeds';
import { startBackend } from '@moorage/standins/start';
import { Metrics } from '../metrics/metrics';
import { BackendProblem } from './connector';
import { BackendHttp } from './http';
import { SwordfishConnector } from './swordfish';

const connect = (address: string, password = 'holdfast', timeoutMs = 1500) =>
  new SwordfishConnector(
    new BackendHttp(
      { name: 'kelp', address, username: 'moorage', password, trust: { kind: 'system' } },
      timeoutMs,
      new Metrics(),
    ),
  );

const problemOf = (work: Promise<unknown>): Promise<BackendProblem> =>
  work.then(
    () => Promise.reject(new Error('it succeeded')),
    (error: unknown) => {
      expect(error).toBeInstanceOf(BackendProblem);
      return error as BackendProblem;
    },
  );

describe('a backend that speaks the standard', () => {
  let kelp: Awaited<ReturnType<typeof startBackend>>;
  beforeAll(async () => {
    kelp = await startBackend({ ...kelpSeed(), createMs: 10 });
  });
  afterAll(() => kelp.stop());
  afterEach(() => kelp.faults.heal());

  test('says what its pools can do, read and not typed in', async () => {
    const { healthy, pools } = await connect(kelp.url).fetchView();
    expect(healthy).toBe(true);
    const facts = Object.fromEntries(pools.map((p) => [p.name, p.facts]));
    expect(facts['kelp-nvme']).toMatchObject({
      access: ['block'],
      sharedBlock: true,
      encryption: true,
      iops: 180_000,
      redundancy: { kind: 'spread', level: 'node', scheme: { kind: 'copies' } },
    });
    expect(facts['kelp-deep']).toMatchObject({
      access: ['block', 'file'],
      sharedBlock: false,
      encryption: false,
      redundancy: { scheme: { kind: 'erasure', data: 4, parity: 2 } },
    });
    expect(facts['kelp-nvme']!.disks).toHaveLength(23);
    expect(facts['kelp-nvme']!.disks[0]).toMatchObject({ node: 'quay-03', zone: 'north', media: 'SSD', works: true });
  });

  const volume = (name: string) => {
    const disks = kelp.backend.seed.drives.filter(
      (d) => d.pool === 'kelp-nvme' && ['quay-03', 'quay-05'].includes(d.node),
    );
    const chosen = [disks.find((d) => d.node === 'quay-03')!, disks.find((d) => d.node === 'quay-05')!];
    return {
      name,
      poolPath: '/redfish/v1/Storage/kelp/StoragePools/kelp-nvme',
      bytes: 2 ** 31,
      copies: 2,
      encrypted: true,
      disks: chosen.map(({ id, node }) => ({ id, node })),
      iopsCeiling: 900,
    };
  };

  test('makes a volume with its copies where they were placed, and a ceiling that is made once', async () => {
    const connector = connect(kelp.url);
    const made = await connector.createVolume(volume('vol-a'));
    expect(made).toMatchObject({ name: 'vol-a', pool: 'kelp-nvme', bytes: 2 ** 31, ready: true, degraded: false });
    expect(kelp.backend.volume(made.id)).toMatchObject({ raidType: 'RAID1', serviceClass: 'iops-900' });
    await connector.createVolume(volume('vol-b'));
    expect([...kelp.backend.serviceClasses.keys()]).toEqual(['iops-900']);
    expect((await connector.findVolume('vol-a'))!.id).toBe(made.id);
    expect(await connector.findVolume('nothing')).toBeUndefined();
    expect((await problemOf(connector.createVolume(volume('vol-a')))).code).toBe('exists');
    await connector.ensureVolumeDeleted(made.id);
    await connector.ensureVolumeDeleted(made.id);
    expect(kelp.backend.volumes.size).toBe(1);
  });

  test('tells its refusals apart', async () => {
    kelp.backend.setFull('kelp-nvme', true);
    expect((await problemOf(connect(kelp.url).createVolume(volume('vol-c')))).code).toBe('full');
    kelp.backend.setFull('kelp-nvme', false);
    expect((await problemOf(connect(kelp.url).createVolume({ ...volume('vol-c'), bytes: 5 }))).code).toBe('refused');
    expect((await problemOf(connect(kelp.url, 'wrong').fetchView())).code).toBe('unauthorised');
  });

  test('is read again after a passing trouble; a write is not repeated', async () => {
    const connector = connect(kelp.url);
    kelp.faults.add({ kind: 'refuse', method: 'GET', path: 'StoragePools', times: 1 });
    expect((await connector.fetchView()).pools).toHaveLength(2);
    kelp.faults.add({ kind: 'refuse', method: 'POST', path: '/Volumes$', times: 1 });
    const before = kelp.faults.calls.filter((c) => c.method === 'POST' && c.path.endsWith('/Volumes')).length;
    expect((await problemOf(connector.createVolume(volume('vol-d')))).code).toBe('unreachable');
    expect(kelp.faults.calls.filter((c) => c.method === 'POST' && c.path.endsWith('/Volumes')).length - before).toBe(1);
  });

  test('that does not answer in time says so; after several failures it is left alone for a while', async () => {
    const connector = connect(kelp.url, 'holdfast', 400);
    await connector.fetchView();
    kelp.faults.add({ kind: 'hang' });
    const codes: string[] = [];
    for (let i = 0; i < 6; i++) codes.push((await problemOf(connector.ensureVolumeDeleted('x'))).code);
    expect(codes.slice(0, 5)).toEqual(Array(5).fill('timed-out'));
    expect(codes[5]).toBe('resting');
  });
});

describe('something that does not', () => {
  let server: Server;
  let answer: (request: IncomingMessage, response: ServerResponse) => void;
  let address: string;
  beforeAll(async () => {
    server = createServer((request, response) => {
      if (request.method === 'POST' && request.url!.endsWith('/Sessions')) {
        response.writeHead(201, { 'X-Auth-Token': 'token' }).end('{}');
        return;
      }
      answer(request, response);
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => {
    server.closeAllConnections();
    server.close();
  });
  const root = { RedfishVersion: '1.20.0', Storage: { '@odata.id': '/s' }, Links: { Sessions: { '@odata.id': '/x' } } };
  const json = (value: unknown) => (_request: IncomingMessage, response: ServerResponse) =>
    response.end(JSON.stringify(value));

  test.each<[string, typeof answer, RegExp]>([
    ['a web page', (_q, r) => r.end('<html>hello</html>'), /not JSON/],
    ['wrong types', json({ ...root, Storage: 7 }), /Storage/],
    ['missing members', json({ RedfishVersion: '1.20.0' }), /Storage/],
    [
      'a service without storage',
      (q, r) => r.end(JSON.stringify(q.url === '/s' ? { Members: [] } : root)),
      /lists no storage/,
    ],
    ['a list that is no list', (q, r) => r.end(JSON.stringify(q.url === '/s' ? { Members: 'all' } : root)), /Members/],
  ])('%s is called nonsense, with what is wrong', async (_what, how, detail) => {
    answer = how;
    const problem = await problemOf(connect(address).fetchView());
    expect(problem.code).toBe('nonsense');
    expect(problem.message).toMatch(detail);
  });

  test('an endless answer is cut off', async () => {
    answer = (_request, response) => {
      const chunk = Buffer.alloc(1 << 20, 32);
      const pour = () => {
        while (!response.destroyed && response.write(chunk)) continue;
        if (!response.destroyed) response.once('drain', pour);
      };
      pour();
    };
    const problem = await problemOf(connect(address, 'holdfast', 20_000).findVolume('x'));
    expect(problem).toMatchObject({ code: 'nonsense' });
    expect(problem.message).toMatch(/larger than/);
  });

  test('a session that has ended is renewed once', async () => {
    let refused = 0;
    answer = (request, response) => {
      if (refused === 0) {
        refused += 1;
        response.writeHead(401).end('{}');
        return;
      }
      json(request.url === '/s' ? { Members: [] } : root)(request, response);
    };
    expect((await problemOf(connect(address).fetchView())).message).toMatch(/lists no storage/);
  });

  test('nobody at the address', async () => {
    expect((await problemOf(connect('http://127.0.0.1:9').ensureVolumeDeleted('x'))).code).toBe('unreachable');
  });
});
