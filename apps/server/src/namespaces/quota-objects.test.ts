import fc from 'fast-check';
import pino from 'pino';
import { Database } from '../database/database';
import { makeDatabase, preparedDatabase, type TestDatabase } from '../testing/databases';
import type { Fate } from '../testing/fate';
import { MemoryPlatform } from '../testing/memory-platform';
import { hardOf, plainHard, type Hard } from '@moorage/core/limits/quota-object';
import { limitsOf, putLimits } from './limits';
import { onNamespaces, onQuotas, QuotaKeeper, quotaName } from './quota-objects';
import { PlatformProblem } from '../platform/connector';
import { quotaObjects } from './limit-model';

const GiB = 2 ** 30;
const namespace = 'ferry-desk';
let made: TestDatabase;
let database: Database;
let platform: MemoryPlatform;
let keeper: QuotaKeeper;

beforeAll(async () => {
  made = await makeDatabase(await preparedDatabase([]));
  database = new Database(made.url);
});
afterAll(async () => {
  await database.close();
  await made.drop();
});
beforeEach(async () => {
  await database.rows('TRUNCATE limits, counted_limits, quota_objects');
  platform = new MemoryPlatform();
  keeper = new QuotaKeeper(database, platform, pino({ level: 'silent' }), () => false);
});

const set = (bytes: number | null, claims: number | null = null) =>
  database.transaction(() => putLimits(database, { namespace, className: '' }, { bytes, claims }, 'maren'));
const there = () => platform.find('v1', 'ResourceQuota', quotaName, namespace);
const hardThere = async () => ((await there())?.spec?.hard ?? {}) as Hard;
/** What a watch would tell of it. */
const heard = async () => {
  const object = await there();
  await onQuotas(database, object ? [object] : [], object ? [] : [{ metadata: { name: quotaName, namespace } }]);
};
const stands = () => quotaObjects.in(database).findByPk(namespace, { raw: true });
const now = () => database.rows(`UPDATE quota_objects SET next_at = now() - interval '1 second'`);

test('a platform that does not answer is asked again, later and later, and says why meanwhile', async () => {
  await set(5 * GiB);
  platform.fate = () => 'unreachable';
  await keeper.keep();
  expect(await stands()).toMatchObject({ due: true, attempts: 1, problem: expect.any(String) as string, agreed: null });
  // not at once
  await keeper.keep();
  expect((await stands())!.attempts).toBe(1);
  await now();
  await keeper.keep();
  expect((await stands())!.attempts).toBe(2);
  platform.fate = () => 'answered';
  await now();
  await keeper.keep();
  expect(await stands()).toMatchObject({
    due: false,
    attempts: 0,
    problem: null,
    agreed: { 'requests.storage': '5Gi' },
  });
});

test('a limit that is set while the one before it is written is written next', async () => {
  await set(5 * GiB);
  const create = platform.create.bind(platform);
  platform.create = async (object) => {
    await set(6 * GiB);
    return create(object);
  };
  await keeper.keep();
  expect(await hardThere()).toEqual({ 'requests.storage': '5Gi' });
  expect((await stands())!.due).toBe(true);
  await keeper.keep();
  expect(await hardThere()).toEqual({ 'requests.storage': '6Gi' });
});

test('a namespace that is gone keeps its limits, and one of its name that comes again is told of them', async () => {
  await set(5 * GiB);
  const create = platform.create.bind(platform);
  platform.create = () => Promise.reject(new PlatformProblem('not-found', 'there is no such namespace'));
  await keeper.keep();
  expect(await stands()).toMatchObject({ due: false, agreed: null, problem: null });
  platform.create = create;
  await keeper.keep();
  expect(await hardThere()).toEqual({});
  await onNamespaces(database, [{ metadata: { name: namespace } }, { metadata: { name: 'another' } }]);
  await keeper.keep();
  expect(await hardThere()).toEqual({ 'requests.storage': '5Gi' });
  // what it has been told of is not looked at again for every change of the namespace
  await onNamespaces(database, [{ metadata: { name: namespace } }]);
  expect((await stands())!.due).toBe(false);
});

const amount = fc.integer({ min: 1, max: 9 });
const act = fc.oneof(
  fc.record({ kind: fc.constant('set' as const), gib: fc.option(amount) }),
  fc.record({ kind: fc.constant('change there' as const), gib: amount }),
  fc.record({ kind: fc.constant('delete there' as const) }),
  fc.record({
    kind: fc.constant('keep' as const),
    fates: fc.array(fc.constantFrom<Fate>('answered', 'lost', 'unreachable'), { maxLength: 3 }),
  }),
);

test('whatever is done on either side, and whatever gets lost between them, both say the same in the end', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(act, { maxLength: 12 }), async (acts) => {
      await database.rows('TRUNCATE limits, counted_limits, quota_objects');
      platform = new MemoryPlatform();
      keeper = new QuotaKeeper(database, platform, pino({ level: 'silent' }), () => false);
      for (const a of acts) {
        platform.fate = () => 'answered';
        if (a.kind === 'set') await set(a.gib === null ? null : a.gib * GiB, a.gib);
        else if (a.kind === 'keep') {
          const fates = [...a.fates];
          platform.fate = () => fates.shift() ?? 'answered';
          await now();
          await keeper.keep();
        } else {
          const object = await there();
          if (!object) continue;
          if (a.kind === 'delete there') await platform.ensureDeleted('v1', 'ResourceQuota', quotaName, namespace);
          else
            await platform.mergePatch({
              ...{ apiVersion: 'v1', kind: 'ResourceQuota', metadata: { name: quotaName, namespace } },
              spec: { hard: { 'requests.storage': `${a.gib}Gi` } },
            });
          await heard();
        }
      }
      platform.fate = () => 'answered';
      for (let i = 0; i < 2; i++) {
        await heard();
        await now();
        await keeper.keep();
      }
      expect(plainHard(await hardThere())).toEqual(hardOf(await limitsOf(database, namespace)));
      const row = await stands();
      expect(row === null || (!row.due && row.problem === null)).toBe(true);
    }),
    { numRuns: 60 },
  );
}, 120_000);
