import { protocols } from './protocol';
import { tunables, type Allowance, type Tunable, type Tuned } from './tunable';
import {
  bindingModes,
  fileSystems,
  rootsOnNodes,
  levels,
  plainClass,
  purposes,
  reclaimPolicies,
  strategies,
  volumeModes,
  type Shards,
  type SnapshotSchedule,
  type StorageClass,
} from './storage-class';
import type { RateTerm } from '../performance/term';

/** The name our classes carry as provisioner, and the one prefix all our parameters live under. */
export const provisioner = 'vast-moorage.example';
export const prefix = `${provisioner}/`;
export const defaultClassAnnotation = 'storageclass.kubernetes.io/is-default-class';
/** Names the class that another one takes over from. */
export const succeedsAnnotation = `${prefix}succeeds`;
/** How one of the pools that fit is chosen, where that was changed after the class was made: parameters are fixed, annotations are not. */
export const strategyAnnotation = `${prefix}strategy`;
/** The standard's own parameter for the file system of a volume. */
export const fileSystemParameter = 'csi.storage.k8s.io/fstype';

/** A storage class as `storage.k8s.io/v1` has it, as far as we read or write it. */
export interface ClassManifest {
  readonly apiVersion: 'storage.k8s.io/v1';
  readonly kind: 'StorageClass';
  readonly metadata: { readonly name: string; readonly annotations?: Readonly<Record<string, string>> };
  readonly provisioner: string;
  readonly parameters?: Readonly<Record<string, string>>;
  readonly reclaimPolicy?: string;
  readonly volumeBindingMode?: string;
  readonly allowVolumeExpansion?: boolean;
  readonly mountOptions?: readonly string[];
  readonly allowedTopologies?: readonly {
    readonly matchLabelExpressions?: readonly { readonly key: string; readonly values: readonly string[] }[];
  }[];
}

export interface ManifestProblem {
  /** Path of the member, dotted. */
  readonly field: string;
  readonly problem: 'unknown-parameter' | 'bad-value';
  readonly value: string;
  /** What it may have been meant to be: the nearest name or value that is known. */
  readonly meant?: string;
  /** A value the setting takes, to show how it is written. */
  readonly example?: string;
}

export const zoneLabel = 'topology.kubernetes.io/zone';

/** Every setting that lives under our prefix: how it is written, read, and an example of it. */
interface Parameter {
  readonly about: string;
  readonly example: string;
  readonly values?: readonly string[];
  /** Undefined leaves the parameter out: the class is plain in this. */
  write(cls: StorageClass): string | undefined;
  /** Undefined: not a value it takes. */
  read(text: string): Partial<StorageClass> | undefined;
}

const flagOf = (
  member: 'witness' | 'secondCopy' | 'offsite' | 'locality' | 'encrypted' | 'compression' | 'deduplication',
  about: string,
): Parameter => ({
  about,
  example: 'true',
  values: ['true', 'false'],
  write: (cls) => (cls[member] ? 'true' : undefined),
  read: (text) => (text === 'true' || text === 'false' ? { [member]: text === 'true' } : undefined),
});

const oneOf = <M extends 'level' | 'strategy' | 'purpose' | 'volumeMode'>(
  member: M,
  values: readonly StorageClass[M][],
  about: string,
): Parameter => ({
  about,
  example: String(values[0]),
  values: values.map(String),
  write: (cls) => (cls[member] === plainClass[member] ? undefined : String(cls[member])),
  read: (text) => (values.some((v) => v === text) ? { [member]: text } : undefined),
});

const rateOf = (
  member: 'iopsFloor' | 'iopsCeiling' | 'throughputFloor' | 'throughputCeiling',
  about: string,
): Parameter => ({
  about,
  example: '12 per GiB, min 600, max 15000',
  write: (cls) => (cls[member] ? writeRate(cls[member]) : undefined),
  read: (text) => {
    const term = readRate(text);
    return term && { [member]: term };
  },
});

const wholeOf = (
  member: 'graceDays' | 'latencyAimMs',
  most: number,
  about: string,
  pattern: RegExp = /^\d{1,4}$/,
): Parameter => ({
  about,
  example: '7',
  write: (cls) => (cls[member] ? String(cls[member]) : undefined),
  read: (text) => (pattern.test(text) && Number(text) <= most ? { [member]: Number(text) } : undefined),
});

