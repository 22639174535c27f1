import type { BucketClassRow, BucketDetail, BucketKey, BucketRow } from '@moorage/contract/buckets';
import { waitFor } from '@testing-library/react';
import { aPoolState, aState } from '../moorings/testing';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { stateOf, totalsSentence } from './words';
import Buckets from './Buckets';

const GiB = 2 ** 30;
const aRow = (part: Partial<BucketRow> = {}): BucketRow => ({
  ...{ uid: 'u1', namespace: 'tide-gauges', name: 'exports', className: 'objects', state: 'ready', waitsFor: null },
  ...{ problem: null, pool: 'kelp-deep', backend: 'kelp', bucket: 'tide-gauges-exports-u1', limit: 2 * GiB },
  ...{
    wants: null,
    written: GiB,
    objects: 1200,
    measuredAt: '2026-11-27T08:00:00Z',
    isShut: false,
    missingSince: null,
    deletion: 'Delete',
  },
  ...{ keys: 1, createdAt: '2026-11-20T08:00:00Z', keptSince: null },
  ...part,
});
const aKey = (part: Partial<BucketKey> = {}): BucketKey => ({
  ...{ uid: 'k1', name: 'exporter', secretName: 'exporter-secret', account: 'key-k1', state: 'granted', problem: null },
  ...{ createdAt: '2026-11-21T08:00:00Z' },
  ...part,
});
const objects: BucketClassRow = {
  ...{ name: 'objects', pools: ['kelp-deep'], deletion: 'Delete', copies: 1, encrypted: false, limit: 2 * GiB },
  ...{ buckets: 1, problems: [] },
};
const state = aState({
  pools: [
    aPoolState('kelp-deep', {}, { protocols: ['NFSv4', 'HTTP'] }),
    aPoolState('kelp-nvme', {}, { protocols: ['NVMeOverFabrics'] }),
  ],
  namespaces: ['tide-gauges', 'ferry-desk'],
});
const short = {
  ...{ madeAt: '2026-11-27T08:00:00Z', tookMicros: 90 },
  trace: {
    candidates: [
      {
        ...{ pool: 'kelp-deep', order: 1 },
        checks: [{ rule: 'subscription', passed: false, need: 9 * GiB, have: 4.5 * GiB, unit: 'bytes' as const }],
      },
    ],
  },
};

async function drawn(
  row: BucketRow,
  {
    accesses = [aKey()],
    decision = null as BucketDetail['decision'],
    answers = {},
    person = maren,
    at = '/claims/buckets',
    rows = [row],
  } = {},
) {
  const server = new FakeServer({
    listBuckets: () => ({ rows, next: null }),
    getBucket: () => ({ bucket: row, endpoint: 'http://10.40.8.9:9000', decision, accesses }),
    listBucketClasses: () => [objects],
    listNamespaces: () => [],
    listBackends: () => [],
    placementState: () => state,
    ...answers,
  });
  const shown = show(<Buckets />, { at, person });
  await screen.findByText(/bucket/i, { selector: 'p' });
  return { server, ...shown };
}
const opened = async (row: BucketRow, options: Parameters<typeof drawn>[1] = {}) => {
  const shown = await drawn(row, { at: '/claims/buckets?bucket=u1', ...options });
  await screen.findByRole('region', { name: 'Bucket tide-gauges/exports' });
  return shown;
};

test('all of them are told in a sentence, and each row says how it stands', async () => {
  await drawn(aRow(), {
    rows: [
      aRow(),
      aRow({ uid: 'u2', name: 'scans', isShut: true, written: 2 * GiB }),
      aRow({
        uid: 'u3',
        name: 'all-years',
        state: 'waiting',
        waitsFor: 'limit',
        pool: null,
        bucket: null,
        limit: null,
        written: null,
      }),
      aRow({ uid: 'u4', name: 'old', state: 'kept' }),
    ],
  });
  expect(
    await screen.findByText(
      '4 buckets: 4 GiB written of 6 GiB promised; 1 waits, 1 is full, 1 is kept without a claim.',
    ),
  ).toBeTruthy();
  expect(await screen.findByText('full: nothing can be written')).toBeTruthy();
  expect(screen.getByText('nobody says how much it may hold')).toBeTruthy();
  expect(screen.getByText('kept without a claim')).toBeTruthy();
});

