import type { PlannedManifest } from '@moorage/contract/manifests';
import { fateLines, allLandings, markOf, type Foreseen } from './plan-words';

const GiB = 2 ** 30;
const grown = (growth: PlannedManifest['growth']): PlannedManifest => ({
  ...{ line: 1, kind: 'PersistentVolumeClaim', namespace: 'ferry-desk', name: 'log', fate: 'changed', objections: [] },
  changes: [{ path: 'spec.resources.requests.storage', from: '5Gi', to: '9Gi' }],
  ...{ growth, asked: null },
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

const made = (landing: Foreseen['landing']): Foreseen => ({ ...grown(null), fate: 'new', changes: [], landing });
test.each<[Foreseen['landing'], string, RegExp]>([
  [undefined, 'settled', /^Is made.$/],
  [
    { kind: 'lands', pool: 'kelp-nvme', price: 3.456, waits: false },
    'settled',
    /^Is made. It would land on kelp-nvme. About 3.46 EUR a month.$/,
  ],
  [
    { kind: 'lands', pool: 'kelp-nvme', price: null, waits: true },
    'settled',
    /^Is made. Once its first pod is scheduled, it would land on kelp-nvme.$/,
  ],
  [{ kind: 'refused', pool: 'kelp-nvme', check }, 'person', /would wait: nothing fits. kelp-nvme: .*4 GiB.*1 GiB/],
  [{ kind: 'unmoored' }, 'person', /would wait: its class is moored to no pool/],
  [{ kind: 'no-class' }, 'person', /would wait: it names no class, and there is no default class/],
])('a new claim says where it lands, or why nowhere: %j', (landing, mark, words) => {
  expect(fateLines(made(landing), 'EUR').join()).toMatch(words);
  expect(markOf(made(landing))).toBe(mark);
});

test('a growth that does not fit is marked as what somebody has to do something about', () => {
  expect(markOf(grown({ addedRaw: 0, failed: { pool: 'kelp-nvme', check } }))).toBe('person');
  expect(markOf(grown({ addedRaw: 1, failed: null }))).toBe('progress');
});

test('all new claims of a text in one sentence, with their price', () => {
  const lands = { kind: 'lands' as const, pool: 'kelp-nvme', waits: false };
  const of = new Map<number, NonNullable<Foreseen['landing']>>([
    [0, { ...lands, price: 2 }],
    [1, { ...lands, price: 3.5 }],
    [2, { kind: 'unmoored' }],
  ]);
  expect(allLandings(of, 'EUR')).toBe('New claims: 2 on kelp-nvme; 1 would wait. About 5.50 EUR a month.');
});
