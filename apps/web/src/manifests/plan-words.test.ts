import type { PlannedManifest } from '@moorage/contract/manifests';
import { fateLines } from './plan-words';

const GiB = 2 ** 30;
const grown = (growth: PlannedManifest['growth']): PlannedManifest => ({
  ...{ line: 1, kind: 'PersistentVolumeClaim', namespace: 'ferry-desk', name: 'log', fate: 'changed', objections: [] },
  changes: [{ path: 'spec.resources.requests.storage', from: '5Gi', to: '9Gi' }],
  growth,
});
const check = { rule: 'subscription' as const, passed: false, need: 4 * GiB, have: GiB, unit: 'bytes' as const };

test.each<[PlannedManifest['growth'], RegExp | undefined]>([
  [{ addedRaw: 12 * GiB, failed: null }, /^Its volume fits where it is: 12 GiB more of raw space.$/],
  [
    { addedRaw: 0, failed: { pool: 'kelp-nvme', check } },
    /^Its volume does not fit so yet, and waits. kelp-nvme: .*4 GiB.*1 GiB/,
  ],
  [null, undefined],
])('a claim that asks for more says what becomes of its volume: %j', (growth, words) => {
  const [change, ...rest] = fateLines(grown(growth));
  expect(change).toBe('spec.resources.requests.storage becomes 9Gi, from 5Gi.');
  if (words) expect(rest.join()).toMatch(words);
  else expect(rest).toEqual([]);
});