/** In the order they are written. */
export const parameters: Readonly<Record<string, Parameter>> = {
  purpose: oneOf('purpose', purposes, 'What the volumes are meant for'),
  copies: {
    about: 'Whole copies, 1 to 5',
    example: '3',
    values: ['1', '2', '3', '4', '5'],
    write: (cls) => (cls.shards ? undefined : String(cls.copies)),
    read: (text) => (/^[1-5]$/.test(text) ? { copies: Number(text) } : undefined),
  },
  shards: {
    about: 'Erasure coding instead of copies: data and parity shards',
    example: '4+2',
    write: (cls) => cls.shards && `${cls.shards.data}+${cls.shards.parity}`,
    read: (text) => {
      const shards = readShards(text);
      return shards && { shards, copies: shards.parity + 1 };
    },
  },
  level: oneOf('level', levels, 'How far apart copies lie at least'),
  witness: flagOf('witness', 'A vote without data on a third domain, for two copies'),
  'second-copy': flagOf('secondCopy', 'A copy written at the same time on another backend'),
  offsite: flagOf('offsite', 'A copy written later at another site'),
  'pinned-nodes': {
    about: 'Copies only on these nodes',
    example: 'quay-03, quay-04',
    write: (cls) => (cls.pinnedNodes.length > 0 ? cls.pinnedNodes.join(', ') : undefined),
    read: (text) => {
      const names = readList(text);
      return names.length > 0 ? { pinnedNodes: names } : undefined;
    },
  },
  locality: flagOf('locality', "One copy on the first pod's node"),
  strategy: oneOf('strategy', strategies, 'How one of the pools that fit is chosen'),
  'iops-floor': rateOf('iopsFloor', 'Operations per second that are reserved'),
  'iops-ceiling': rateOf('iopsCeiling', 'Operations per second that are let through at most'),
  'throughput-floor': rateOf('throughputFloor', 'MB/s that are reserved'),
  'throughput-ceiling': rateOf('throughputCeiling', 'MB/s that are let through at most'),
  'write-share': {
    about: 'Writes in the expected load, 0 to 1',
    example: '0.3',
    write: (cls) => (cls.writeShare === plainClass.writeShare ? undefined : String(cls.writeShare)),
    read: (text) => (/^(0(\.\d+)?|1(\.0+)?)$/.test(text) ? { writeShare: Number(text) } : undefined),
  },
  'latency-aim-ms': wholeOf('latencyAimMs', 10_000, 'Latency aimed at, milliseconds', /^\d{1,5}(\.\d{1,3})?$/),
  protocols: {
    about: 'Volumes are reached by one of these: iSCSI, Fibre Channel, NVMe/TCP, NFS',
    example: 'NVMe/TCP, iSCSI',
    write: (cls) => (cls.protocols.length > 0 ? cls.protocols.join(', ') : undefined),
    read: (text) => {
      const named = text.split(',').map((part) => protocols.find((p) => p === part.trim()));
      return named.every((p) => p !== undefined) ? { protocols: named } : undefined;
    },
  },
  encrypted: flagOf('encrypted', 'Encrypted at rest'),
  'volume-mode': oneOf('volumeMode', ['any', ...volumeModes], 'The volume mode claims may ask'),
  root: {
    about: "What root on a node writes to a share: kept as root's, or mapped to nobody",
    example: 'mapped',
    values: [...rootsOnNodes],
    write: (cls) => cls.root,
    read: (text) => {
      const root = rootsOnNodes.find((r) => r === text);
      return root && { root };
    },
  },
  compression: flagOf('compression', 'Compressed by the pool'),
  deduplication: flagOf('deduplication', 'Deduplicated by the pool'),
  'grace-days': wholeOf('graceDays', 3650, "Days a deleted claim's volume is kept"),
  safeguard: {
    about: 'Local snapshots: how often, and how many are kept',
    example: 'every 6 h, keep 28',
    write: (cls) => cls.safeguard && `every ${cls.safeguard.everyHours} h, keep ${cls.safeguard.keep}`,
    read: (text) => {
      const safeguard = readSchedule(text);
      return safeguard && { safeguard };
    },
  },
  ...Object.fromEntries(tunables.map((setting) => [`allow-${setting}`, allowanceOf(setting)])),
};

