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

/** A failure domain as copies are placed on it; `best` is its disk with most room of those that take one. */
interface Domain {
  readonly name: string;
  /** Whole places for volumes of this size, and bytes on disks that can be used. */
  places: number;
  room: number;
  best: ReplicaDisk | undefined;
}

const roomOf = ({ capacity, used }: ReplicaDisk): number => capacity - used;
/** Whether a disk has more room than another one; of equal ones the first by id. */
const hasMore = (disk: ReplicaDisk, than: ReplicaDisk | undefined): boolean =>
  !than || roomOf(disk) > roomOf(than) || (roomOf(disk) === roomOf(than) && disk.id < than.id);

/** Whether a domain takes a copy before another one: more whole places, then more room, then by the id of its best disk. */
const comesBefore = (domain: Domain, than: Domain | undefined): boolean =>
  !than ||
  domain.places > than.places ||
  (domain.places === than.places &&
    (domain.room > than.room || (domain.room === than.room && domain.best!.id < than.best!.id)));

/**
 * Places the copies of one volume (docs/calculations.md, Copies): each on a different failure domain, on the domain and disk with most room after
 * placement, one copy on the first pod's node when asked and possible. Room of a domain is counted in whole places for volumes
 * of this size first, then in bytes: bytes in remainders too small for one hold nothing, and so as many volumes fit as can.
 * Never on unusable disks. Ties go by disk id.
 */
export function placeCopies(disks: readonly ReplicaDisk[], options: PlaceOptions): PlaceResult {
  const { copies, size, preferNode, pinned, witness } = options;
  // one pass: this is asked for every claim of a plan, over every disk of a cluster
  const domains = new Map<string, Domain>();
  let local: ReplicaDisk | undefined;
  for (const disk of disks) {
    if (!disk.usable) continue;
    let domain = domains.get(disk.domain);
    if (!domain) domains.set(disk.domain, (domain = { name: disk.domain, places: 0, room: 0, best: undefined }));
    const room = roomOf(disk);
    domain.room += room;
    if (room < size || (pinned && !pinned.includes(disk.node))) continue;
    if (size > 0) domain.places += Math.floor(room / size);
    if (hasMore(disk, domain.best)) domain.best = disk;
    if (preferNode !== undefined && disk.node === preferNode && hasMore(disk, local)) local = disk;
  }

  const chosen: PlacedCopy[] = [];
  const place = ({ domain, node, id: disk }: ReplicaDisk) => chosen.push({ domain, node, disk, role: 'data' });
  if (local && copies > 0) place(local);
  // a few of many are taken: looked for one by one instead of put in order
  while (chosen.length < copies) {
    let next: Domain | undefined;
    for (const domain of domains.values())
      if (domain.best && !chosen.some((c) => c.domain === domain.name) && comesBefore(domain, next)) next = domain;
    if (!next) break;
    place(next.best!);
  }
  if (chosen.length < copies) {
    const have = [...domains.values()].filter((d) => d.best).length;
    return { ok: false, problem: 'too-few-domains', need: copies, have };
  }
  if (witness !== 'wanted') return { ok: true, copies: chosen };

  const taken = new Set(chosen.map((c) => c.domain));
  const voter = disks
    .filter((d) => d.usable && !taken.has(d.domain))
    .sort((a, b) => domains.get(b.domain)!.room - domains.get(a.domain)!.room || (a.id < b.id ? -1 : 1))[0];
  if (!voter) return { ok: false, problem: 'no-witness-domain', need: copies + 1, have: domains.size };
  const { domain, node, id } = voter;
  return { ok: true, copies: [...chosen, { domain, node, disk: id, role: 'witness' }] };
}
