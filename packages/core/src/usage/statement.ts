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

/**
 * What each line costs in a term, exactly: promised bytes and operations by the time that they were promised in it, at the rates of
 * that time. In parts of a cent (`partsOfCent`), so that it is the same however times are split and in whatever order they come.
 */
export function chargesOf(uses: readonly Charged[], rates: readonly Rate[], term: Term): Map<string, bigint> {
  const byTier = ratesOf(rates);
  const charges = new Map<string, bigint>();
  for (const { line, tier, bytes, milliIops, ...use } of uses) {
    const [from, until] = [Math.max(use.from, term.from), Math.min(use.until, term.until)];
    if (from >= until) continue;
    const own = byTier.get(tier) ?? [];
    let sum = charges.get(line) ?? 0n;
    own.forEach((rate, i) => {
      const ms = Math.min(until, own[i + 1]?.from ?? Infinity) - Math.max(from, rate.from);
      if (ms <= 0) return;
      const micros =
        BigInt(bytes) * BigInt(rate.microsPerGiB) * 1000n + BigInt(milliIops) * BigInt(rate.microsPerIops) * gibibyte;
      sum += micros * BigInt(ms);
    });
    charges.set(line, sum);
  }
  return charges;
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
