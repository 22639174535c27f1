import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { LimitEffect, LimitRequest, NamespaceLimits } from '@moorage/contract/limits';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { RunningServer } from '../server';
import { aClaim, Caller, eventually, makeWorld, moorClass, type World } from '../testing/world';
import { quotaName } from './quota-objects';

const GiB = 2 ** 30;
let world: World;
let server: RunningServer;
let maren: Caller;
let ivo: Caller;

beforeAll(async () => {
  world = await makeWorld();
  server = await world.start();
  maren = await world.operator(server);
  ivo = await new Caller(server.url).signIn('ivo');
  await moorClass(maren, 'tide-fast', ['kelp-nvme'], { iopsFloor: { kind: 'fixed', value: 400 } });
  await moorClass(maren, 'calm', ['basalt-broad'], { copies: 1 });
});
afterAll(() => world.end());

const desk = '/api/namespaces/ferry-desk';
const limits = (who = maren, namespace = 'ferry-desk') =>
  who.ok<NamespaceLimits>('GET', `/api/namespaces/${namespace}/limits`);
const quotaIn = (namespace: string) =>
  world.platform.store.list('resourcequotas', namespace).find((q) => q.metadata.name === quotaName);
const hardIs = (namespace: string, hard: Record<string, string> | undefined) =>
  eventually(`the platform limits ${namespace} to ${JSON.stringify(hard)}`, async () => {
    const { platform } = await limits(maren, namespace);
    const so = JSON.stringify(quotaIn(namespace)?.spec?.hard) === JSON.stringify(hard);
    return so && (platform.state === 'settled' || platform.state === 'none')
      ? true
      : Promise.reject(new Error(JSON.stringify([quotaIn(namespace)?.spec, platform])));
  });
const change = (namespace: string, spec: object) =>
  fetch(`${world.platform.url}/api/v1/namespaces/${namespace}/resourcequotas/${quotaName}`, {
    method: 'PATCH',
    headers: { 'Content-Type': 'application/merge-patch+json' },
    body: JSON.stringify({ spec }),
  });

test('a limit stands in the quota object of the platform, which refuses the claim beyond it; taken away, it does not', async () => {
  await maren.ok('PUT', `${desk}/limit`, { bytes: 100 * GiB, claims: 3, snapshots: 7 });
  await maren.ok('PUT', `${desk}/limit/tide-fast`, { bytes: 90 * GiB });
  await hardIs('ferry-desk', {
    'count/volumesnapshots.snapshot.storage.k8s.io': '7',
    persistentvolumeclaims: '3',
    'requests.storage': '100Gi',
    'tide-fast.storageclass.storage.k8s.io/requests.storage': '90Gi',
  });
  const beyond = await maren.call<{ detail: string }>(
    'POST',
    '/api/claims',
    aClaim('too-much', 'tide-fast', { namespace: 'ferry-desk', size: '95Gi' }),
  );
  expect([beyond.status, beyond.data.detail]).toEqual([expect.any(Number), expect.stringContaining('exceeded quota')]);
  expect(beyond.status).toBeGreaterThanOrEqual(400);
  await maren.ok('PUT', `${desk}/limit/tide-fast`, { bytes: null });
  await maren.ok('PUT', `${desk}/limit`, { claims: null, snapshots: null });
  await hardIs('ferry-desk', { 'requests.storage': '100Gi' });
  await maren.ok('PUT', `${desk}/limit`, { bytes: null });
  await hardIs('ferry-desk', undefined);
});