function allowanceOf(setting: Tunable): Parameter {
  return {
    about: `Bounds within which a claim may tune ${setting}, and the namespaces that may`,
    example: '600 to 20000 for ferry-desk, tide-gauges',
    write: (cls) => {
      const allowance = cls.allowances.find((a) => a.setting === setting);
      if (!allowance) return undefined;
      const { minimum, maximum, namespaces } = allowance;
      return `${minimum} to ${maximum}${namespaces.length > 0 ? ` for ${namespaces.join(', ')}` : ''}`;
    },
    read: (text) => {
      const match = /^(\d{1,9}) to (\d{1,9})(?: for (.+))?$/.exec(text);
      if (!match || Number(match[1]) > Number(match[2])) return undefined;
      const allowance: Allowance = {
        setting,
        minimum: Number(match[1]),
        maximum: Number(match[2]),
        namespaces: readList(match[3] ?? ''),
      };
      return { allowances: [allowance] };
    },
  };
}

const readList = (text: string): string[] => text.split(/[\s,]+/).filter(Boolean);

function readShards(text: string): Shards | undefined {
  const match = /^(\d{1,2})\+([1-4])$/.exec(text);
  if (!match || Number(match[1]) < 2 || Number(match[1]) > 16) return undefined;
  return { data: Number(match[1]), parity: Number(match[2]) };
}

function readSchedule(text: string): SnapshotSchedule | undefined {
  const match = /^every (\d{1,4}) h, keep (\d{1,4})$/.exec(text);
  if (!match || Number(match[1]) === 0 || Number(match[2]) === 0) return undefined;
  return { everyHours: Number(match[1]), keep: Number(match[2]) };
}

function writeRate(term: RateTerm): string {
  if (term.kind === 'fixed') return String(term.value);
  const bounds = [
    term.minimum !== undefined && `min ${term.minimum}`,
    term.maximum !== undefined && `max ${term.maximum}`,
  ];
  return [`${term.perGiB} per GiB`, ...bounds.filter(Boolean)].join(', ');
}

/** Reads `600` or `12 per GiB, min 600, max 15000`; undefined when it is neither. */
export function readRate(text: string): RateTerm | undefined {
  if (/^\d{1,9}$/.test(text)) return { kind: 'fixed', value: Number(text) };
  const match = /^(\d{1,6}(?:\.\d{1,3})?) per GiB(?:, min (\d{1,9}))?(?:, max (\d{1,9}))?$/.exec(text);
  if (!match) return undefined;
  const [, perGiB, minimum, maximum] = match;
  return {
    kind: 'per-gib',
    perGiB: Number(perGiB),
    ...(minimum !== undefined && { minimum: Number(minimum) }),
    ...(maximum !== undefined && { maximum: Number(maximum) }),
  };
}

/** The parameters of a class as its manifest holds them. */
export function toParameters(cls: StorageClass): Record<string, string> {
  const written: Record<string, string> = {};
  for (const [name, parameter] of Object.entries(parameters)) {
    const text = parameter.write(cls);
    if (text !== undefined) written[prefix + name] = text;
  }
  if (cls.fileSystem) written[fileSystemParameter] = cls.fileSystem;
  return written;
}

/** The manifest the platform's API accepts for a class. */
export function toManifest(cls: StorageClass, isDefault: boolean): ClassManifest {
  return {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: cls.name, ...(isDefault && { annotations: { [defaultClassAnnotation]: 'true' } }) },
    provisioner,
    parameters: toParameters(cls),
    reclaimPolicy: cls.reclaim,
    volumeBindingMode: cls.binding,
    allowVolumeExpansion: cls.expansion,
    ...(cls.mountOptions.length > 0 && { mountOptions: cls.mountOptions }),
    ...(cls.zones.length > 0 && {
      allowedTopologies: [{ matchLabelExpressions: [{ key: zoneLabel, values: cls.zones }] }],
    }),
  };
}

/** Edits between two words: insertions, deletions, replacements (Levenshtein 1966). */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next[j] = Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1));
    row = next;
  }
  return row[b.length]!;
}

