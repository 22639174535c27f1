/** A disk that copies may go to. Bytes. */
export interface ReplicaDisk {
  readonly id: string;
  readonly node: string;
  /** The failure domain at the pool's level: node, rack or zone. */
  readonly domain: string;
  readonly capacity: number;
  readonly used: number;
  /** False on failed disks and on cordoned, failed or draining nodes. */
  readonly usable: boolean;
}

export interface PlacedCopy {
  readonly domain: string;
  readonly node: string;
  readonly disk: string;
  readonly role: 'data' | 'witness';
}

export interface PlaceOptions {
  readonly copies: number;
  readonly size: number;
  /** Node of the first pod: preferred for one copy. */
  readonly preferNode?: string;
  /** Copies only on these nodes. */
  readonly pinned?: readonly string[];
  /** One more domain that holds no data but a vote; for two copies. */
  readonly witness?: 'wanted';
}

export type PlaceResult =
  | { readonly ok: true; readonly copies: readonly PlacedCopy[] }
  | {
      readonly ok: false;
      readonly problem: 'too-few-domains' | 'no-witness-domain';
      readonly need: number;
      /** Domains with a disk that takes a copy. */
      readonly have: number;
    };

const byRoom = (a: { room: number; disk: ReplicaDisk }, b: { room: number; disk: ReplicaDisk }): number =>
  b.room - a.room || (a.disk.id < b.disk.id ? -1 : 1);

/**
 * Places the copies of one volume (docs/calculations.md, Copies): each on a different failure domain, on the domain and disk with most room after
 * placement, one copy on the first pod's node when asked and possible. Room of a domain is counted in whole places for volumes
 * of this size first, then in bytes: bytes in remainders too small for one hold nothing, and so as many volumes fit as can.
 * Never on unusable disks. Ties go by disk id.
 */
export function placeCopies(disks: readonly ReplicaDisk[], options: PlaceOptions): PlaceResult {
  const { copies, size, preferNode, pinned, witness } = options;
  const fits = disks.filter((d) => d.usable && d.capacity - d.used >= size && (!pinned || pinned.includes(d.node)));
  const domains = new Map<string, { places: number; room: number; best: ReplicaDisk }>();
  const placesOf = new Map<string, number>();
  for (const d of fits)
    placesOf.set(d.domain, (placesOf.get(d.domain) ?? 0) + (size > 0 ? Math.floor((d.capacity - d.used) / size) : 0));
  const roomOfDomain = new Map<string, number>();
  for (const disk of disks)
    if (disk.usable) roomOfDomain.set(disk.domain, (roomOfDomain.get(disk.domain) ?? 0) + disk.capacity - disk.used);
  for (const { disk } of fits.map((d) => ({ disk: d, room: d.capacity - d.used })).sort(byRoom))
    if (!domains.has(disk.domain))
      domains.set(disk.domain, {
        places: placesOf.get(disk.domain)!,
        room: roomOfDomain.get(disk.domain)! - size,
        best: disk,
      });

  const chosen: PlacedCopy[] = [];
  const place = (disk: ReplicaDisk) => {
    chosen.push({ domain: disk.domain, node: disk.node, disk: disk.id, role: 'data' });
    domains.delete(disk.domain);
  };
  const local =
    preferNode && fits.filter((d) => d.node === preferNode).map((disk) => ({ disk, room: disk.capacity - disk.used }));
  if (local && local.length > 0 && copies > 0) place(local.sort(byRoom)[0]!.disk);
  const available = domains.size + chosen.length;
  const ranked = [...domains.values()]
    .map(({ places, room, best }) => ({ places, room, disk: best }))
    .sort((a, b) => b.places - a.places || byRoom(a, b));
  for (const { disk } of ranked) if (chosen.length < copies) place(disk);
  if (chosen.length < copies) return { ok: false, problem: 'too-few-domains', need: copies, have: available };
  if (witness !== 'wanted') return { ok: true, copies: chosen };

  const taken = new Set(chosen.map((c) => c.domain));
  const voter = disks
    .filter((d) => d.usable && !taken.has(d.domain))
    .map((disk) => ({ disk, room: roomOfDomain.get(disk.domain)! }))
    .sort(byRoom)[0];
  if (!voter) return { ok: false, problem: 'no-witness-domain', need: copies + 1, have: roomOfDomain.size };
  const { domain, node, id } = voter.disk;
  return { ok: true, copies: [...chosen, { domain, node, disk: id, role: 'witness' }] };
}
