import type { ApplicationAfter, DeletionPlan } from '@moorage/contract/deletion';
import { applicationLine, deletionAsked, deletionLines, usersLine } from './deletion-words';

const GiB = 2 ** 30;
const used = (pods: string[], application: string | null = null, otherReplicas = 0) => ({
  pods: pods.map((pod) => ({ pod, node: 'quay-03' })),
  application,
  otherReplicas,
});
const plan = (row: Partial<DeletionPlan['claims'][number]>, applications: ApplicationAfter[] = []): DeletionPlan => ({
  claims: [
    {
      ...{ namespace: 'ferry-desk', name: 'a', fate: 'destroyed', used: 2 * GiB, graceDays: 0, copiesOn: [], pods: [] },
      ...row,
    },
  ],
  ...{ destroyed: 0, inGrace: 0, kept: 0, copiesDestroyed: 0, applications, confirm: false },
});
const after = (part: Partial<ApplicationAfter>): ApplicationAfter => ({
  ...{ namespace: 'ferry-desk', application: 'ledger', replicas: 3, before: 3, after: 2 },
  ...{ keepsMajority: true, losesAll: false },
  ...part,
});

test('who uses a claim is named, with when it goes', () => {
  expect(usersLine(used([]), 'kept').text).toBe('No pod uses it: the platform lets it go at once.');
  expect(usersLine(used(['ledger-1']), 'grace').text).toBe(
    'ledger-1 on quay-03 uses it: the platform keeps claim and volume until that pod is gone. Until then its volume can still be kept.',
  );
  expect(usersLine(used(['a', 'b', 'c', 'd']), 'kept').text).toMatch(
    /a on quay-03.* and 1 more use it: .*those pods are gone\.$/,
  );
});

test('a deletion that was asked for is never called done', () => {
  expect(deletionAsked('ferry-desk/a', used([]))).toBe('The platform was asked to delete ferry-desk/a.');
  expect(deletionAsked('ferry-desk/a', used(['p']))).toMatch(/it does so when p is gone/);
});

test.each<[Partial<DeletionPlan['claims'][number]>, RegExp]>([
  [{}, /destroyed for good, and 2 GiB of written data with it/],
  [{ used: 0 }, /on which nothing was written, is destroyed/],
  [{ fate: 'kept' }, /stays behind, adrift, with 2 GiB of written data: nothing is destroyed/],
  [{ fate: 'kept', used: 0 }, /adrift, with nothing written/],
  [{ fate: 'grace', graceDays: 7 }, /offline for 7 days, and then its 2 GiB of written data are destroyed/],
  [{ fate: 'nothing' }, /no volume yet: no data goes with it/],
])('the fate of a volume %j is told', (row, words) => {
  expect(deletionLines(plan(row), used([]))[0]!.text).toMatch(words);
});

test('copies elsewhere share the fate of what is destroyed, and not of what is kept', () => {
  const copies = { copiesOn: ['gneiss', 'limpet'] };
  expect(deletionLines(plan(copies), used([])).map((l) => l.text)).toContain(
    'Its copies on gneiss, and on limpet share that fate.',
  );
  expect(deletionLines(plan({ ...copies, fate: 'kept' }), used([]))).toHaveLength(2);
});

test.each<[Partial<ApplicationAfter>, RegExp, string]>([
  [{}, /2 of 3 replicas of ledger keep their data: more than half/, 'settled'],
  [{ after: 1, keepsMajority: false }, /1 of 3 replicas of ledger keeps its data. It loses its majority/, 'person'],
  [{ before: 1, after: 1, keepsMajority: false }, /It had no majority before/, 'person'],
  [{ after: 0, keepsMajority: false, losesAll: true }, /No replica of ledger is left with data/, 'lost'],
])('an application afterwards, %j, is told with its majority', (part, words, mark) => {
  expect(applicationLine(after(part))).toEqual({ mark, text: expect.stringMatching(words) as string });
});
