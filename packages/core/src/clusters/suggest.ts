import { usable, width, type Scheme } from '../capacity/usable';
import { fewestDomains, type ClusterDesign } from './design';
import { domainOf, isFast, unfit, type DomainLevel, type InventoryDisk } from './disk';

const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;

/** The most forgiving protection that the domains allow and that a cluster of this size usually keeps. */
export function suggestScheme(domains: number): Scheme {
  return { kind: 'copies', copies: Math.min(3, Math.max(2, domains - 1)) };
}

function dataCandidates(fit: readonly InventoryDisk[], level: DomainLevel, need: number): InventoryDisk[] {
  const spread = (disks: readonly InventoryDisk[]) => new Set(disks.map((d) => domainOf(d, level))).size;
  const fast = fit.filter(isFast);
  const slow = fit.filter((d) => !isFast(d));
  if (spread(fast) >= need) return fast;
  return spread(slow) >= need ? slow : [...fit];
}

/**
 * A selection out of bare disks: one medium, every disk that adds to what can be kept, none that only strands; small fast
 * disks, where at least three domains have one, for the metadata. Never an unfit disk. Ties go by id, so the same disks always
 * give the same suggestion.
 */
export function suggestDesign(
  disks: readonly InventoryDisk[],
  wanted: Pick<ClusterDesign, 'pool' | 'level'> & { readonly scheme?: Scheme },
): ClusterDesign {
  const { pool, level } = wanted;
  const fit = disks.filter((d) => unfit(d) === undefined).sort((a, b) => (a.id < b.id ? -1 : 1));
  const scheme = wanted.scheme ?? suggestScheme(new Set(fit.map((d) => domainOf(d, level))).size);
  const need = Math.max(fewestDomains, width(scheme));
  let data = dataCandidates(fit, level, need);
  const typical = median(data.map((d) => d.capacity));
  const small = fit.filter((d) => isFast(d) && d.capacity <= typical / 2);
  const smallDomains = new Set(small.map((d) => domainOf(d, level))).size;
  const metadata = smallDomains >= fewestDomains ? small : [];
  const kept = new Set(metadata.map((d) => d.id));
  data = data.filter((d) => !kept.has(d.id));
  return { pool, scheme, level, data: withoutStranded(data, scheme, level).map((d) => d.id), metadata: [...kept] };
}

/** Leaves out disks whose domain holds more than any mix can use without them, smallest first. */
function withoutStranded(disks: readonly InventoryDisk[], scheme: Scheme, level: DomainLevel): InventoryDisk[] {
  const byDomain = new Map<string, InventoryDisk[]>();
  for (const disk of disks) {
    const name = domainOf(disk, level);
    byDomain.set(name, [...(byDomain.get(name) ?? []), disk]);
  }
  const capacityOf = (list: readonly InventoryDisk[]) => list.reduce((sum, d) => sum + d.capacity, 0);
  const share = usable([...byDomain.values()].map(capacityOf), scheme) / (scheme.kind === 'copies' ? 1 : scheme.data);
  return [...byDomain.values()].flatMap((list) => {
    let capacity = capacityOf(list);
    return [...list]
      .sort((a, b) => a.capacity - b.capacity || (a.id < b.id ? -1 : 1))
      .filter((disk) => {
        if (capacity - disk.capacity < share) return true;
        capacity -= disk.capacity;
        return false;
      });
  });
}
