import ipaddr from 'ipaddr.js';

/** A block of addresses, as `10.40.10.32/28` or `fd00::/64`. */
export interface Block {
  readonly address: string;
  readonly prefix: number;
}

type Family = 4 | 6;
interface At {
  readonly family: Family;
  readonly value: bigint;
}
const widths: Readonly<Record<Family, number>> = { 4: 32, 6: 128 };

function read(address: string): At | undefined {
  if (!ipaddr.isValid(address)) return undefined;
  const parsed = ipaddr.process(address);
  const value = parsed.toByteArray().reduce((sum, byte) => (sum << 8n) | BigInt(byte), 0n);
  return { family: parsed.kind() === 'ipv4' ? 4 : 6, value };
}

function write(family: Family, value: bigint): string {
  const count = widths[family] / 8;
  const bytes = Array.from({ length: count }, (_, i) => Number((value >> BigInt(8 * (count - 1 - i))) & 255n));
  return ipaddr.fromByteArray(bytes).toString();
}

export const blockText = ({ address, prefix }: Block): string => `${address}/${prefix}`;

/** How many addresses a block holds. */
export const sizeOfBlock = ({ address, prefix }: Block): bigint => 1n << BigInt(widths[read(address)!.family] - prefix);

/** A block from an address and a mask in dotted form, as backends keep them; undefined for a mask that is none. */
export function blockOf(address: string, mask: string): Block | undefined {
  const [at, of] = [read(address), read(mask)];
  if (!at || !of || at.family !== of.family) return undefined;
  const width = widths[of.family];
  const ones = of.value.toString(2).padStart(width, '0');
  if (!/^1*0*$/.test(ones)) return undefined;
  const prefix = ones.indexOf('0') < 0 ? width : ones.indexOf('0');
  const free = BigInt(width - prefix);
  return { address: write(at.family, (at.value >> free) << free), prefix };
}

/** Whether an address lies in a block; one of another family never does. */
export function isIn(address: string, block: Block): boolean {
  const [at, base] = [read(address), read(block.address)];
  if (!at || !base || at.family !== base.family) return false;
  const free = BigInt(widths[at.family] - block.prefix);
  return at.value >> free === base.value >> free;
}

const known = (addresses: readonly string[]): At[] => addresses.flatMap((a) => read(a) ?? []);
const values = (addresses: readonly string[], family: Family): bigint[] =>
  [
    ...new Set(
      known(addresses)
        .filter((a) => a.family === family)
        .map((a) => a.value),
    ),
  ].sort((a, b) => (a < b ? -1 : 1));

/** The shortest list of blocks that hold these addresses and no others (domain: Client ranges). Addresses that are none are left out. */
export function exactBlocks(addresses: readonly string[]): Block[] {
  return ([4, 6] as const).flatMap((family) => {
    const width = widths[family];
    const sorted = values(addresses, family);
    const blocks: Block[] = [];
    for (let i = 0; i < sorted.length;) {
      const start = sorted[i]!;
      let run = 1;
      while (i + run < sorted.length && sorted[i + run] === start + BigInt(run)) run++;
      // the largest block that begins here: aligned, and full
      let bits = 0;
      while (bits < width && start % (1n << BigInt(bits + 1)) === 0n && 1n << BigInt(bits + 1) <= BigInt(run)) bits++;
      blocks.push({ address: write(family, start), prefix: width - bits });
      i += 2 ** bits;
    }
    return blocks;
  });
}

/** The smallest block that holds all of them, and how many strangers it lets in; undefined of none, and of two families. */
export function singleBlock(addresses: readonly string[]): { block: Block; strangers: bigint } | undefined {
  const families = [...new Set(known(addresses).map((a) => a.family))];
  const [family] = families;
  if (family === undefined || families.length > 1) return undefined;
  const sorted = values(addresses, family);
  const [first, last] = [sorted[0]!, sorted[sorted.length - 1]!];
  let bits = 0;
  while (first >> BigInt(bits) !== last >> BigInt(bits)) bits++;
  const base = (first >> BigInt(bits)) << BigInt(bits);
  return {
    block: { address: write(family, base), prefix: widths[family] - bits },
    strangers: (1n << BigInt(bits)) - BigInt(sorted.length),
  };
}

export interface RangesSeen {
  /** Addresses of nodes that are in none of the blocks. */
  readonly missing: readonly string[];
  /** Addresses that may mount and that no node has. */
  readonly strangers: bigint;
  /** Blocks that hold no node at all. */
  readonly idle: readonly Block[];
}

/** What a list of blocks lets in, beside the nodes that it should. Blocks may overlap: an address counts once. */
export function rangesSeen(addresses: readonly string[], blocks: readonly Block[]): RangesSeen {
  const widest = blocks.filter(
    (b, i) =>
      !blocks.some(
        (o, j) => i !== j && isIn(b.address, o) && (o.prefix < b.prefix || (o.prefix === b.prefix && j < i)),
      ),
  );
  const all = widest.reduce((sum, b) => sum + sizeOfBlock(b), 0n);
  const inside = [...new Set(addresses)].filter((a) => widest.some((b) => isIn(a, b)));
  return {
    missing: addresses.filter((a) => !inside.includes(a)),
    strangers: all - BigInt(inside.length),
    idle: blocks.filter((b) => !addresses.some((a) => isIn(a, b))),
  };
}