test('a limit that is changed on the platform is the limit here, and the logbook says who', async () => {
  await maren.ok('PUT', `${desk}/limit`, { bytes: 100 * GiB, iops: 5000 });
  await hardIs('ferry-desk', { 'requests.storage': '100Gi' });
  expect(
    (await change('ferry-desk', { hard: { 'requests.storage': '2048Gi', persistentvolumeclaims: '9', pods: '4' } }))
      .status,
  ).toBe(200);
  const whole = await eventually('both are the limits here', async () => {
    const [first] = (await limits()).scopes;
    return first!.bytes.limit === 2048 * GiB && first!.claims.limit === 9 ? first : undefined;
  });
  // which the platform knows nothing of
  expect(whole!.iops.limit).toBe(5000);
  const { entries } = await maren.ok<{ entries: { kind: string; person: string; subject: string }[] }>(
    'GET',
    '/api/logbook',
  );
  expect(entries.find((e) => e.kind === 'limit')).toMatchObject({ person: 'the platform', subject: 'ferry-desk' });
  // what else stands in it stays when ours is changed
  await maren.ok('PUT', `${desk}/limit`, { bytes: 300 * GiB });
  await eventually('it is written', () =>
    Promise.resolve((quotaIn('ferry-desk')!.spec!.hard as Record<string, string>)['requests.storage'] === '300Gi'),
  );
  expect(quotaIn('ferry-desk')!.spec!.hard).toMatchObject({ pods: '4', persistentvolumeclaims: '9' });
  // a line that is removed there is a limit taken away; the object itself is written again
  await change('ferry-desk', { hard: { persistentvolumeclaims: null, pods: null } });
  await eventually('no limit of claims', async () => (await limits()).scopes[0]!.claims.limit === null);
  world.platform.store.delete('resourcequotas', 'ferry-desk', quotaName);
  await hardIs('ferry-desk', { 'requests.storage': '300Gi' });
  await maren.ok('PUT', `${desk}/limit`, { bytes: null, iops: null });
  await hardIs('ferry-desk', undefined);
});

test("the platform's own client library reads the quota object, and what it changes there is taken", async () => {
  const client = async (...rest: string[]) => {
    const program = join(__dirname, 'quota-client.py');
    const { stdout } = await promisify(execFile)('/usr/bin/python3', [
      program,
      world.platform.url,
      'ferry-desk',
      ...rest,
    ]);
    return JSON.parse(stdout) as { name: string; hard: Record<string, string>; used: Record<string, string> }[];
  };
  await maren.ok('PUT', `${desk}/limit`, { bytes: 70 * GiB, claims: 12 });
  await hardIs('ferry-desk', { persistentvolumeclaims: '12', 'requests.storage': '70Gi' });
  await eventually('it says what is used of it', async () => {
    const [quota] = await client();
    return quota?.used?.persistentvolumeclaims === '0' && quota.hard['requests.storage'] === '70Gi';
  });
  await client('requests.storage', '90Gi');
  await eventually('it is the limit here', async () => (await limits()).scopes[0]!.bytes.limit === 90 * GiB);
  await maren.ok('PUT', `${desk}/limit`, { bytes: null, claims: null });
  await hardIs('ferry-desk', undefined);
});

