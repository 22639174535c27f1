import type { AccessMode, VolumeMode } from '../classes/storage-class';

/** A persistent volume made beforehand, as far as matching goes. Bytes; times as ISO text. */
export interface StaticVolume {
  readonly name: string;
  readonly className: string;
  readonly modes: readonly AccessMode[];
  readonly volumeMode: VolumeMode;
  readonly capacity: number;
  readonly labels: Readonly<Record<string, string>>;
  readonly createdAt: string;
  readonly phase: 'Available' | 'Bound' | 'Released' | 'Failed' | 'Pending';
  /** The claim it is reserved for; one without a uid is meant by its name. */
  readonly reservedFor?: { readonly namespace: string; readonly name: string; readonly uid?: string };
}

/** A claim that asks for a volume. */
export interface StaticClaim {
  readonly namespace: string;
  readonly name: string;
  readonly uid?: string;
  readonly className: string;
  readonly modes: readonly AccessMode[];
  readonly volumeMode: VolumeMode;
  readonly size: number;
  readonly volumeName?: string;
  readonly selector?: Selector;
}

export interface Selector {
  readonly matchLabels?: Readonly<Record<string, string>>;
  readonly matchExpressions?: readonly {
    readonly key: string;
    readonly operator: string;
    readonly values?: readonly string[];
  }[];
}

/** The rules of docs/calculations.md, Volumes made beforehand, in their order. */
export const staticRules = ['class', 'modes', 'volume-mode', 'capacity', 'selector', 'named', 'free'] as const;
export type StaticRule = (typeof staticRules)[number];

/** Whether labels match a selector, as the platform reads it; an operator that it does not know matches nothing. */
export function matchesSelector(labels: Readonly<Record<string, string>>, selector: Selector | undefined): boolean {
  const { matchLabels = {}, matchExpressions = [] } = selector ?? {};
  return (
    Object.entries(matchLabels).every(([key, value]) => labels[key] === value) &&
    matchExpressions.every(({ key, operator, values = [] }) => {
      const has = labels[key];
      switch (operator) {
        case 'In':
          return has !== undefined && values.includes(has);
        case 'NotIn':
          return has === undefined || !values.includes(has);
        case 'Exists':
          return has !== undefined;
        case 'DoesNotExist':
          return has === undefined;
        default:
          return false;
      }
    })
  );
}

const isReservedFor = ({ reservedFor }: StaticVolume, { namespace, name, uid }: StaticClaim): boolean =>
  reservedFor !== undefined &&
  reservedFor.namespace === namespace &&
  reservedFor.name === name &&
  (reservedFor.uid === undefined || reservedFor.uid === uid);

const passes: Record<StaticRule, (volume: StaticVolume, claim: StaticClaim) => boolean> = {
  class: (v, c) => v.className === c.className,
  modes: (v, c) => c.modes.every((mode) => v.modes.includes(mode)),
  'volume-mode': (v, c) => v.volumeMode === c.volumeMode,
  capacity: (v, c) => v.capacity >= c.size,
  selector: (v, c) => matchesSelector(v.labels, c.selector),
  named: (v, c) => c.volumeName === undefined || c.volumeName === '' || v.name === c.volumeName,
  free: (v, c) => (v.reservedFor ? isReservedFor(v, c) : v.phase === 'Available'),
};

/** The rules by which a volume is refused for a claim; none when it matches. */
export const refusedBy = (volume: StaticVolume, claim: StaticClaim): StaticRule[] =>
  staticRules.filter((rule) => !passes[rule](volume, claim));

export interface Candidate {
  readonly volume: StaticVolume;
  /** Bytes beyond what the claim asks: not lendable to anybody else. */
  readonly surplus: number;
  readonly reserved: boolean;
  readonly refused: readonly StaticRule[];
}

/** Reserved ones first, then the smallest, the oldest, by name. */
const better = (a: Candidate, b: Candidate): number =>
  Number(b.reserved) - Number(a.reserved) ||
  a.volume.capacity - b.volume.capacity ||
  (a.volume.createdAt < b.volume.createdAt ? -1 : a.volume.createdAt > b.volume.createdAt ? 1 : 0) ||
  (a.volume.name < b.volume.name ? -1 : a.volume.name > b.volume.name ? 1 : 0);

/** Every volume for a claim: those that match ranked, best first; then the others with the rules that refuse them, fewest first. */
export function rankVolumes(volumes: readonly StaticVolume[], claim: StaticClaim): Candidate[] {
  const all = volumes.map((volume): Candidate => ({
    volume,
    surplus: Math.max(0, volume.capacity - claim.size),
    reserved: isReservedFor(volume, claim),
    refused: refusedBy(volume, claim),
  }));
  return all.sort((a, b) => a.refused.length - b.refused.length || better(a, b));
}

/** The volume that the platform binds to a claim: the best that matches; undefined when none does. */
export function bestMatch(volumes: readonly StaticVolume[], claim: StaticClaim): StaticVolume | undefined {
  const [first] = rankVolumes(volumes, claim);
  return first?.refused.length === 0 ? first.volume : undefined;
}

/** A claim of a set by its name: the template and the set, and the ordinal of the replica. */
export function ordinalOf(name: string): { readonly set: string; readonly ordinal: number } | undefined {
  const found = /^(.+)-(0|[1-9]\d{0,5})$/.exec(name);
  return found ? { set: found[1]!, ordinal: Number(found[2]) } : undefined;
}
