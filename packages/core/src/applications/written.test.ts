import fc from 'fast-check';
import { compareWritten, writtenIn, type Written } from './written';

const at = (writes: number, fingerprint = `feed${String(writes).padStart(4, '0')}`): Written => ({
  writes,
  fingerprint,
});

test('what a pod tells is read, the last write first', () => {
  expect(writtenIn('{"data-a-0":"1:feed0001 2:feed0002","log-a-0":"7:feed0007"}')).toEqual({
    'data-a-0': [at(2), at(1)],
    'log-a-0': [at(7)],
  });
});

test('of what nobody can read, nothing is told', () => {
  for (const text of [undefined, 7, '', '{', 'null', '[]', '{"a":7}', '{"a":"x:feed0001"}', '{"a":"-1:feed0001"}'])
    expect(writtenIn(text)).toEqual({});
  expect(writtenIn('{"a":"3:feed0003 <b>:x 2:fe"}')).toEqual({ a: [at(3)] });
});

test('whatever is written there, it is read or left, and never thrown at anybody', () => {
  fc.assert(fc.property(fc.oneof(fc.string(), fc.json()), (text) => void writtenIn(text)));
});

test.each([
  ['same', [at(3), at(2)], [at(3), at(2)]],
  ['continued', [at(3), at(2)], [at(5), at(4), at(3)]],
  ['short', [at(3)], [at(2), at(1)]],
  ['other', [at(3)], [at(3, 'dead0003')]],
  ['other', [at(3)], [at(4), at(3, 'dead0003')]],
  ['unknown', [at(3)], [at(9), at(8)]],
  ['unknown', [at(3)], []],
  ['unknown', [], [at(3)]],
] as const)('%s', (comparison, before, after) => {
  expect(compareWritten(before, after)).toBe(comparison);
});
