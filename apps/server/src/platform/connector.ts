import type { SetBody } from '@moorage/core/applications/set-shape';
import { OutsideProblem } from '../refusals/outside';

type SetSpec = NonNullable<SetBody['spec']>;

/** What we read of the resources we know; each has the members of its own kind. */
export interface PlatformSpec {
  readonly accessModes?: readonly string[];
  readonly capacity?: { readonly storage?: string };
  readonly nodeName?: string;
  readonly persistentVolumeReclaimPolicy?: string;
  readonly resources?: { readonly requests?: { readonly storage?: string } };
  readonly storageClassName?: string;
  readonly volumeMode?: string;
  readonly volumeName?: string;
  // of a stateful set
  readonly replicas?: number;
  readonly podManagementPolicy?: string;
  readonly persistentVolumeClaimRetentionPolicy?: SetSpec['persistentVolumeClaimRetentionPolicy'];
  readonly template?: SetSpec['template'];
  readonly volumeClaimTemplates?: SetSpec['volumeClaimTemplates'];
  readonly [member: string]: unknown;
}

/** An object of the platform's API; its body beyond the metadata is the resource's own affair. */
export interface PlatformObject {
  readonly apiVersion?: string;
  readonly kind?: string;
  readonly metadata: {
    readonly name: string;
    readonly namespace?: string;
    readonly uid?: string;
    readonly resourceVersion?: string;
    readonly creationTimestamp?: string;
    readonly deletionTimestamp?: string;
    readonly labels?: Readonly<Record<string, string>>;
    readonly annotations?: Readonly<Record<string, string>>;
    readonly ownerReferences?: readonly { readonly kind: string; readonly name: string; readonly uid: string }[];
  };
  readonly spec?: PlatformSpec;
  readonly status?: { readonly phase?: string; readonly [member: string]: unknown };
  readonly [member: string]: unknown;
}

/** The collections that are mirrored. */
export const mirrored = [
  'namespaces',
  'nodes',
  'csinodes',
  'storageclasses',
  'statefulsets',
  'pods',
  'persistentvolumes',
  'persistentvolumeclaims',
  'volumeattachments',
  'poddisruptionbudgets',
  'resourcequotas',
  'bucketclasses',
  'bucketclaims',
  'bucketaccesses',
] as const;
export type Plural = (typeof mirrored)[number];
/** Collections of an interface that a platform may not have: there they are empty. */
export const optional: ReadonlySet<Plural> = new Set([
  ...(['poddisruptionbudgets', 'bucketclasses', 'bucketclaims', 'bucketaccesses'] as const),
]);

export interface PlatformEvent {
  readonly type: 'ADDED' | 'MODIFIED' | 'DELETED';
  readonly object: PlatformObject;
}

/** What the platform itself did about an object, or says of it; repeated ones are one, with how often and until when. */
export interface Saying {
  readonly isWarning: boolean;
  readonly reason: string;
  readonly message: string;
  readonly first: string;
  readonly last: string;
  readonly count: number;
  /** The component that says it. */
  readonly by: string;
}

export type PlatformProblemCode =
  | 'unreachable'
  | 'not-found'
  | 'exists'
  | 'conflict'
  | 'invalid'
  | 'forbidden'
  /** The resource version asked for is no longer kept: list again. */
  | 'gone'
  /** Not now: it would disturb more than is allowed. */
  | 'not-now'
  | 'failed';

/** A call to the platform that did not succeed. */
export class PlatformProblem extends OutsideProblem {
  readonly world = 'platform';

  constructor(
    readonly code: PlatformProblemCode,
    message: string,
    /** Fields the platform refused, with its words. */
    readonly causes: readonly { readonly field: string; readonly message: string }[] = [],
  ) {
    super(message);
  }

  get isForGood(): boolean {
    return this.code === 'invalid' || this.code === 'forbidden';
  }
}

/** A part of a list. */
export interface PlatformPage {
  readonly items: readonly PlatformObject[];
  /** Of the list as a whole. */
  readonly version: string;
}

/** The platform, as far as this product uses it. */
export interface PlatformConnector {
  /** What time it is there, to the second. */
  fetchTime(): Promise<Date>;
  /** Everything of one kind, a page at a time, with the version that a watch can go on from. Throws `gone` when it takes so long that the platform gives up. */
  pages(plural: Plural): AsyncIterable<PlatformPage>;
  /** Hands events over until the platform ends the watch or `signal` does. Throws `gone` when the version is too old. */
  watch(
    plural: Plural,
    version: string,
    onEvent: (event: PlatformEvent | { version: string }) => void,
    signal: AbortSignal,
  ): Promise<void>;
  create(object: PlatformObject): Promise<PlatformObject>;
  find(apiVersion: string, kind: string, name: string, namespace?: string): Promise<PlatformObject | undefined>;
  /** What the platform says of an object of a namespace, at most a hundred of its events; it forgets them after a while. */
  sayingsOf(namespace: string, of: { kind: string; name: string; uid?: string }): Promise<Saying[]>;
  mergePatch(object: PlatformObject): Promise<PlatformObject>;
  /** Merges what stands as the status of a claim, and nothing else of it; `conflict` when a version is named that is no longer its own. */
  patchClaimStatus(claim: PlatformObject): Promise<PlatformObject>;
  /** The same for what the object storage interface has. */
  patchBucketStatus(object: PlatformObject): Promise<PlatformObject>;
  /** Tells a pod to end as far as its disruption budgets allow it; `not-now` where they do not. Already gone is fine. */
  evict(namespace: string, name: string, uid: string): Promise<void>;
  /** Deletes; already gone is fine. With `uid`, that very object alone: another one of its name stays. */
  ensureDeleted(apiVersion: string, kind: string, name: string, namespace?: string, uid?: string): Promise<void>;
}
