import { endpoints } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import type { Problem } from '@moorage/contract/problem';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';

/**
 * Everything of the namespace `wave-model` carries this mark, so that a leak is found wherever it is. Ivo owns `ferry-desk`.
 */
const mark = 'undertow';
const foreign = 'wave-model';

let world: World;
let server: RunningServer;
let maren: Caller;
let ivo: Caller;
let uid: string;
let volumeName: string;
let volumeId: string;
beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  await moorClass(maren, 'general', ['basalt-broad', 'kelp-nvme'], { copies: 1 });
  await moorClass(maren, 'narrow', ['kelp-nvme'], { copies: 3 });
  ivo = await new Caller(server.url).signIn('ivo');
  await maren.ok('POST', '/api/claims', aClaim(`${mark}-bound`, 'general', { namespace: foreign }));
  await maren.ok('POST', '/api/claims', aClaim(`${mark}-stuck`, 'general', { namespace: foreign, size: '5000Ti' }));
  await maren.ok('POST', '/api/claims', aClaim(`${mark}-kelp`, 'narrow', { namespace: foreign }));
  await maren.ok('POST', '/api/claims', aClaim('seats', 'general', { namespace: 'ferry-desk' }));
  await maren.ok('POST', '/api/claims', aClaim('too-large', 'general', { namespace: 'ferry-desk', size: '5000Ti' }));
  const { claim } = await maren.inState(`${mark}-bound`, 'bound', foreign);
  await maren.inState(`${mark}-kelp`, 'bound', foreign);
  [uid, volumeName, volumeId] = [claim.uid, claim.volumeName!, claim.volumeId!];
  await maren.inState('seats', 'bound', 'ferry-desk');
  await maren.inState(`${mark}-stuck`, 'nothing-fits', foreign);
  await maren.inState('too-large', 'nothing-fits', 'ferry-desk');
  await maren.ok('PUT', `/api/namespaces/${foreign}/enforcement`, { byPlatform: false });
  await maren.ok('PUT', `/api/namespaces/${foreign}/limit`, { bytes: 3 * 2 ** 50 });
  await maren.ok('POST', '/api/planned-places', {
    places: [{ namespace: foreign, claim: `${mark}-planned`, pool: 'basalt-broad' }],
  });
  await maren.ok('PATCH', '/api/classes/general/grants', {
    set: [{ namespace: foreign, granted: true, quota: 2 ** 50 }],
  });
  await eventually('the stuck claims are found', async () =>
    JSON.stringify(await maren.ok('GET', '/api/findings')).includes(mark),
  );
});
afterAll(() => world.end());

const reading = (Object.entries(endpoints) as [string, Endpoint][]).filter(
  ([, e]) => e.method === 'get' && e.allowed !== 'everyone' && !e.path.endsWith('/events'),
);
const fill = (path: string) =>
  path
    .replace(':namespace', foreign)
    .replace(':name', path.startsWith('/api/claims') ? `${mark}-bound` : 'general')
    .replace(':id', 'kelp')
    .replace(':pool', 'kelp-nvme');
const leaks = (text: string) =>
  [mark, uid, volumeName, volumeId.length > 6 ? volumeId : '', `"${foreign}"`, `${foreign}/`].filter(
    (word) => word !== '' && text.includes(word),
  );

test.each(reading)('%s tells a namespace owner nothing of another namespace', async (name, endpoint) => {
  const query = name === 'getLine' ? `?claim=${foreign}/${mark}-bound` : '';
  const own = await ivo.call('GET', fill(endpoint.path) + query);
  expect(
    leaks(JSON.stringify(own.data)).filter((w) => !(own.status === 404 && (w === mark || w === `${foreign}/`))),
  ).toEqual([]);
  expect(own.status).toBeLessThan(500);
  const whole = await maren.call('GET', fill(endpoint.path) + query);
  expect(whole.status).toBeLessThan(500);
});

