import { bytes, totalBytes, type Bytes } from '../sizes/bytes';

/** How a pool keeps data: `copies` whole copies, or `data + parity` shards, each on a distinct failure domain. */
export type Scheme =
  | { readonly kind: 'copies'; readonly copies: number }
  | { readonly kind: 'erasure'; readonly data: number; readonly parity: number };

export interface DomainCapacity {
  readonly name: string;
  readonly capacity: Bytes;
}

/** Distinct domains that one piece of data touches. */
export const width = (scheme: Scheme): number =>
  scheme.kind === 'copies' ? scheme.copies : scheme.data + scheme.parity;

/** Pieces that together hold the data once. */
const dataPieces = (scheme: Scheme): number => (scheme.kind === 'copies' ? 1 : scheme.data);

/** Domains that may be lost with the data still there. */
export const survives = (scheme: Scheme): number => (scheme.kind === 'copies' ? scheme.copies - 1 : scheme.parity);

/** Raw bytes taken by `size` usable bytes, rounded up. */
export function rawFootprint(size: Bytes, scheme: Scheme): Bytes {
  return bytes(Math.ceil(size / dataPieces(scheme)) * width(scheme));
}

/**
 * Usable capacity: the largest `U` with `Σ min(cᵢ, U/k) ≥ w·U/k`, where `w` is the scheme's width and `k` its data pieces
 * (docs/calculations.md, Capacity). With `S_j` the capacity of all but the `j` largest domains this is `k · min over j < w of S_j / (w − j)`,
 * since `Σ min(cᵢ, x) = min over j of (j·x + S_j)`. Exact, in whole bytes, rounded down. 0 with fewer than `w` domains.
 */
export function usable(capacities: readonly number[], scheme: Scheme): Bytes {
  const w = width(scheme);
  if (capacities.length < w) return bytes(0);
  const sorted = [...capacities].sort((a, b) => b - a);
  let rest = sorted.reduce((sum, c) => sum + BigInt(c), 0n);
  let best: bigint | undefined;
  for (let j = 0; j < w; j++) {
    const share = (BigInt(dataPieces(scheme)) * rest) / BigInt(w - j);
    if (best === undefined || share < best) best = share;
    rest -= BigInt(sorted[j]!);
  }
  return totalBytes(best ?? 0n);
}

/**
 * Safe capacity: what still fits at full redundancy after the worst loss of `losses` domains. Usable grows with every
 * capacity, so losing the largest domains is the worst loss.
 */
export function safe(capacities: readonly number[], scheme: Scheme, losses = 1): Bytes {
  return usable([...capacities].sort((a, b) => b - a).slice(losses), scheme);
}

export interface StrandedDomain {
  readonly name: string;
  readonly stranded: Bytes;
}

export interface CapacityExplained {
  readonly raw: Bytes;
  readonly usable: Bytes;
  readonly safe: Bytes;
  /** What no mix of domains can ever use: raw − footprint of the usable capacity. */
  readonly stranded: Bytes;
  /** Spent on copies or parity. */
  readonly redundancy: Bytes;
  /** The most of one domain that can ever be used. */
  readonly share: number;
  /** Domains larger than the share, largest loss first. */
  readonly strandedBy: readonly StrandedDomain[];
}

/** "I had 200, why do I see 66?": where each raw byte of a pool goes. */
export function explainCapacity(domains: readonly DomainCapacity[], scheme: Scheme): CapacityExplained {
  const capacities = domains.map((d) => d.capacity);
  const raw = totalBytes(capacities.reduce((sum, c) => sum + BigInt(c), 0n));
  const u = usable(capacities, scheme);
  const share = u / dataPieces(scheme);
  const footprint = Math.min(raw, Math.ceil(share * width(scheme)));
  const strandedBy = domains
    .map((d) => ({ name: d.name, stranded: totalBytes(Math.max(0, Math.floor(d.capacity - share))) }))
    .filter((d) => d.stranded > 0)
    .sort((a, b) => b.stranded - a.stranded || a.name.localeCompare(b.name));
  return {
    raw,
    usable: u,
    safe: safe(capacities, scheme),
    stranded: totalBytes(raw - footprint),
    redundancy: totalBytes(footprint - u),
    share,
    strandedBy,
  };
}

export interface AddedDisk {
  readonly domain: string;
  readonly disk: Bytes;
  /** Usable bytes gained, from the new disk and from what it frees. */
  readonly gain: Bytes;
  /** The part of the gain that comes from capacity stranded before. */
  readonly freed: Bytes;
}

/** The domain where one more disk of `disk` bytes gains most usable capacity; undefined when it gains nothing anywhere. */
export function bestDiskToAdd(domains: readonly DomainCapacity[], scheme: Scheme, disk: Bytes): AddedDisk | undefined {
  const before = explainCapacity(domains, scheme);
  let best: AddedDisk | undefined;
  // domains of one size gain the same: the first by name stands for all of them
  const bySize = new Map<number, DomainCapacity>();
  for (const domain of domains) {
    const known = bySize.get(domain.capacity);
    if (!known || domain.name < known.name) bySize.set(domain.capacity, domain);
  }
  for (const target of bySize.values()) {
    const after = explainCapacity(
      domains.map((d) => (d === target ? { ...d, capacity: totalBytes(d.capacity + disk) } : d)),
      scheme,
    );
    const gain = totalBytes(after.usable - before.usable);
    if (gain > 0 && (best === undefined || gain > best.gain || (gain === best.gain && target.name < best.domain)))
      best = { domain: target.name, disk, gain, freed: totalBytes(Math.max(0, before.stranded - after.stranded)) };
  }
  return best;
}
