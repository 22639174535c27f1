import { deletionAsked, fateWords, usersWords } from './deletion-words';

const used = (pods: string[], application: string | null = null, otherReplicas = 0) => ({
  pods: pods.map((pod) => ({ pod, node: 'quay-03' })),
  application,
  otherReplicas,
});

test('who uses a claim is named, with when it goes and what is left', () => {
  expect(usersWords(used([]))).toBe('No pod uses it: the platform lets it go at once.');
  expect(usersWords(used(['booking-ledger-1'], 'booking-ledger', 2))).toBe(
    'booking-ledger-1 on quay-03 uses it: the platform keeps claim and volume until that pod is gone. 2 other replicas of booking-ledger keep their own data.',
  );
  expect(usersWords(used(['a', 'b', 'c', 'd'], 'press', 0))).toBe(
    'a on quay-03, b on quay-03, c on quay-03 and 1 more use it: the platform keeps claim and volume until those pods are gone. No other replica of press is left with data of its own.',
  );
});

test('a deletion that was asked for is never called done', () => {
  expect(deletionAsked('ferry-desk/a', used([]))).toBe('The platform was asked to delete ferry-desk/a.');
  expect(deletionAsked('ferry-desk/a', used(['p']))).toMatch(/it does so when p is gone/);
});

test('the fate of a volume is its class’s', () => {
  expect(fateWords({ reclaim: 'Retain', graceDays: 7 })).toMatch(/nothing is destroyed/);
  expect(fateWords({ reclaim: 'Delete', graceDays: 7 })).toMatch(/kept for 7 days/);
  expect(fateWords({ reclaim: 'Delete', graceDays: 0 })).toBe('is destroyed for good.');
  expect(fateWords(undefined)).toMatch(/as its class said/);
});
