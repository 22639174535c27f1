import { plainClass, type StorageClass } from '@moorage/core/classes/storage-class';
import { aPoolState, aState, type PoolState } from '../moorings/testing';
import type { Consequence } from './consequence';
import { consequencesOf, type Consequences } from './consequences';
import { poolLines } from './pool-lines';

const GiB = 2 ** 30;
const nodes = (id: string, count: number, part: Partial<PoolState> = {}, facts: Partial<PoolState['facts']> = {}) =>
  aPoolState(
    id,
    { backend: 'kelp', ...part },
    {
      redundancy: {
        kind: 'spread',
        scheme: { kind: 'copies', copies: 3 },
        level: 'node',
        domains: Array.from({ length: count }, (_, i) => ({ name: `quay-${i}`, capacity: 900 * GiB, live: true })),
      },
      ...facts,
    },
  );
const array = aPoolState('swift', {}, { offsite: true, snapshots: true });
const cluster = nodes('nvme', 4);
const rock = nodes('rock', 3, { backend: 'limpet', sites: ['gull-rock'] }, { encryption: false });
const state = aState({ pools: [array, cluster] });

const of = (part: Partial<StorageClass>, on = state, usedBy = 0): Consequences =>
  consequencesOf({ ...plainClass, name: 'ledger', copies: 2, ...part }, on, usedBy);
const texts = (list: readonly Consequence[], tone?: Consequence['tone']) =>
  list.filter((c) => tone === undefined || c.tone === tone).map((c) => c.text);

describe('how many copies, and where', () => {
  test.each<[string, Partial<StorageClass>, string]>([
    ['more copies than domains and failures survived', { copies: 5 }, 'No pool can keep 5 copies like this'],
    ['shards no pool has', { shards: { data: 4, parity: 2 }, copies: 5 }, 'No pool can keep 4+2 shards like this'],
    ['a witness for three copies', { copies: 3, witness: true }, 'with another number it has no use'],
    ['a copy at another site where there is none', { offsite: true }, 'no backend of another site has one'],
  ])('%s is impossible', (_what, part, text) => expect(texts(of(part).copies, 'impossible').join(' ')).toContain(text));

  test.each<[string, Partial<StorageClass>, string]>([
    ['one copy', { copies: 1 }, 'the loss of one disk loses the data'],
    ['two copies without a witness', {}, 'neither may write alone'],
    ['as few pinned nodes as copies', { pinnedNodes: ['quay-1'], copies: 1 }, 'no copy can be made anew'],
    ['a witness, which the backend is not told of', { witness: true }, 'the backend is not told of it'],
  ])('%s is foolish', (_what, part, text) => expect(texts(of(part).copies, 'foolish').join(' ')).toContain(text));

  test('what each byte takes is told for each pool that keeps our copies, and once for arrays', () => {
    const lines = poolLines({ ...plainClass, name: 'ledger', copies: 3 }, state);
    expect(lines.map((l) => [l.pool, l.takes, l.inner])).toEqual([
      ['swift', 1, true],
      ['nvme', 3, false],
    ]);
    expect(lines[1]!.usable).toBe(1200 * GiB);
  });

  test('prices count what a class keeps: fewer copies cost less on a cluster, a second backend costs its own', () => {
    const priced = aState({
      pools: [
        { ...array, price: 0.3 },
        { ...cluster, price: 0.2 },
      ],
    });
    const priceOn = (pool: string, part: Partial<StorageClass>) =>
      poolLines({ ...plainClass, name: 'ledger', ...part }, priced).find((l) => l.pool === pool)!.price;
    expect([1, 2, 3].map((copies) => priceOn('nvme', { copies })!.toFixed(2))).toEqual(['6.67', '13.33', '20.00']);
    expect([1, 2, 3].map((copies) => priceOn('swift', { copies })!.toFixed(2))).toEqual(['30.00', '30.00', '30.00']);
    expect(priceOn('swift', { copies: 2, secondCopy: true })!.toFixed(2)).toBe('43.33');
    expect(poolLines({ ...plainClass, name: 'ledger' }, state)[0]!.price).toBeNull();
  });

  test('answers are judged together: a pool that one shuts out is advised nowhere, and named with what shuts it out', () => {
    const plainCluster = nodes('nvme', 4, {}, { encryption: false });
    const some = aState({ pools: [array, plainCluster] });
    const both = of({ encrypted: true, copies: 3 }, some);
    expect(texts(both.copies).join(' ')).toContain('Shut out by other answers: nvme (encryption)');
    expect(poolLines({ ...plainClass, name: 'x', copies: 3, encrypted: true }, some).map((l) => l.pool)).toEqual([
      'swift',
    ]);
    const none = of({ encrypted: true, copies: 3 }, aState({ pools: [plainCluster] }));
    expect(texts(none.copies, 'impossible').join(' ')).toContain('Every claim would stay pending');
  });

  test('a second copy needs two backends', () => {
    expect(texts(of({ secondCopy: true }).copies).join(' ')).toContain('every byte is kept on both');
    const sends = of({ secondCopy: true, offsite: true }, aState({ pools: [array, cluster, rock] }));
    expect(texts(sends.copies, 'impossible')).toEqual([]);
    const alone = aState({ pools: [array] });
    expect(texts(of({ secondCopy: true }, alone).copies, 'impossible').join(' ')).toContain('there is one at most');
  });

  test('a copy at another site names the pools there that could keep it, and what it takes', () => {
    const both = aState({ pools: [array, cluster, rock] });
    expect(texts(of({ offsite: true }, both).copies, 'impossible')).toEqual([]);
    expect(texts(of({ offsite: true }, both).copies).join(' ')).toContain(
      'each byte takes 2 on rock there as well. It is written later',
    );
    // a pool of another site keeps no volume of this one
    expect(texts(of({}, both).copies).join(' ')).not.toContain('On rock');
    expect(texts(of({ offsite: true, encrypted: true }, both).copies, 'impossible').join(' ')).toContain('has one');
  });
});

