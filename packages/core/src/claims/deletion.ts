/** A claim that may be deleted, with everything that hangs on it. Bytes. */
export interface Deletable {
  readonly namespace: string;
  readonly name: string;
  readonly volume: {
    readonly bytes: number;
    readonly used: number;
    /** What the platform's persistent volume says; null when there is none. */
    readonly reclaim: 'Delete' | 'Retain' | null;
    readonly graceDays: number;
    /** Made by somebody else: never destroyed here. */
    readonly adopted: boolean;
    /** Backends that keep a copy of it elsewhere. */
    readonly copiesOn: readonly string[];
  } | null;
  /** Pods that mount it: the platform keeps a deleted claim until they are gone. */
  readonly pods: readonly string[];
  /** The application whose replicas each have such a claim. */
  readonly application: string | null;
}

/** Replicas of an application, each with the claim that holds its data. */
export interface Replicated {
  readonly application: string;
  readonly namespace: string;
  /** Claims of its replicas that have a volume, by name, those that are being deleted left out. */
  readonly holding: readonly string[];
  /** Replicas that it is to have. */
  readonly replicas: number;
}

/** `nothing`: no volume goes with it. `grace`: kept offline, and destroyed then. */
export type VolumeFate = 'nothing' | 'kept' | 'grace' | 'destroyed';

/** What becomes of a claim's volume once the claim is gone (domain: Deleting). */
export function volumeFate({ volume }: Pick<Deletable, 'volume'>): VolumeFate {
  if (!volume) return 'nothing';
  if (volume.adopted || volume.reclaim !== 'Delete') return 'kept';
  return volume.graceDays > 0 ? 'grace' : 'destroyed';
}

/** What is left of an application afterwards. */
export interface ApplicationAfter {
  readonly namespace: string;
  readonly application: string;
  readonly replicas: number;
  /** Replicas that have their data before, and afterwards. */
  readonly before: number;
  readonly after: number;
  /** More than half of its replicas keep their data: it can go on deciding. */
  readonly keepsMajority: boolean;
  /** No replica has its data any more. */
  readonly losesAll: boolean;
}

export interface DeletionPlan {
  readonly claims: readonly {
    readonly namespace: string;
    readonly name: string;
    readonly fate: VolumeFate;
    readonly used: number;
    readonly graceDays: number;
    readonly copiesOn: readonly string[];
    readonly pods: readonly string[];
  }[];
  /** Bytes written that are destroyed as soon as the platform lets the claims go, those that are after a grace, and those kept. */
  readonly destroyed: number;
  readonly inGrace: number;
  readonly kept: number;
  /** Bytes in copies elsewhere that share the fate. */
  readonly copiesDestroyed: number;
  readonly applications: readonly ApplicationAfter[];
  /** Used data would be destroyed for good: a name has to be typed. */
  readonly confirm: boolean;
}

const majority = (holding: number, replicas: number): boolean => 2 * holding > replicas;

/** The whole consequence of deleting claims together, before it is done. */
export function planDeletion(claims: readonly Deletable[], replicated: readonly Replicated[]): DeletionPlan {
  const rows = claims.map((claim) => ({
    ...{ namespace: claim.namespace, name: claim.name, fate: volumeFate(claim), used: claim.volume?.used ?? 0 },
    ...{ graceDays: claim.volume?.graceDays ?? 0, copiesOn: claim.volume?.copiesOn ?? [], pods: claim.pods },
  }));
  const sum = (...fates: VolumeFate[]) =>
    rows.filter((r) => fates.includes(r.fate)).reduce((total, r) => total + r.used, 0);
  const going = new Set(claims.map((c) => `${c.namespace}/${c.name}`));
  const applications = replicated.map(({ application, namespace, holding, replicas }): ApplicationAfter => {
    const left = holding.filter((name) => !going.has(`${namespace}/${name}`)).length;
    return {
      ...{ namespace, application, replicas, before: holding.length, after: left },
      keepsMajority: majority(left, replicas),
      losesAll: left === 0,
    };
  });
  return {
    claims: rows,
    destroyed: sum('destroyed'),
    inGrace: sum('grace'),
    kept: sum('kept'),
    copiesDestroyed: rows
      .filter((r) => r.fate === 'destroyed' || r.fate === 'grace')
      .reduce((total, r) => total + r.used * r.copiesOn.length, 0),
    applications,
    confirm: sum('destroyed') > 0,
  };
}
