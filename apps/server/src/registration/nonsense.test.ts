import type { BackendRow } from '@moorage/contract/backends';
import { gneissSeed } from '@moorage/standins/backend-seeds';
import type { RunningServer } from '../server';
import { Caller, eventually, makeWorld, type World } from '../testing/world';
import { answering, endAnswering, json, passingOn, type Answer } from '../testing/answering';

let world: World;
let server: RunningServer;
let tom: Caller;

beforeAll(async () => {
  world = await makeWorld({ more: [gneissSeed], backendTimeoutMs: 2500 });
  server = await world.start();
  await world.operator(server);
  tom = await new Caller(server.url).signIn('tom');
});
afterAll(async () => {
  endAnswering();
  await world.end();
});
const gneiss = () => world.more[0]!;
const access = (part: object = {}) => ({
  address: gneiss().url,
  username: 'moorage',
  password: 'slow-stone',
  ...part,
});
const listed = async (id: string) => (await tom.ok<BackendRow[]>('GET', '/api/backends')).find((b) => b.id === id);

describe('a backend that answers nonsense', () => {
  test.each<[string, Answer]>([
    ['wrong types', json({ RedfishVersion: '1.20.0', Storage: 7, Links: {} })],
    [
      'a stream without an end',
      (_request, response) => {
        const more = () => void (response.writable && response.write('x'.repeat(65_536), more));
        more();
      },
    ],
    [
      'an answer that stops half way',
      (_request, response) => void response.writeHead(200, { 'Content-Type': 'application/json' }).write('{"Redfish'),
    ],
  ])('%s is refused within limits when registering', async (_name, answer) => {
    const refused = await tom.call<{ code: string }>('POST', '/api/backends', {
      ...access({ address: await answering(answer) }),
      id: 'strange',
      title: 'Strange',
      sites: ['quayside'],
    });
    expect([refused.status, refused.data.code]).toEqual([422, expect.stringMatching(/^probe-/)]);
  });

  test('later, becomes a finding that names it, and the others go on', async () => {
    let sane = true;
    const hex = (name: string) => Buffer.from(name).toString('hex');
    const asAnother = {
      asked: (path: string) => path.replaceAll('odd-shared', 'gneiss-shared'),
      said: (text: string) => text.replaceAll('gneiss-shared', 'odd-shared').replaceAll(hex('gneiss'), hex('strang')),
    };
    const address = await answering((request, response) => {
      if (!sane) return json({ Members: 'many' })(request, response);
      return passingOn(() => gneiss().url, asAnother)(request, response);
    });
    await tom.ok('POST', '/api/backends', {
      ...access({ address }),
      id: 'odd',
      title: 'Odd',
      sites: ['quayside'],
    });
    sane = false;
    await eventually('the finding', async () =>
      (await tom.ok<{ kind: string; subject: string }[]>('GET', '/api/findings')).some(
        (f) => f.subject === 'odd' && f.kind === 'backend-nonsense',
      ),
    );
    await eventually('the others go on', async () => (await listed('kelp'))?.reachable);
    await tom.ok('DELETE', '/api/backends/odd');
    await eventually(
      'nothing is said of it any more',
      async () => !(await tom.ok<{ subject: string }[]>('GET', '/api/findings')).some((f) => f.subject === 'odd'),
    );
  });
});