test('many writers need files: raw blocks contradict it, and block pools alone never bind', () => {
  const keeping = (part: Partial<StorageClass>, on = state) =>
    texts(of({ purpose: 'shared-files', ...part }, on).keeping, 'impossible').join(' ');
  expect(keeping({ volumeMode: 'Block' })).toContain('a raw block device has one writer node');
  expect(keeping({})).toContain('many writers never bind');
  expect(keeping({}, aState({ pools: [aPoolState('shared', {}, { access: ['file'] })] }))).toBe('');
});

test('encryption and reduction that no pool has are impossible; those that some lack shut these out', () => {
  const bare = aState({ pools: [aPoolState('plain', {}, { encryption: false })] });
  expect(texts(of({ encrypted: true }, bare).keeping, 'impossible')).toEqual([
    'No pool encrypts: every claim would stay pending.',
  ]);
  expect(texts(of({ compression: true }).keeping, 'impossible').join(' ')).toContain('No pool reduces data');
  const mixed = aState({ pools: [array, ...bare.pools] });
  expect(texts(of({ encrypted: true }, mixed).keeping)).toContain('Shuts out plain: no encryption there.');
});

describe('what happens at the end', () => {
  const ending = (part: Partial<StorageClass>, usedBy = 0, on = state) => of(part, on, usedBy).ending;
  test('Delete without grace is foolish, and says more where databases use it', () => {
    expect(texts(ending({}), 'foolish')).toContain('Deleting a claim destroys its data at once.');
    for (const told of [ending({ purpose: 'databases' }), ending({}, 3)])
      expect(texts(told, 'foolish').join(' ')).toContain(
        'Databases use it, and deleting a claim destroys its data at once',
      );
  });
  test('grace and Retain say how long and what then', () => {
    expect(texts(ending({ graceDays: 1 })).join(' ')).toContain('kept for 1 day, offline, and destroyed then');
    expect(texts(ending({ reclaim: 'Retain', graceDays: 7 })).join(' ')).toContain('For 7 days nobody may destroy it');
  });
  test('a copy with the pod needs the pod first', () => {
    expect(texts(ending({ locality: true }), 'foolish').join(' ')).toContain(
      'let the volume be made with its first pod',
    );
    expect(texts(ending({ locality: true, binding: 'WaitForFirstConsumer' }), 'foolish').join(' ')).not.toContain(
      'first pod',
    );
  });
  test('a safeguard says how far back it would reach, and that it is not carried out yet', () => {
    const told = ending({ safeguard: { everyHours: 6, keep: 28 } });
    expect(texts(told).join(' ')).toContain('Would reach back 7 days, losing 6 h of work at worst. Shuts out nvme.');
    expect(texts(told, 'foolish').join(' ')).toContain('not taken yet');
    const none = aState({ pools: [cluster] });
    expect(texts(ending({ safeguard: { everyHours: 6, keep: 28 } }, 0, none), 'impossible').join(' ')).toContain(
      'No pool takes snapshots',
    );
  });
});

test('what a claim may tune is said with its bounds and whose it is', () => {
  const tuning = (setting: 'copies' | 'iops-floor', namespaces: string[], part: Partial<StorageClass> = {}) =>
    of({ allowances: [{ setting, minimum: 1, maximum: 3, namespaces }], ...part }).tuning[0]!;
  expect(of({}).tuning[0]!.text).toBe('Claims take the class as it is.');
  expect(tuning('iops-floor', ['ferry-desk']).text).toBe(
    'ferry-desk may ask for iops-floor from 1 to 3, with the annotation vast-moorage.example/iops-floor.',
  );
  expect(tuning('copies', []).tone).toBe('foolish');
  expect(tuning('copies', [], { shards: { data: 4, parity: 2 } }).tone).toBe('impossible');
});
