/** What our records say of a volume, by its claim and class (docs/calculations.md, Declared and actual). Bytes; MB/s. */
export interface Declared {
  readonly pool: string;
  /** Whether the class may still use that pool. */
  readonly allowed: boolean;
  readonly bytes: number;
  /** Null where the pool's inner copies are its own affair. */
  readonly copies: number | null;
  readonly encrypted: boolean;
  readonly iopsCeiling: number | null;
  readonly throughputCeiling: number | null;
  /** The backend's volume as the persistent volume is to name it. */
  readonly handle: string;
  readonly reclaim: string;
  /** An operation of ours is at it: what it changes is no drift yet. */
  readonly underWay: boolean;
}

/** What its backend lists; null where it does not say. */
export interface OnBackend {
  readonly pool: string;
  readonly bytes: number;
  readonly copies: number;
  readonly encrypted: boolean | null;
  readonly iopsCeiling: number | null;
  readonly throughputCeiling: number | null;
}

/** What the platform has of it. */
export interface OnPlatform {
  readonly bytes: number;
  readonly handle: string;
  readonly reclaim: string;
}

export const driftKinds = [
  'not-on-backend',
  'not-on-platform',
  'handle',
  'pool',
  'pool-not-allowed',
  'smaller',
  'larger',
  'copies-fewer',
  'copies-more',
  'encryption',
  'iops-ceiling',
  'throughput-ceiling',
  'size-told',
  'reclaim',
] as const;
export type DriftKind = (typeof driftKinds)[number];

/** Whose doing it is: a backend's, the platform's or somebody's there, or a change of ours that left the volume behind. */
export type DriftBy = 'backend' | 'platform' | 'ours';

export const driftRemedies = ['write-volume', 'count-as-it-is', 'grow-again', 'set-ceilings', 'tell-platform'] as const;
export type DriftRemedy = (typeof driftRemedies)[number];

export interface Drift {
  readonly kind: DriftKind;
  readonly declared: string | number | null;
  readonly actual: string | number | null;
  readonly by: DriftBy;
  /** What puts it right here; null where only a person or another place can. */
  readonly remedy: DriftRemedy | null;
}

/** Differences that put data at risk: it may be destroyed, read by others, or not be what its claim takes it for. */
export const endangers = ({ kind, actual }: Pick<Drift, 'kind' | 'actual'>): boolean =>
  ['not-on-backend', 'not-on-platform', 'handle', 'smaller', 'copies-fewer', 'encryption'].includes(kind) ||
  (kind === 'reclaim' && actual === 'Delete');

const remedies: Readonly<Record<DriftKind, readonly [DriftBy, DriftRemedy | null]>> = {
  'not-on-backend': ['backend', null],
  'not-on-platform': ['platform', 'write-volume'],
  handle: ['platform', null],
  pool: ['backend', 'count-as-it-is'],
  'pool-not-allowed': ['ours', null],
  smaller: ['backend', 'grow-again'],
  larger: ['backend', 'count-as-it-is'],
  'copies-fewer': ['backend', null],
  'copies-more': ['backend', null],
  encryption: ['backend', null],
  'iops-ceiling': ['backend', 'set-ceilings'],
  'throughput-ceiling': ['backend', 'set-ceilings'],
  'size-told': ['platform', 'tell-platform'],
  reclaim: ['platform', 'tell-platform'],
};

const drift = (kind: DriftKind, declared: Drift['declared'], actual: Drift['actual']): Drift => {
  const [by, remedy] = remedies[kind];
  return { kind, declared, actual, by, remedy };
};

/** What our class does not limit is nobody's affair; a ceiling that is declared must be the one that is kept. */
const ceiling = (kind: DriftKind, declared: number | null, actual: number | null): Drift[] =>
  declared !== null && declared !== actual ? [drift(kind, declared, actual)] : [];

function backendDrifts(declared: Declared, actual: OnBackend): Drift[] {
  const { bytes, copies } = declared;
  const found: Drift[] = [];
  if (actual.pool !== declared.pool) found.push(drift('pool', declared.pool, actual.pool));
  if (declared.encrypted && actual.encrypted === false) found.push(drift('encryption', 'encrypted', 'not encrypted'));
  if (declared.underWay) return found;
  if (actual.bytes < bytes) found.push(drift('smaller', bytes, actual.bytes));
  if (actual.bytes > bytes) found.push(drift('larger', bytes, actual.bytes));
  if (copies !== null && actual.copies < copies) found.push(drift('copies-fewer', copies, actual.copies));
  if (copies !== null && actual.copies > copies) found.push(drift('copies-more', copies, actual.copies));
  return [
    ...found,
    ...ceiling('iops-ceiling', declared.iopsCeiling, actual.iopsCeiling),
    ...ceiling('throughput-ceiling', declared.throughputCeiling, actual.throughputCeiling),
  ];
}

function platformDrifts(declared: Declared, actual: OnPlatform): Drift[] {
  const found: Drift[] = [];
  if (actual.handle !== declared.handle) found.push(drift('handle', declared.handle, actual.handle));
  if (actual.reclaim !== declared.reclaim) found.push(drift('reclaim', declared.reclaim, actual.reclaim));
  if (!declared.underWay && actual.bytes !== declared.bytes)
    found.push(drift('size-told', declared.bytes, actual.bytes));
  return found;
}

/**
 * Every difference between what is declared of a volume and what its two worlds say, in the order of `driftKinds`. Where a world
 * does not know the volume at all, that is told and nothing else of that world.
 */
export function driftsOf(
  declared: Declared,
  onBackend: OnBackend | undefined,
  onPlatform: OnPlatform | undefined,
): Drift[] {
  const found = [
    ...(declared.allowed ? [] : [drift('pool-not-allowed', declared.pool, null)]),
    ...(onBackend ? backendDrifts(declared, onBackend) : [drift('not-on-backend', declared.handle, null)]),
    ...(onPlatform ? platformDrifts(declared, onPlatform) : [drift('not-on-platform', declared.handle, null)]),
  ];
  return found.sort((a, b) => driftKinds.indexOf(a.kind) - driftKinds.indexOf(b.kind));
}