test('where a new one would land and what it promises, or why it would wait, is said before it is asked for', async () => {
  const { user, server } = await drawn(aRow(), {
    at: '/claims/buckets?new=bucket',
    answers: { createBucket: () => ({ uid: 'u9' }) },
  });
  const choose = async (label: string, option: string) => {
    await user.click(await screen.findByRole('combobox', { name: label }));
    await user.click(await screen.findByRole('option', { name: option }));
  };
  await choose('Namespace', 'ferry-desk');
  await user.type(screen.getByRole('textbox', { name: 'Name' }), 'scans');
  await choose('Bucket class', 'objects');
  expect(await screen.findByText(/^It would land on kelp-deep: 2 GiB promised/)).toBeTruthy();
  await user.type(screen.getByRole('textbox', { name: 'May hold' }), '2000Ti');
  expect(await screen.findByText(/^Nothing fits: it would wait\. kelp-deep: Needs/)).toBeTruthy();
  await user.clear(screen.getByRole('textbox', { name: 'May hold' }));
  await user.click(screen.getByRole('button', { name: 'Ask for it' }));
  await screen.findByText('The bucket ferry-desk/scans is asked for.');
  expect(server.of('createBucket')[0]!.body).toEqual({ namespace: 'ferry-desk', name: 'scans', className: 'objects' });
});

test('a key is asked for by what uses it; the secret is named, never shown', async () => {
  const { user, server } = await opened(aRow(), { answers: { createBucketKey: () => ({ uid: 'k2' }) } });
  await user.type(await screen.findByRole('textbox', { name: 'Key for' }), 'tile-press');
  await user.click(screen.getByRole('button', { name: 'Give a key' }));
  await screen.findByText('The secret tide-gauges/tile-press-secret will hold the key.');
  expect(server.of('createBucketKey')[0]).toMatchObject({
    ...{ params: { namespace: 'tide-gauges', name: 'exports' } },
    body: { name: 'tile-press', secretName: 'tile-press-secret' },
  });
});

test('one that stopped says why; one is taken back after a second look', async () => {
  const stopped = aKey({ uid: 'k2', name: 'taken', state: 'stopped', problem: 'the secret is there already' });
  const { user, server } = await opened(aRow(), {
    accesses: [aKey(), stopped],
    answers: { deleteBucketKey: () => undefined },
  });
  expect(await screen.findByText('the secret is there already')).toBeTruthy();
  await user.click(screen.getAllByRole('button', { name: 'Take back' })[0]!);
  expect(server.of('deleteBucketKey')).toEqual([]);
  await user.click((await screen.findAllByRole('button', { name: 'Take back' })).at(-1)!);
  await screen.findByText('exporter is taken back.');
  expect(server.of('deleteBucketKey')[0]!.params).toMatchObject({ access: 'exporter' });
});

test('what destroys objects wants the name; what keeps them does not', async () => {
  const { user, server } = await opened(aRow(), { answers: { deleteBucket: () => undefined } });
  await user.click(screen.getByRole('button', { name: 'Delete' }));
  expect(screen.getByRole('alert').textContent).toMatch(
    /1,200 objects of 1 GiB are destroyed for good\. 1 key opens nothing/,
  );
  const act = screen.getByRole<HTMLButtonElement>('button', { name: 'Delete it' });
  expect(act.disabled).toBe(true);
  await user.type(screen.getByRole('textbox', { name: 'Type exports to destroy it' }), 'exports');
  await user.click(act);
  await waitFor(() => expect(server.of('deleteBucket')[0]!.query).toEqual({ confirm: 'exports' }));
});

test('one that its class keeps says so, and goes without a name typed', async () => {
  const { user } = await opened(aRow({ deletion: 'Retain' }));
  await user.click(screen.getByRole('button', { name: 'Delete' }));
  expect(screen.getByRole('alert').textContent).toMatch(
    /Its bucket is kept with 1,200 objects of 1 GiB; its 2 GiB stay promised/,
  );
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Delete it' }).disabled).toBe(false);
});

