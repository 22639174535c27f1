import type { AccessMode, VolumeMode } from '../classes/storage-class';
import { parseQuantity } from '../sizes/quantity';
import type { Retention } from './set-manifest';
import type { PodAsked, SpreadRule, Toleration } from './pods';

/** What a template of a set asks for. Bytes. */
export interface TemplateShape {
  readonly name: string;
  /** Undefined: the default class. */
  readonly className?: string;
  readonly size: number;
  readonly modes: readonly AccessMode[];
  readonly volumeMode: VolumeMode;
}

/** What matters of a stateful set for where its replicas and their data go. */
export interface SetShape {
  readonly namespace: string;
  readonly name: string;
  readonly replicas: number;
  readonly templates: readonly TemplateShape[];
  readonly whenScaled: Retention;
  readonly whenDeleted: Retention;
  readonly ordered: boolean;
  readonly pod: Pick<PodAsked, 'labels' | 'nodeSelector' | 'tolerations' | 'cpu' | 'memory' | 'spread'>;
}

type Labels = Readonly<Record<string, string>>;

/** A stateful set, as far as it is read here. */
export interface SetBody {
  readonly metadata: { readonly name: string; readonly namespace?: string };
  readonly spec?: {
    readonly replicas?: number;
    readonly podManagementPolicy?: string;
    readonly persistentVolumeClaimRetentionPolicy?: { readonly whenScaled?: string; readonly whenDeleted?: string };
    readonly volumeClaimTemplates?: readonly {
      readonly metadata: { readonly name: string };
      readonly spec?: {
        readonly storageClassName?: string;
        readonly accessModes?: readonly string[];
        readonly volumeMode?: string;
        readonly resources?: { readonly requests?: { readonly storage?: string } };
      };
    }[];
    readonly template?: { readonly metadata?: { readonly labels?: Labels }; readonly spec?: PodBody };
  };
}

/** What a pod asks of its node. */
export interface PodBody {
  readonly nodeSelector?: Labels;
  readonly tolerations?: readonly Toleration[];
  readonly containers?: readonly {
    readonly name?: string;
    readonly resources?: { readonly requests?: Readonly<Record<string, string | number>> };
  }[];
  readonly topologySpreadConstraints?: readonly {
    readonly maxSkew: number;
    readonly topologyKey: string;
    readonly whenUnsatisfiable?: string;
    readonly labelSelector?: { readonly matchLabels?: Labels };
  }[];
}

/** Thousandths of a core of a quantity, whole as the platform counts them: sums of parts of cores are never quite right. */
export function milliCores(text: string | number | undefined): number {
  return Math.ceil(Math.round(amountOf(text) * 1e6) / 1000);
}

/** Cores or bytes of a quantity; 0 of what is none. */
export function amountOf(given: string | number | undefined): number {
  if (given === undefined || given === null) return 0;
  // the platform takes bare numbers as well
  const text = String(given);
  const milli = /^(\d+)m$/.exec(text);
  if (milli) return Number(milli[1]) / 1000;
  const size = parseQuantity(text);
  return size.ok ? size.bytes : 0;
}

/** What a pod asks of its node, as plain data. */
export function podShape(labels: Labels, spec: PodBody = {}): SetShape['pod'] {
  const sum = (what: 'cpu' | 'memory', read: typeof amountOf) =>
    (spec.containers ?? []).reduce((all, c) => all + read(c.resources?.requests?.[what]), 0);
  return {
    labels,
    nodeSelector: spec.nodeSelector ?? {},
    tolerations: spec.tolerations ?? [],
    cpu: sum('cpu', milliCores),
    memory: sum('memory', amountOf),
    spread: (spec.topologySpreadConstraints ?? [])
      .filter((c) => (c.whenUnsatisfiable ?? 'DoNotSchedule') === 'DoNotSchedule')
      .map((c): SpreadRule => ({ key: c.topologyKey, maxSkew: c.maxSkew, labels: c.labelSelector?.matchLabels ?? {} })),
  };
}

export function shapeOf({ metadata, spec = {} }: SetBody): SetShape {
  const { whenScaled, whenDeleted } = spec.persistentVolumeClaimRetentionPolicy ?? {};
  const retention = (said: string | undefined): Retention => (said === 'Delete' ? 'Delete' : 'Retain');
  return {
    namespace: metadata.namespace ?? '',
    name: metadata.name,
    replicas: spec.replicas ?? 1,
    templates: (spec.volumeClaimTemplates ?? []).map((t) => ({
      name: t.metadata.name,
      ...(t.spec?.storageClassName !== undefined && { className: t.spec.storageClassName }),
      size: amountOf(t.spec?.resources?.requests?.storage),
      modes: (t.spec?.accessModes ?? ['ReadWriteOnce']) as AccessMode[],
      volumeMode: (t.spec?.volumeMode ?? 'Filesystem') as VolumeMode,
    })),
    whenScaled: retention(whenScaled),
    whenDeleted: retention(whenDeleted),
    ordered: spec.podManagementPolicy !== 'Parallel',
    pod: podShape(spec.template?.metadata?.labels ?? {}, spec.template?.spec),
  };
}
