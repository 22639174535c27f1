import type { Change } from '@moorage/core/placement/change';
import { ruleNames } from '@moorage/core/placement/rule';
import { claimMarks, claimStates, type ClaimRow } from '@moorage/contract/claims';
import { changeCost, changeSentence, changesSentence } from './change-words';
import { factText, failureSentence, failureShort, ruleTitles, type CheckData } from '../moorings/check-words';
import { aReason } from '../testing/rows';
import { claimSentence, carvedText, landingSentence, stateWords } from './words';

const check = (rule: string, need: CheckData['need'], have: CheckData['have'], unit: CheckData['unit']): CheckData => ({
  rule,
  passed: false,
  need,
  have,
  unit,
});
const GiB = 2 ** 30;

describe('words for rules', () => {
  test.each(ruleNames)('%s has a title, a sentence and a short form', (rule) => {
    const failed = check(rule, 80 * GiB, 12 * GiB, 'bytes');
    expect(ruleTitles[rule]).toMatch(/^[A-Z]/);
    expect(failureSentence(failed)).toMatch(/^\S.*\.$/);
    expect(failureShort(failed).length).toBeLessThan(20);
  });

  test('figures come with their unit', () => {
    expect(failureSentence(check('subscription', 80 * GiB, 12 * GiB, 'bytes'))).toBe(
      'Needs 80 GiB; 12 GiB is left to promise.',
    );
    expect(failureSentence(check('subscription', 80 * GiB, -5, 'bytes'))).toBe(
      'Needs 80 GiB; nothing is left to promise.',
    );
    expect(failureSentence(check('namespace-quota', 300 * GiB, -GiB, 'bytes'))).toBe(
      'Needs 300 GiB; the namespace may take 0 B more.',
    );
    expect(failureSentence(check('iops', 1248, 900.4, 'iops'))).toBe(
      'The floor costs 1,248 IOPS in the pool; 900 IOPS can still be promised.',
    );
    expect(factText({ unit: 'share' }, 0.912)).toBe('91 %');
    expect(factText({ unit: 'bytes' }, 'no limit')).toBe('no limit');
  });

  test('one writer is said of block storage only', () => {
    expect(failureShort(check('access-mode', 'ReadWriteMany', 'block', 'text'))).toBe('one writer only');
    expect(failureShort(check('access-mode', 'ReadWriteMany', 'file', 'text'))).toBe('mode not given');
  });
});

test('changes made together are one sentence', () =>
  expect(
    changesSentence(
      [
        { kind: 'moor', pool: 'kelp-deep' },
        { kind: 'ask-mode', mode: 'ReadWriteOnce' },
      ],
      {
        className: 'ledger',
        namespace: 'ferry-desk',
      },
    ),
  ).toBe('Moor ledger to kelp-deep, and ask for ReadWriteOnce instead'));

const changes: Record<Change['kind'], Change> = {
  moor: { kind: 'moor', pool: 'kelp-deep' },
  'enable-mooring': { kind: 'enable-mooring', pool: 'kelp-deep' },
  'ask-mode': { kind: 'ask-mode', mode: 'ReadWriteOnce' },
  'ask-volume-mode': { kind: 'ask-volume-mode', volumeMode: 'Block' },
  'ask-less': { kind: 'ask-less', size: 10 * GiB, by: 5 * GiB },
  'raise-quota': { kind: 'raise-quota', scope: 'namespace', limit: 20 * GiB, by: 5 * GiB },
  'raise-count': { kind: 'raise-count', of: 'claims', scope: 'class', limit: 6, by: 1 },
  'raise-allotment': { kind: 'raise-allotment', pool: 'basalt-swift', limit: 20 * GiB, by: GiB },
  'raise-overcommit': { kind: 'raise-overcommit', pool: 'basalt-swift', overcommit: 1.5 },
  'add-capacity': { kind: 'add-capacity', pool: 'basalt-swift', by: 5 * GiB },
  'lower-copies': { kind: 'lower-copies', copies: 1 },
  'drop-encryption': { kind: 'drop-encryption' },
  'drop-expansion': { kind: 'drop-expansion' },
  'widen-zones': { kind: 'widen-zones' },
  'lower-floor': { kind: 'lower-floor', iops: 1200, by: 300 },
  'lower-throughput-floor': { kind: 'lower-throughput-floor', megabytes: 200, by: 100 },
  grant: { kind: 'grant', namespace: 'ferry-desk' },
  'tune-within': { kind: 'tune-within', setting: 'iops-floor', value: 2000 },
  'tune-not': { kind: 'tune-not', setting: 'iops-floor' },
  'drop-demand': { kind: 'drop-demand', demand: 'witness' },
  'raise-cap': { kind: 'raise-cap', backend: 'gneiss', limit: 20 * GiB, by: 5 * GiB },
  'free-pool': { kind: 'free-pool', pool: 'gneiss-shared' },
  'mend-backend': { kind: 'mend-backend', backend: 'kelp' },
};