test('the marks are there for who may see them: the test above can fail', async () => {
  const seen: string[] = [];
  for (const [name, endpoint] of reading) {
    const query = name === 'getLine' ? `?claim=${foreign}/${mark}-bound` : '';
    const { data, status } = await maren.call('GET', fill(endpoint.path) + query);
    if (status === 200 && leaks(JSON.stringify(data)).length > 0) seen.push(name);
  }
  expect(seen).toEqual(
    expect.arrayContaining([
      'listClaims',
      'getClaim',
      'getLine',
      'listNamespaces',
      'listFindings',
      'listLogbook',
      'listBackendVolumes',
      'placementState',
      'getGrants',
      'listPlans',
      'getPoolShape',
    ]),
  );
});

test('by address, what belongs to others is as if it were not there', async () => {
  const nothing = await ivo.call<Problem>('GET', '/api/claims/wave-model/no-such-claim');
  const theirs = await ivo.call<Problem>('GET', `/api/claims/${foreign}/${mark}-bound`);
  expect([theirs.status, theirs.data.code]).toEqual([nothing.status, nothing.data.code]);
  for (const key of [`${foreign}/${mark}-bound`, uid, volumeName, volumeId])
    expect((await ivo.call('GET', `/api/line?claim=${encodeURIComponent(key)}`)).status).toBe(404);
  expect((await ivo.call('GET', '/api/line?claim=ferry-desk/seats')).status).toBe(200);
});

test('totals count the own alone', async () => {
  const page = await ivo.ok<{ total: number; counts: object; claims: { name: string }[] }>('GET', '/api/claims');
  expect(page.claims.map((c) => c.name).sort()).toEqual(['seats', 'too-large']);
  expect([page.total, page.counts]).toEqual([2, { bound: 1, unbound: 1, stuck: 1 }]);
  const classes = await ivo.ok<{ storageClass: { name: string }; claims: number }[]>('GET', '/api/classes');
  expect(classes.find((c) => c.storageClass.name === 'general')!.claims).toBe(2);
  const findings = await ivo.ok<{ kind: string; facts: { claims: number; some: string[] } }[]>('GET', '/api/findings');
  expect(findings.map((f) => [f.kind, f.facts.claims, f.facts.some])).toEqual([
    ['claims-stuck', 1, ['ferry-desk/too-large']],
  ]);
});

test('the event stream names no subject of others', async () => {
  const read = async (caller: Caller) => {
    const response = await fetch(`${server.url}/api/events`, { headers: { Cookie: caller.cookieText } });
    const reader = response.body!.getReader();
    let text = '';
    return {
      until: async (word: string) => {
        while (!text.includes(word)) {
          const { value, done } = await reader.read();
          if (done) throw new Error(`the stream ended before ${word}`);
          text += Buffer.from(value).toString();
        }
        return text;
      },
      end: () => reader.cancel(),
    };
  };
  const [own, whole] = [await read(ivo), await read(maren)];
  await maren.ok('PUT', `/api/namespaces/${foreign}/limit`, { bytes: 4 * 2 ** 50 });
  await maren.ok('POST', '/api/claims', aClaim(`${mark}-more`, 'general', { namespace: foreign }));
  await maren.ok('POST', '/api/claims', aClaim('last-of-all', 'general', { namespace: 'ferry-desk' }));
  expect(leaks(await whole.until('ferry-desk/last-of-all')).length).toBeGreaterThan(0);
  expect(leaks(await own.until('ferry-desk/last-of-all'))).toEqual([]);
  await own.end();
  await whole.end();
});

test('changes stay within the own namespaces', async () => {
  expect((await ivo.call('DELETE', `/api/claims/${foreign}/${mark}-bound`)).status).toBe(403);
  expect((await ivo.call('POST', '/api/claims', aClaim('sneaky', 'general', { namespace: foreign }))).status).toBe(403);
});
