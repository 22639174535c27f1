import fc from 'fast-check';
import { bytes, GiB, gibibytes, MiB } from './bytes';
import { displaySize, sizeText } from './display';
import { provisionedReason, provisionedSize } from './provisioned';
import { formatQuantity, parseQuantity } from './quantity';

const sizeOf = (text: string) => {
  const result = parseQuantity(text);
  return result.ok ? result.bytes : result.problem;
};

describe('quantities', () => {
  test.each([
    ['500M', 500_000_000],
    ['500Mi', 524_288_000],
    ['0', 0],
    ['1.5Gi', 1.5 * GiB],
    ['.5Ki', 512],
    ['5.', 5],
    ['+3k', 3000],
    ['1e9', 1_000_000_000],
    ['1E9', 1_000_000_000],
    ['1E', 'too-large'],
    ['12e-1', 2],
    ['1500m', 2],
    ['8Pi', 'too-large'],
    ['7Pi', 7 * 1024 ** 5],
    ['', 'empty'],
    ['  ', 'empty'],
    ['80 Gi', 'not-a-quantity'],
    ['80GiB', 'unknown-suffix'],
    ['80gi', 'unknown-suffix'],
    ['1K', 'unknown-suffix'],
    ['-1Gi', 'negative'],
    ['-0', 0],
    ['0x10', 'not-a-quantity'],
    ['1e', 'unknown-suffix'],
  ])('%s is %s', (text, expected) => expect(sizeOf(text)).toBe(expected));

  test('what is written reads back as the same bytes', () =>
    fc.assert(fc.property(fc.maxSafeNat(), (n) => sizeOf(formatQuantity(bytes(n))) === n)));

  test('a fraction of a byte rounds up and says so', () => {
    expect(parseQuantity('1m')).toEqual({ ok: true, bytes: 1, roundedUp: true });
    expect(parseQuantity('1000m')).toEqual({ ok: true, bytes: 1, roundedUp: false });
  });

  test('no text makes the reader throw', () =>
    fc.assert(fc.property(fc.string(), (text) => typeof parseQuantity(text).ok === 'boolean')));
});

describe('sizes on a screen', () => {
  test.each([
    [0, '0 B'],
    [1023, '1,023 B'],
    [80 * GiB, '80 GiB'],
    [1.5 * 1024 * GiB, '1.5 TiB'],
    [5333.33 * GiB, '5.21 TiB'],
    [1023.7 * GiB, '1 TiB'],
    [-3 * GiB, '-3 GiB'],
  ])('%d shows as %s', (size, text) => expect(sizeText(size)).toBe(text));

  test('the exact figure goes along', () => expect(displaySize(1536).exact).toBe('1,536 bytes'));
});

describe('provisioned size', () => {
  const granularity = { minimum: gibibytes(1), granule: gibibytes(1) };
  test.each([
    [300 * MiB, 1, 'minimum'],
    [Math.ceil(10.2 * GiB), 11, 'granule'],
    [64 * GiB, 64, 'as-asked'],
  ] as const)('%d bytes become %d GiB: %s', (request, gib, reason) => {
    expect(provisionedSize(bytes(request), granularity)).toBe(gib * GiB);
    expect(provisionedReason(bytes(request), granularity)).toBe(reason);
  });

  test('never less than asked, never a whole granule more than needed', () =>
    fc.assert(
      fc.property(
        fc.nat(2 ** 40),
        fc.integer({ min: 1, max: 2 ** 34 }),
        fc.nat(2 ** 34),
        (request, granule, minimum) => {
          const size = provisionedSize(bytes(request), { minimum: bytes(minimum), granule: bytes(granule) });
          return (
            size >= request && size >= minimum && size % granule === 0 && size - granule < Math.max(request, minimum)
          );
        },
      ),
    ));

  test('a size that is no safe integer is a programmer error', () => {
    expect(() => bytes(1.5)).toThrow(RangeError);
    expect(() => bytes(-1)).toThrow(RangeError);
  });
});
