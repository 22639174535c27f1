import { GiB } from '../sizes/bytes';
import { aClass } from '../placement/testing';
import { plainClass } from './storage-class';
import {
  carriedOver,
  differences,
  fixedSettings,
  isLoose,
  looseSettings,
  quarrels,
  movingShare,
  planMoves,
  successorName,
  type Mover,
} from './succession';

test('a successor takes the next free number', () => {
  expect(successorName('ledger', new Set())).toBe('ledger-2');
  expect(successorName('ledger', new Set(['ledger-2']))).toBe('ledger-3');
  expect(successorName('ledger-2', new Set(['ledger-2']))).toBe('ledger-3');
  expect(successorName('tide-fast', new Set())).toBe('tide-fast-2');
});

test('what differs between two classes is told, and what is left out is as plain as said', () => {
  expect(differences(aClass({ copies: 2 }), aClass({ copies: 3, encrypted: true }))).toEqual(['copies', 'encrypted']);
  expect(differences(aClass({ shards: undefined }), aClass())).toEqual([]);
});

test('two people who change different settings of a class both get theirs; only the same setting is a quarrel', () => {
  const was = aClass({ strategy: 'in-order', copies: 2, expansion: false });
  const mine = aClass({ ...was, strategy: 'spread' });
  const now = aClass({ ...was, expansion: true });
  expect(quarrels(was, mine, now)).toEqual([]);
  expect(carriedOver(was, mine, now)).toEqual({ ...now, strategy: 'spread' });
  expect(quarrels(was, mine, aClass({ ...was, strategy: 'pack' }))).toEqual(['strategy']);
  expect(quarrels(was, mine, mine)).toEqual([]);
  expect([isLoose('strategy'), isLoose('copies')]).toEqual([true, false]);
  // every setting is either fixed or loose, so none is forgotten when two classes are compared
  const all = Object.keys({
    ...plainClass,
    shards: 0,
    iopsFloor: 0,
    iopsCeiling: 0,
    throughputFloor: 0,
    throughputCeiling: 0,
  });
  const more = ['latencyAimMs', 'fileSystem', 'root', 'safeguard'];
  expect([...fixedSettings, ...looseSettings].sort()).toEqual([...all, ...more].sort());
});

test('idle claims move first, then little before much; the time is the slower pool’s', () => {
  const mover = (claim: string, consumed: number, inUse: boolean): Mover => ({
    namespace: 'ferry-desk',
    claim,
    from: 'slow',
    bytes: 100 * GiB,
    consumed,
    inUse,
  });
  const moves = planMoves(
    [mover('busy-small', GiB, true), mover('idle-large', 50 * GiB, false), mover('idle-small', 2 * GiB, false)],
    ({ claim }) => (claim === 'idle-large' ? null : 'quick'),
    (pool) => (pool === 'slow' ? 4 * GiB : 40 * GiB),
  );
  expect(moves.map((m) => [m.claim, m.to, m.seconds])).toEqual([
    ['idle-small', 'quick', (2 * GiB) / (movingShare * 4 * GiB)],
    ['idle-large', null, 0],
    ['busy-small', 'quick', 1],
  ]);
});
