import { probeOutcomes } from '@moorage/contract/registration';
import type { DesignProblem } from '@moorage/core/clusters/design';
import { findingKinds, type FindingKind } from '@moorage/core/findings/finding';
import { durationText, leavingSentence, problemSentence } from './words';
import { findingWords } from '../watch/words';
import { probeWords } from '../backends/probe-words';
import { checkRemedy, checkTitles, shortFailure, type Check } from '../backends/readiness-words';

const TiB = 2 ** 40;
const wellSaid = (sentence: string) => {
  expect(sentence).not.toMatch(/undefined|NaN|null|\[object/);
  expect(sentence.trim()).toBe(sentence);
};

test.each(Object.keys(findingKinds) as FindingKind[])('%s is said with what follows and a next step', (kind) => {
  const facts = {
    backend: 'kelp',
    pool: 'kelp-deep',
    node: 'quay-08',
    claims: 3,
    some: ['tide-gauges/level-log', 'ferry-desk/receipts'],
    nodes: ['quay-12'],
    addresses: ['10.40.10.33'],
    domains: ['quay-03', 'quay-04'],
    check: 'paths',
    of: 'NVMeOverFabrics',
    state: 'nothing-fits',
    volumes: 2,
    syncing: 1,
    bytes: 5 * TiB,
    fill: 0.84,
    soft: 0.8,
    hard: 0.9,
    consumed: TiB,
    usable: 2 * TiB,
    detail: 'no answer within 10 s',
    against: 'hard',
  };
  const words = findingWords({ kind, subject: 'kelp-nvme', facts });
  for (const sentence of [words.title, words.detail, words.remedy]) {
    wellSaid(sentence);
    expect(sentence.length).toBeGreaterThan(5);
    expect(sentence).not.toContain('NVMeOverFabrics');
  }
  expect(words.path).toMatch(/^\/[a-z]/);
});

test('what is one is not said as many', () => {
  const one = findingWords({
    kind: 'claims-stuck',
    subject: 'ledger',
    facts: { state: 'nothing-fits', claims: 1, bytes: TiB, some: ['ferry-desk/receipts'] },
  });
  expect(one).toMatchObject({
    title: '1 claim of ledger fits nowhere',
    remedy: 'See what would bind it',
    path: '/claims/ferry-desk/receipts',
  });
  const two = findingWords({ kind: 'claims-stuck', subject: 'ledger', facts: { state: 'nothing-fits', claims: 2 } });
  expect(two.title).toBe('2 claims of ledger fit nowhere');
});

test.each(probeOutcomes)('a look that found %s says what it means and what to do', (outcome) => {
  expect(probeWords[outcome].what.length).toBeGreaterThan(5);
  expect(probeWords[outcome].help).toMatch(/\.$/);
});

const problems: DesignProblem[] = [
  { code: 'unfit-disk', disk: 'eui.1', node: 'quay-01', why: 'mounted' },
  { code: 'unknown-disk', disk: 'eui.1' },
  { code: 'two-roles', disk: 'eui.1' },
  { code: 'too-few-domains', need: 3, have: 2, level: 'rack' },
  { code: 'mixed-media', media: ['HDD', 'SSD'] },
  { code: 'slow-metadata', disk: 'eui.1', node: 'quay-01' },
  { code: 'metadata-domains', need: 3, have: 1 },
  { code: 'metadata-small', need: TiB, have: TiB / 2 },
  { code: 'short-of-memory', node: 'quay-01', need: TiB, have: -1 },
  { code: 'short-of-cores', node: 'quay-01', need: 6, have: 1 },
];
test.each(problems)('$code is a sentence', (problem) => {
  const sentence = problemSentence(problem);
  wellSaid(sentence);
  expect(sentence).toMatch(/\.$/);
});

test('what keeps a node in its place is said with the bytes', () => {
  expect(leavingSentence({ code: 'too-small', need: 3 * TiB, have: TiB }, 'node')).toBe(
    '3 TiB is written; 1 TiB could be kept then: 2 TiB short.',
  );
  expect(leavingSentence({ code: 'copy-homeless', volume: 'ferry-desk/receipts', need: TiB, have: 0 }, 'rack')).toBe(
    'A copy of ferry-desk/receipts needs 1 TiB in another rack; the best disk has 0 B left.',
  );
});

test('times are said as people say them', () =>
  expect([0, 45, 600, 7200, 90_000, 400_000].map(durationText)).toEqual([
    'at once',
    '45 s',
    '10 min',
    '2.0 h',
    '25 h',
    '5 days',
  ]));

describe('checks of a node', () => {
  const check = (part: Partial<Check>): Check => ({ check: 'paths', state: 'failed', need: 2, have: 1, ...part });
  test.each(Object.keys(checkTitles) as Check['check'][])('%s has an exact remedy when it fails', (name) => {
    const remedy = checkRemedy(check({ check: name, of: '10.40.10.33' }), 'quay-12', 'gneiss');
    wellSaid(remedy!);
    expect(checkRemedy(check({ check: name, state: 'passed' }), 'quay-12', 'gneiss')).toBeUndefined();
  });
  test('the worst of them is said in the cell', () => {
    expect(shortFailure([])).toBe('ready');
    const weak = check({ state: 'weak' });
    expect(shortFailure([weak, check({ check: 'driver' })])).toBe('no driver');
    expect(shortFailure([weak])).toBe('1 of 2 paths');
  });
});