test('where the platform does not refuse, a claim beyond is made, waits with its reason, and binds when more was asked for and given in part', async () => {
  await maren.ok('PUT', `${desk}/enforcement`, { byPlatform: false });
  await maren.ok('PUT', `${desk}/limit`, { bytes: 50 * GiB });
  await hardIs('ferry-desk', undefined);
  await maren.ok('POST', '/api/claims', aClaim('bookings', 'tide-fast', { namespace: 'ferry-desk', size: '60Gi' }));
  const { decisions } = await maren.inState('bookings', 'nothing-fits', 'ferry-desk');
  expect(decisions[0]!.remedies[0]!.changes[0]).toMatchObject({ kind: 'raise-quota' });
  const effect = await ivo.ok<LimitEffect>('GET', `${desk}/limit-effect?measure=bytes&amount=${70 * GiB}`);
  expect(effect).toMatchObject({ used: 0, over: 0, frees: [{ name: 'bookings', takes: 60 * GiB }], keeps: [] });
  const request = await ivo.ok<LimitRequest>('POST', `${desk}/limit-requests`, {
    ...{ measure: 'bytes', asked: 200 * GiB, reason: 'the summer timetable', neededBy: '2027-05-01' },
  });
  expect(request).toMatchObject({ was: 50 * GiB, state: 'open', person: 'ivo', neededBy: '2027-05-01' });
  // nobody gives it to themselves
  expect((await ivo.call('POST', `/api/limit-requests/${request.id}/answer`, { granted: 200 * GiB })).status).toBe(403);
  expect((await maren.call('POST', `/api/limit-requests/${request.id}/answer`, { granted: 300 * GiB })).status).toBe(
    422,
  );
  const given = { granted: 80 * GiB, until: '2099-01-31', answer: 'half of it until the disks are here' };
  await maren.ok('POST', `/api/limit-requests/${request.id}/answer`, given);
  await maren.inState('bookings', 'bound', 'ferry-desk');
  expect((await limits(ivo)).requests[0]).toMatchObject({
    ...{ state: 'granted', granted: 80 * GiB, answer: given.answer, answeredBy: 'maren' },
    endsAt: '2099-02-01T00:00:00.000Z',
  });
  expect((await maren.call('POST', `/api/limit-requests/${request.id}/answer`, given)).status).toBe(409);
  // its time comes
  await world.rows(`UPDATE limit_requests SET ends_at = now() - interval '1 second' WHERE id = $1`, [request.id]);
  await eventually('it has ended', async () => (await limits(ivo)).requests[0]!.state === 'ended');
  expect((await limits()).scopes[0]!.bytes).toEqual({ limit: 50 * GiB, used: 60 * GiB });
  await maren.ok('PUT', `${desk}/limit`, { bytes: null });
});

test('of two who answer at once one does, and what was set since is not undone by the end of a grant', async () => {
  await maren.ok('PUT', `${desk}/limit`, { claims: 4 });
  const { id } = await ivo.ok<LimitRequest>('POST', `${desk}/limit-requests`, {
    ...{ measure: 'claims', asked: 9, reason: 'more desks' },
  });
  const answers = await Promise.all(
    [6, 8].map((granted) => maren.call('POST', `/api/limit-requests/${id}/answer`, { granted, until: '2099-01-31' })),
  );
  expect(answers.map((a) => a.status).sort()).toEqual([200, 409]);
  await maren.ok('PUT', `${desk}/limit`, { claims: 20 });
  await world.rows(`UPDATE limit_requests SET ends_at = now() - interval '1 second' WHERE id = $1`, [id]);
  await eventually('it has ended', async () => (await limits(ivo)).requests[0]!.state === 'ended');
  expect((await limits()).scopes[0]!.claims.limit).toBe(20);
  await maren.ok('PUT', `${desk}/limit`, { claims: null });
});

test('limits of claims and of IOPS hold back what goes beyond, and say by how much', async () => {
  const rates = { iops: 500 };
  await maren.ok('PUT', '/api/namespaces/wave-model/enforcement', { byPlatform: false });
  await maren.ok('PUT', '/api/namespaces/wave-model/limit', rates);
  await maren.ok('PUT', '/api/namespaces/wave-model/limit/calm', { claims: 1 });
  const make = (name: string, className: string) =>
    maren.ok('POST', '/api/claims', aClaim(name, className, { namespace: 'wave-model', size: '10Gi' }));
  await make('runs-1', 'tide-fast');
  await maren.inState('runs-1', 'bound', 'wave-model');
  await make('runs-2', 'tide-fast');
  const slow = await maren.inState('runs-2', 'nothing-fits', 'wave-model');
  expect(slow.decisions[0]!.remedies[0]!.changes).toEqual([
    { kind: 'raise-count', of: 'iops', scope: 'namespace', limit: 800, by: 300 },
  ]);
  await make('calm-1', 'calm');
  await maren.inState('calm-1', 'bound', 'wave-model');
  await make('calm-2', 'calm');
  await maren.inState('calm-2', 'nothing-fits', 'wave-model');
  await maren.ok('PUT', '/api/namespaces/wave-model/limit', { ...rates, iops: 800 });
  await maren.ok('PUT', '/api/namespaces/wave-model/limit/calm', { claims: 2 });
  await maren.inState('runs-2', 'bound', 'wave-model');
  await maren.inState('calm-2', 'bound', 'wave-model');
  const [whole] = (await limits(maren, 'wave-model')).scopes;
  expect(whole).toMatchObject({ iops: { limit: 800, used: 800 }, claims: { limit: null, used: 4 } });
});

