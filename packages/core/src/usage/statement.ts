/** A price from a moment on. Millionths of the currency, for a month each. */
export interface Rate {
  readonly tier: string;
  /** Milliseconds since 1970; it holds until the next of its tier. */
  readonly from: number;
  readonly microsPerGiB: number;
  /** Of a reserved operation per second. */
  readonly microsPerIops: number;
}

/** What one line of a statement had promised from one moment until another. */
export interface Charged {
  readonly line: string;
  readonly tier: string;
  readonly from: number;
  readonly until: number;
  /** Provisioned. */
  readonly bytes: number;
  /** Reserved, thousandths of an operation per second. */
  readonly milliIops: number;
}

/** A month, or whatever time a statement is of. Milliseconds since 1970. */
export interface Term {
  readonly from: number;
  readonly until: number;
}

const gibibyte = 2n ** 30n;
const microsPerCent = 10_000n;
/** What amounts are counted in: a millionth of the currency, cut by bytes of a GiB, thousandths of an operation, and milliseconds of the term. */
const partsOfCent = (term: Term): bigint => microsPerCent * gibibyte * 1000n * BigInt(term.until - term.from);

/** The rates of a tier in their order. Before the first there is no price. */
function ratesOf(rates: readonly Rate[]): ReadonlyMap<string, readonly Rate[]> {
  const byTier = new Map<string, Rate[]>();
  for (const rate of [...rates].sort((a, b) => a.from - b.from))
    byTier.set(rate.tier, [...(byTier.get(rate.tier) ?? []), rate]);
  return byTier;
}

/** What one line had promised in a time in which no price of its tier begins, summed up over that time. */
export interface ChargedSum {
  readonly line: string;
  readonly tier: string;
  /** Milliseconds since 1970. */
  readonly from: number;
  /** Bytes by milliseconds, and thousandths of an operation per second by milliseconds. */
  readonly byteMs: bigint;
  readonly milliIopsMs: bigint;
}

/** What each line costs, in parts of a cent (`partsOfCent`), so that it is the same however times are split and in whatever order they come. */
export function chargesOfSums(uses: readonly ChargedSum[], rates: readonly Rate[]): Map<string, bigint> {
  const byTier = ratesOf(rates);
  const charges = new Map<string, bigint>();
  for (const { line, tier, from, byteMs, milliIopsMs } of uses) {
    const rate = byTier.get(tier)?.findLast((r) => r.from <= from);
    const cost = rate
      ? byteMs * BigInt(rate.microsPerGiB) * 1000n + milliIopsMs * BigInt(rate.microsPerIops) * gibibyte
      : 0n;
    charges.set(line, (charges.get(line) ?? 0n) + cost);
  }
  return charges;
}

/**
 * What each line costs in a term, exactly: promised bytes and operations by the time that they were promised in it, at the rates of
 * that time.
 */
export function chargesOf(uses: readonly Charged[], rates: readonly Rate[], term: Term): Map<string, bigint> {
  const byTier = ratesOf(rates);
  const sums = uses.flatMap(({ line, tier, bytes, milliIops, ...use }): ChargedSum[] => {
    const [from, until] = [Math.max(use.from, term.from), Math.min(use.until, term.until)];
    const begins = [from, ...(byTier.get(tier) ?? []).map((r) => r.from).filter((t) => t > from), until];
    return begins.slice(0, -1).flatMap((begin, i) => {
      const ms = Math.min(until, begins[i + 1]!) - begin;
      if (ms <= 0) return [];
      return [
        { line, tier, from: begin, byteMs: BigInt(bytes) * BigInt(ms), milliIopsMs: BigInt(milliIops) * BigInt(ms) },
      ];
    });
  });
  return chargesOfSums(sums, rates);
}

/**
 * Amounts to the cent that add up to the whole, rounded once: each is rounded down, and the cents that are left go to those of which
 * most was cut off (largest remainder; of equal ones to the first by name). So any grouping of lines adds up to the same.
 */
export function inCents(charges: ReadonlyMap<string, bigint>, term: Term): Map<string, number> {
  const cent = partsOfCent(term);
  const lines = [...charges].map(([line, exact]) => ({ line, cents: exact / cent, rest: exact % cent }));
  const exact = lines.reduce((sum, l) => sum + l.cents * cent + l.rest, 0n);
  const whole = (2n * exact + cent) / (2n * cent);
  let left = whole - lines.reduce((sum, l) => sum + l.cents, 0n);
  const byRest = [...lines].sort((a, b) => (a.rest === b.rest ? (a.line < b.line ? -1 : 1) : a.rest > b.rest ? -1 : 1));
  for (const line of byRest) {
    if (left <= 0n) break;
    line.cents += 1n;
    left -= 1n;
  }
  return new Map(lines.map(({ line, cents }) => [line, Number(cents)]));
}
