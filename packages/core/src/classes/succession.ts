import type { StorageClass } from './storage-class';

/** Settings that the platform fixes when a class is made: another value takes another class. */
export const fixedSettings = [
  'purpose',
  'copies',
  'shards',
  'level',
  'witness',
  'secondCopy',
  'offsite',
  'pinnedNodes',
  'zones',
  'locality',
  'iopsFloor',
  'iopsCeiling',
  'throughputFloor',
  'throughputCeiling',
  'writeShare',
  'latencyAimMs',
  'protocols',
  'encrypted',
  'volumeMode',
  'fileSystem',
  'mountOptions',
  'root',
  'compression',
  'deduplication',
  'reclaim',
  'graceDays',
  'binding',
  'safeguard',
  'allowances',
] as const satisfies readonly (keyof StorageClass)[];

/** Settings that may change while claims use the class. */
export const looseSettings = ['strategy', 'expansion'] as const satisfies readonly (keyof StorageClass)[];
export const isLoose = (setting: keyof StorageClass): boolean =>
  (looseSettings as readonly (keyof StorageClass)[]).includes(setting);

/** Settings in which two classes differ, but for their names. */
export function differences(a: StorageClass, b: StorageClass): (keyof StorageClass)[] {
  const plain = (value: unknown) => JSON.stringify(value ?? null, (_key, v: unknown) => (v === undefined ? null : v));
  return [...fixedSettings, ...looseSettings].filter((setting) => plain(a[setting]) !== plain(b[setting]));
}

/** What somebody made of a class, `was` to `mine`, done to what it is now: other settings stay as they are now. */
export function carriedOver<C extends StorageClass>(was: StorageClass, mine: C, now: StorageClass): C {
  const own = Object.fromEntries(differences(was, mine).map((setting) => [setting, mine[setting]]));
  return { ...mine, ...now, ...own };
}

/** Settings that two people made different things of. */
export function quarrels(was: StorageClass, mine: StorageClass, now: StorageClass): (keyof StorageClass)[] {
  const theirs = new Set(differences(was, now));
  const contested = new Set(differences(mine, now));
  return differences(was, mine).filter((setting) => theirs.has(setting) && contested.has(setting));
}

/** A name for the class that takes over: the next free `name-2`, `name-3`, … */
export function successorName(name: string, taken: ReadonlySet<string>): string {
  const [, stem, number] = /^(.*?)(?:-(\d+))?$/.exec(name)!;
  for (let n = Number(number ?? 1) + 1; ; n++) if (!taken.has(`${stem}-${n}`)) return `${stem}-${n}`;
}

/** A claim that is to move, with what is known of its data. Bytes. */
export interface Mover {
  readonly namespace: string;
  readonly claim: string;
  readonly from: string | null;
  readonly bytes: number;
  readonly consumed: number;
  /** A pod runs on it: moving it means a pause. */
  readonly inUse: boolean;
}

export interface Move extends Omit<Mover, 'inUse'> {
  /** Null: it fits nowhere yet. */
  readonly to: string | null;
  readonly seconds: number;
}

/** Share of a pool's throughput that moving data may take: application I/O goes first. */
export const movingShare = 0.25;

/**
 * The moves of a class's claims to their new places, in the order they should be made: those nobody runs on first, then little
 * data before much, so that a mistake shows early and cheaply. `seconds` is written bytes ÷ the slower of the two pools' share
 * for moving data; 0 where neither pool tells its throughput.
 */
export function planMoves(
  movers: readonly Mover[],
  place: (mover: Mover) => string | null,
  throughputOf: (pool: string) => number,
): Move[] {
  return [...movers]
    .sort(
      (a, b) =>
        Number(a.inUse) - Number(b.inUse) ||
        a.consumed - b.consumed ||
        (`${a.namespace}/${a.claim}` < `${b.namespace}/${b.claim}` ? -1 : 1),
    )
    .map((asked) => {
      const { inUse: _inUse, ...mover } = asked;
      const to = place(asked);
      const rates = [mover.from, to].filter((p) => p !== null).map((p) => movingShare * throughputOf(p));
      const rate = Math.min(...rates.filter((r) => r > 0));
      const seconds = to !== null && Number.isFinite(rate) ? mover.consumed / rate : 0;
      return { ...mover, to, seconds };
    });
}