test('one without room says what its pool lacks, and the limit that fits is one step away', async () => {
  const waiting = aRow({
    state: 'waiting',
    waitsFor: 'capacity',
    pool: null,
    bucket: null,
    written: null,
    objects: null,
    limit: 9 * GiB,
  });
  const { user, server } = await opened(waiting, { decision: short, answers: { setBucketLimit: () => undefined } });
  expect((await screen.findByRole('list', { name: 'Why nowhere' })).textContent).toMatch(
    /kelp-deep: Needs 9 GiB; 4.5 GiB/,
  );
  await user.click(screen.getByRole('button', { name: 'Let it hold 4 GiB, what there is room for' }));
  await waitFor(() => expect(server.of('setBucketLimit')[0]!.body).toEqual({ limit: '4Gi' }));
});

test('another limit says what it comes to before it is set, and less than lies in it is not offered as fine', async () => {
  const { user } = await opened(aRow());
  const field = await screen.findByRole('textbox', { name: 'May hold' });
  await user.type(field, '5Gi');
  expect(await screen.findByText('3 GiB more are promised on kelp-deep; nothing moves.')).toBeTruthy();
  await user.clear(field);
  await user.type(field, '512Mi');
  expect(await screen.findByText('1 GiB lie in it already: it would be full at once.')).toBeTruthy();
});

test('a kept one goes to a claim again as it is, or is destroyed by name; who may not is offered neither', async () => {
  const kept = aRow({ state: 'kept', keptSince: '2026-11-26T08:00:00Z' });
  const { user, server } = await opened(kept, {
    answers: { createBucket: () => new Refused(409, 'There is one of that name.'), destroyBucket: () => undefined },
  });
  await user.click(await screen.findByRole('button', { name: 'Give it back' }));
  await screen.findByText(/There is one of that name\./);
  expect(server.of('createBucket')[0]!.body).toEqual({
    ...{ namespace: 'tide-gauges', name: 'exports', className: 'objects', existing: 'tide-gauges-exports-u1' },
  });
  await user.click(screen.getByRole('button', { name: 'Destroy it' }));
  await user.type(screen.getByRole('textbox', { name: 'Type exports to destroy it' }), 'exports');
  await user.click(screen.getByRole('button', { name: 'Destroy it' }));
  await waitFor(() => expect(server.of('destroyBucket')[0]!.query).toEqual({ confirm: 'exports' }));
});

test('a viewer looks, and is offered nothing', async () => {
  await opened(aRow(), { person: { ...maren, role: 'viewer' } });
  await screen.findByRole('table', { name: 'Keys' });
  for (const name of ['Delete', 'Give a key', 'Take back', 'New bucket', 'Change it'])
    expect(screen.queryByRole('button', { name })).toBeNull();
});

test('a class whose parameters cannot be read says which; a pool that speaks no S3 says so', async () => {
  const wrong = { ...objects, name: 'wrong', pools: ['kelp-nvme'], problems: [{ field: 'copies', value: 'many' }] };
  new FakeServer({
    listBucketClasses: () => [wrong],
    listBackends: () => [],
    listNamespaces: () => [],
    listBuckets: () => ({ rows: [], next: null }),
  });
  show(<Buckets />, { at: '/claims/buckets?see=classes' });
  expect(await screen.findByText('copies cannot be read: many')).toBeTruthy();
  expect(screen.getByText(/1\. kelp-nvme \(speaks no S3, or is not known\)/)).toBeTruthy();
});

test('a bucket that its backend lost is told in the sentence, and not as a full one', () => {
  const lost = aRow({ isShut: true, missingSince: '2026-11-26T10:00:00Z' });
  expect(totalsSentence([lost])).toMatch(/; 1 is gone from the backend\.$/);
});

test.each([
  [{ state: 'ready' as const }, 'gone from its backend'],
  [{ state: 'kept' as const }, 'gone from its backend'],
  [{ state: 'closing' as const }, 'its claim is gone: its keys are being taken back'],
])('a bucket that its backend lost says so, as long as it should be there: %j', (part, words) => {
  expect(stateOf(aRow({ ...part, isShut: true, missingSince: '2026-11-26T10:00:00Z' })).words).toBe(words);
});
