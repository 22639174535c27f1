import fc from 'fast-check';
import { blockOf, blockText, exactBlocks, isIn, rangesSeen, singleBlock, sizeOfBlock, type Block } from './ranges';

const texts = (blocks: readonly Block[]) => blocks.map(blockText);

test.each<[string[], string[]]>([
  [[], []],
  [['10.40.10.33'], ['10.40.10.33/32']],
  [
    ['10.40.10.32', '10.40.10.33', '10.40.10.34', '10.40.10.35', '10.40.10.36'],
    ['10.40.10.32/30', '10.40.10.36/32'],
  ],
  [
    ['10.0.0.1', '10.0.0.2'],
    ['10.0.0.1/32', '10.0.0.2/32'],
  ],
  [
    ['fd00::2', 'fd00::3', '10.0.0.1', 'nonsense'],
    ['10.0.0.1/32', 'fd00::2/127'],
  ],
])('the exact list of %j is %j', (addresses, blocks) => expect(texts(exactBlocks(addresses))).toEqual(blocks));

test('the smallest single block counts the strangers it lets in', () => {
  expect(singleBlock(['10.40.10.33', '10.40.10.46'])).toEqual({
    block: { address: '10.40.10.32', prefix: 28 },
    strangers: 14n,
  });
  expect(singleBlock(['10.0.0.1', 'fd00::1'])).toBeUndefined();
  expect(singleBlock([])).toBeUndefined();
});

test('a mask reads as the prefix it is, and a mask with holes as none', () => {
  expect(blockOf('10.40.10.33', '255.255.255.0')).toEqual({ address: '10.40.10.0', prefix: 24 });
  expect(blockOf('10.40.10.33', '255.255.255.255')).toEqual({ address: '10.40.10.33', prefix: 32 });
  expect(blockOf('10.40.10.33', '255.0.255.0')).toBeUndefined();
  expect(blockOf('10.40.10.33', 'fd00::')).toBeUndefined();
});

const addressAt = (n: number) => `10.40.${Math.floor(n / 256)}.${n % 256}`;
const arbitraryAddresses = fc.uniqueArray(fc.nat({ max: 600 }), { minLength: 1, maxLength: 120 });
/** The numbers, below 1,024, of the addresses that blocks hold: reckoned by hand. */
const covered = (blocks: readonly Block[]): number[] => {
  const inside = new Set<number>();
  for (const { address, prefix } of blocks) {
    const [, , c, d] = address.split('.').map(Number);
    const size = 2 ** (32 - prefix);
    const from = Math.floor((c! * 256 + d!) / size) * size;
    for (let n = from; n < from + size && n < 1024; n++) inside.add(n);
  }
  return [...inside].sort((a, b) => a - b);
};

test('an exact list covers exactly, and no shorter list does', () => {
  fc.assert(
    fc.property(arbitraryAddresses, (numbers) => {
      const blocks = exactBlocks(numbers.map(addressAt));
      const sorted = [...numbers].sort((a, b) => a - b);
      expect(covered(blocks)).toEqual(sorted);
      expect(blocks.reduce((sum, b) => sum + sizeOfBlock(b), 0n)).toBe(BigInt(numbers.length));
      // no two of them make one: of halves of a block only one is in the list
      const keys = new Set(texts(blocks));
      for (const { address, prefix } of blocks) {
        const [, , c, d] = address.split('.').map(Number);
        const at = c! * 256 + d!;
        const size = 2 ** (32 - prefix);
        const sibling = (Math.floor(at / size) ^ 1) * size;
        expect(keys.has(`${addressAt(sibling)}/${prefix}`)).toBe(false);
      }
    }),
    { numRuns: 200 },
  );
});

test('a single block holds all of them, and its half does not', () => {
  fc.assert(
    fc.property(arbitraryAddresses, (numbers) => {
      const addresses = numbers.map(addressAt);
      const { block, strangers } = singleBlock(addresses)!;
      expect(addresses.every((a) => isIn(a, block))).toBe(true);
      expect(strangers).toBe(sizeOfBlock(block) - BigInt(addresses.length));
      if (block.prefix === 32) return;
      const halves = [0n, sizeOfBlock(block) / 2n].map((offset) => {
        const [a, b, c, d] = block.address.split('.').map(Number);
        const at = ((a! * 256 + b!) * 256 + c!) * 256 + d! + Number(offset);
        return {
          address: [at >>> 24, (at >>> 16) & 255, (at >>> 8) & 255, at & 255].join('.'),
          prefix: block.prefix + 1,
        };
      });
      for (const half of halves) expect(addresses.every((a) => isIn(a, half))).toBe(false);
    }),
    { numRuns: 200 },
  );
});

test('what blocks let in is counted once where they overlap, and nodes that they miss are named', () => {
  fc.assert(
    fc.property(
      arbitraryAddresses,
      fc.array(fc.tuple(fc.nat({ max: 900 }), fc.integer({ min: 24, max: 32 })), { maxLength: 8 }),
      (numbers, given) => {
        const blocks = given.map(([n, prefix]) => blockOf(addressAt(n), maskOf(prefix))!);
        const addresses = numbers.map(addressAt);
        const { missing, strangers, idle } = rangesSeen(addresses, blocks);
        const inside = covered(blocks);
        expect(Number(strangers)).toBe(inside.filter((n) => !numbers.includes(n)).length);
        expect(missing).toEqual(addresses.filter((_, i) => !inside.includes(numbers[i]!)));
        expect(idle).toEqual(blocks.filter((b) => !addresses.some((a) => isIn(a, b))));
      },
    ),
    { numRuns: 200 },
  );
});

const maskOf = (prefix: number): string => {
  const bits = (0xffffffff << (32 - prefix)) >>> 0;
  return prefix === 0 ? '0.0.0.0' : [bits >>> 24, (bits >>> 16) & 255, (bits >>> 8) & 255, bits & 255].join('.');
};
