import { plainClass } from '@moorage/core/classes/storage-class';
import { aPoolState, aState } from '../moorings/testing';
import { landSet, setSentence } from './set-landing';

const GiB = 2 ** 30;
const pool = aPoolState('kelp-nvme');
const state = aState({
  classes: [{ ...plainClass, name: 'general', copies: 1 } as ReturnType<typeof aState>['classes'][number]],
  pools: [pool],
  moorings: [{ className: 'general', pool: pool.id, enabled: true, order: 1, weight: 1 }] as ReturnType<
    typeof aState
  >['moorings'],
  namespaces: ['tide-gauges'],
  limits: [{ namespace: 'tide-gauges', className: null, bytes: 25 * GiB }],
});
const tried = (size: number) => ({
  ...{ size, mode: 'ReadWriteOnce' as const, volumeMode: 'Filesystem' as const },
  ...{ namespace: 'tide-gauges', zone: '' },
});

test('each claim of a set is reckoned after those before it', () => {
  expect(landSet(state, 'general', tried(10 * GiB), 2)).toEqual({
    pools: [{ pool: 'kelp-nvme', claims: 2 }],
    refused: 0,
  });
  expect(landSet(state, 'general', tried(10 * GiB), 3)).toEqual({
    pools: [{ pool: 'kelp-nvme', claims: 2 }],
    refused: 1,
  });
  expect(landSet(state, 'unknown', tried(GiB), 3)).toBeUndefined();
});

test('a set is told whole', () => {
  const landing = { pools: [{ pool: 'kelp-nvme', claims: 2 }], refused: 0 };
  expect(setSentence(landing, 5 * GiB, 2)).toBe('2 claims, 10 GiB asked in all: 2 on kelp-nvme.');
  expect(setSentence({ ...landing, refused: 1 }, 5 * GiB, 3)).toBe(
    '3 claims, 15 GiB asked in all: 2 on kelp-nvme; 1 would find no room and wait.',
  );
});