/** The known word nearest to one that is not known, when it is near enough to have been meant. */
export function nearest(word: string, known: readonly string[]): string | undefined {
  const [best] = known
    .map((k) => ({ k, edits: distance(word.toLowerCase(), k.toLowerCase()) }))
    .sort((a, b) => a.edits - b.edits);
  return best && best.edits <= Math.max(1, Math.floor(best.k.length / 3)) ? best.k : undefined;
}

const numberWords: Readonly<Record<string, string>> = { one: '1', two: '2', three: '3', four: '4', five: '5' };

/** Reads a class back. What is wrong is listed and its default used, so that one typo never hides a whole class. */
export function fromManifest(manifest: ClassManifest): { storageClass: StorageClass; problems: ManifestProblem[] } {
  const problems: ManifestProblem[] = [];
  let read: Partial<StorageClass> = {};
  const given = Object.entries(manifest.parameters ?? {}).filter(([key]) => key.startsWith(prefix));
  const known = new Map(given.map(([key, text]) => [key.slice(prefix.length), String(text)]));
  for (const [name, parameter] of Object.entries(parameters)) {
    const text = known.get(name);
    if (text === undefined) continue;
    known.delete(name);
    const part = parameter.read(text);
    if (!part) {
      const meant = [numberWords[text.toLowerCase()], nearest(text, parameter.values ?? [])].find(
        (t) => t !== undefined && parameter.read(t) !== undefined,
      );
      problems.push({
        field: `parameters.${prefix}${name}`,
        problem: 'bad-value',
        value: text,
        ...(meant === undefined ? { example: parameter.example } : { meant }),
      });
    } else read = { ...read, ...part, allowances: [...(read.allowances ?? []), ...(part.allowances ?? [])] };
  }
  const standard = <T extends string>(
    values: readonly T[],
    field: string,
    text: string | undefined,
    otherwise: T,
  ): T => {
    if (text === undefined) return otherwise;
    if ((values as readonly string[]).includes(text)) return text as T;
    problems.push({ field, problem: 'bad-value', value: text, meant: nearest(text, values) ?? values[0] });
    return otherwise;
  };
  const fileSystem = manifest.parameters?.[fileSystemParameter];
  const strategy = manifest.metadata.annotations?.[strategyAnnotation];
  const storageClass: StorageClass = {
    ...plainClass,
    name: manifest.metadata.name,
    ...read,
    ...(fileSystem !== undefined && {
      fileSystem: standard(fileSystems, `parameters.${fileSystemParameter}`, fileSystem, fileSystems[0]),
    }),
    ...(strategy !== undefined && {
      strategy: standard(
        strategies,
        `metadata.annotations.${strategyAnnotation}`,
        strategy,
        read.strategy ?? 'in-order',
      ),
    }),
    mountOptions: manifest.mountOptions ?? [],
    reclaim: standard(reclaimPolicies, 'reclaimPolicy', manifest.reclaimPolicy, 'Delete'),
    binding: standard(bindingModes, 'volumeBindingMode', manifest.volumeBindingMode, 'Immediate'),
    expansion: manifest.allowVolumeExpansion ?? false,
    zones: (manifest.allowedTopologies ?? []).flatMap((t) =>
      (t.matchLabelExpressions ?? []).filter((e) => e.key === zoneLabel).flatMap((e) => e.values),
    ),
  };
  const names = Object.keys(parameters);
  for (const [name, value] of known) {
    const meant = nearest(name, names);
    problems.push({
      field: `parameters.${prefix}${name}`,
      problem: 'unknown-parameter',
      value,
      ...(meant !== undefined && { meant }),
    });
  }
  return { storageClass, problems };
}

/** What a claim tunes, from its annotations under our prefix. */
export function readTuned(annotations: Readonly<Record<string, string>> | undefined): Tuned | undefined {
  const tuned: Partial<Record<Tunable, number | string>> = {};
  for (const setting of tunables) {
    const text = annotations?.[prefix + setting];
    if (text !== undefined) tuned[setting] = /^\d{1,9}$/.test(text) ? Number(text) : text;
  }
  return Object.keys(tuned).length > 0 ? tuned : undefined;
}