test('a namespace owner asks for the own alone: others are as if they were not there', async () => {
  const other = '/api/namespaces/wave-model';
  for (const path of [`${other}/limits`, `${other}/limit-effect?measure=bytes&amount=1`])
    expect((await ivo.call('GET', path)).status).toBe(404);
  const asked = { measure: 'bytes', asked: 10 * GiB, reason: 'curious' };
  const foreign = await ivo.call<{ detail: string }>('POST', `${other}/limit-requests`, asked);
  const absent = await ivo.call<{ detail: string }>('POST', '/api/namespaces/nowhere/limit-requests', asked);
  expect([foreign.status, foreign.data.detail]).toEqual([403, absent.data.detail.replace('nowhere', 'wave-model')]);
  await maren.ok('PUT', `${other}/limit`, { bytes: 90 * GiB });
  const { id } = await maren.ok<LimitRequest>('POST', `${other}/limit-requests`, { ...asked, asked: 95 * GiB });
  expect((await ivo.call('DELETE', `/api/limit-requests/${id}`)).status).toBe(404);
  expect(
    (await ivo.ok<{ requests: LimitRequest[] }>('GET', '/api/limit-requests')).requests.map((r) => r.namespace),
  ).not.toContain('wave-model');
  await maren.ok('DELETE', `/api/limit-requests/${id}`);
  expect((await maren.call('POST', `/api/limit-requests/${id}/answer`, { granted: null })).status).toBe(409);
  await maren.ok('PUT', `${other}/limit`, { bytes: null });
});

test('a limit below what is used says so, and is set by who knows', async () => {
  const low = { bytes: 5 * GiB };
  const refused = await maren.call<{ detail: string }>('PUT', '/api/namespaces/wave-model/limit', low);
  expect([refused.status, refused.data.detail]).toEqual([409, expect.stringContaining('40 GiB already, 35 GiB more')]);
  await maren.ok('PUT', '/api/namespaces/wave-model/limit', { ...low, evenIfOver: true });
  const effect = await maren.ok<LimitEffect>(
    'GET',
    `/api/namespaces/wave-model/limit-effect?measure=bytes&amount=${5 * GiB}`,
  );
  expect(effect).toMatchObject({ used: 40 * GiB, over: 35 * GiB, left: 0 });
  await maren.ok('PUT', '/api/namespaces/wave-model/limit', { bytes: null });
});

test('what makes no sense is refused with what to do', async () => {
  await maren.ok('PUT', `${desk}/limit`, { bytes: 60 * GiB });
  const ask = (body: object) => ivo.call<{ detail: string }>('POST', `${desk}/limit-requests`, body);
  expect((await ask({ asked: 60 * GiB, reason: 'the same' })).data.detail).toContain('Ask for more');
  expect((await ask({ measure: 'iops', asked: 5, reason: 'no limit' })).data.detail).toContain(
    'nothing has to be asked',
  );
  expect((await ask({ asked: 70 * GiB, reason: '' })).status).toBe(422);
  expect((await maren.call('PUT', `${desk}/limit`, {})).status).toBe(422);
  expect((await maren.call('PUT', `${desk}/limit/calm`, { snapshots: 3 })).status).toBe(422);
  const usage = await maren.ok<NamespaceUsage[]>('GET', '/api/namespaces');
  expect(usage.find((n) => n.namespace === 'ferry-desk')!.limit).toBe(60 * GiB);
});