test.each(Object.values(changes))('$kind is said as something to do, with its cost', (change) => {
  const sentence = changeSentence(change, { className: 'ledger', namespace: 'ferry-desk' });
  expect(sentence).toMatch(/^[A-Z][a-z]+ /);
  expect(sentence).not.toMatch(/undefined|NaN/);
  expect(changeCost(change)).toMatch(/\.$/);
});

const claim = (part: Partial<ClaimRow>): ClaimRow => ({
  uid: 'u',
  namespace: 'ferry-desk',
  name: 'seat-cache',
  className: 'ledger',
  modes: ['ReadWriteOnce'],
  volumeMode: 'Filesystem',
  requested: GiB,
  provisioned: null,
  consumed: null,
  state: 'binding',
  pool: null,
  backend: null,
  volumeName: null,
  volumeId: null,
  createdAt: '2026-11-25T10:00:00Z',
  growth: null,
  reason: aReason(),
  ...part,
});

describe('words for claims', () => {
  test.each(claimStates)('%s has a mark, a word and a sentence', (state) => {
    expect(claimMarks[state]).toBeDefined();
    expect(stateWords[state]).toBeTruthy();
    expect(claimSentence(claim({ state }))).not.toMatch(/undefined|null/);
  });

  test('what fits nowhere says why, and on how many pools', () => {
    const failed = ['basalt-swift', 'basalt-broad'].map((pool) => ({
      pool,
      check: check('access-mode', 'ReadWriteMany', 'block', 'text'),
    }));
    const reason = {
      failed,
      pod: null,
      podWhy: null,
      error: null,
      nextAttemptAt: null,
      operation: null,
      stopped: null,
      attempts: 0,
      asks: null,
      missingSince: null,
      nearest: null,
    };
    expect(claimSentence(claim({ state: 'nothing-fits', reason }))).toBe(
      'Asks for ReadWriteMany; block storage gives one writer node (2 pools)',
    );
    const other = [...failed, { pool: 'kelp-nvme', check: check('fill', 0.9, 0.95, 'share') }];
    expect(claimSentence(claim({ state: 'nothing-fits', reason: { ...reason, failed: other } }))).toMatch(
      /basalt-swift; 2 more for other reasons|1 more for other reasons/,
    );
  });

  test("a claim that waits for its pod says why the platform has not placed that, in the platform's words", () => {
    const reason = {
      ...{ failed: [], pod: 'tide-0', podWhy: '0/12 nodes are available: 12 node(s) were not ready.', error: null },
      ...{
        nextAttemptAt: null,
        operation: null,
        stopped: null,
        attempts: 0,
        asks: null,
        missingSince: null,
        nearest: null,
      },
    };
    expect(claimSentence(claim({ state: 'waiting-pod', reason }))).toBe(
      'Waits for its first pod: tide-0 is not scheduled yet. The platform says: 0/12 nodes are available: 12 node(s) were not ready.',
    );
  });

  test('a claim without a class says whether it named one', () => {
    expect(claimSentence(claim({ state: 'no-class', className: 'ghost' }))).toBe('There is no class "ghost".');
    expect(claimSentence(claim({ state: 'no-class', className: null }))).toMatch(/no default class/);
    expect(claimSentence(claim({ state: 'no-class', className: '' }))).toMatch(/asks for no class/);
    const reason = aReason({ nearest: 'ledger' });
    expect(claimSentence(claim({ state: 'no-class', className: 'ledgr', reason }))).toBe(
      'There is no class "ledgr". Was "ledger" meant?',
    );
  });
});

test('where a claim would land is said with what would be next and what it would cost', () => {
  const decision = { winner: 'kelp-nvme', runnerUp: 'basalt-swift', provisioned: (80 * GiB) as never };
  expect(landingSentence(decision, 79.5 * GiB, false, 21, 'EUR')).toBe(
    'It would land on kelp-nvme, provisioned as 80 GiB (asked 79.5 GiB; the pool gives whole GiB). basalt-swift would be next. About 16.80 EUR a month.',
  );
  expect(landingSentence({ ...decision, runnerUp: undefined }, 80 * GiB, true, null, 'EUR')).toBe(
    'Once its first pod is scheduled, it would land on kelp-nvme, provisioned as 80 GiB. No other pool would take it.',
  );
});

test.each([
  [{ size: 1024 * GiB, left: 900 * GiB, added: 1024 * GiB }, 'a new instance of 1 TiB is bought for it'],
  [{ instance: 'i1', size: 1024 * GiB, left: 100 * GiB, added: 0 }, 'carved out of i1; 100 GiB are left there'],
  [
    { instance: 'i1', size: 1280 * GiB, left: 0, added: 256 * GiB },
    'carved out of i1, which is made 256 GiB larger for it; that is full then',
  ],
])('%o: %s', (carved, text) => {
  expect(carvedText(carved)).toBe(text);
  const decision = { winner: 'gneiss-shared', provisioned: (80 * GiB) as never, carved };
  expect(landingSentence(decision, 80 * GiB, false, null, 'EUR')).toMatch(`provisioned as 80 GiB: ${text}. No other`);
});
