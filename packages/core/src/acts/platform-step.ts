/** An object of the platform as plain data; what it holds beyond its metadata is its own affair. */
export interface Manifest {
  readonly apiVersion: string;
  readonly kind: string;
  readonly metadata: {
    readonly name: string;
    readonly namespace?: string;
    readonly labels?: Readonly<Record<string, string | null>>;
    readonly annotations?: Readonly<Record<string, string | null>>;
  };
}

/**
 * One thing that is asked of the platform, and all that is needed to ask it again or to take it back: plain data, so that whoever
 * finds it after a crash can do either.
 */
export type PlatformStep =
  | { readonly do: 'make'; readonly object: Manifest }
  /** A merge patch; `back` is the patch that undoes it. */
  | { readonly do: 'patch'; readonly object: Manifest; readonly back: Manifest }
  /** Taken away and made anew under its name, for what the platform fixes in an object. */
  | { readonly do: 'replace'; readonly was: Manifest; readonly object: Manifest }
  /** Taken away; made again as it was on the way back. */
  | { readonly do: 'remove'; readonly object: Manifest };

const words: Readonly<Record<string, string>> = {
  StorageClass: 'class',
  PersistentVolumeClaim: 'claim',
  PersistentVolume: 'volume',
};

/** What a step is done to, as people name it. */
export const objectOf = ({ object: { kind, metadata } }: Pick<PlatformStep, 'object'>): string =>
  `${words[kind] ?? kind} ${metadata.namespace ? `${metadata.namespace}/` : ''}${metadata.name}`;

const isRecord = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Whether everything that is asked for is there, with that value; what is there besides is of no matter. */
export function covers(there: unknown, asked: unknown): boolean {
  if (asked === undefined) return true;
  if (isRecord(asked))
    return isRecord(there)
      ? Object.entries(asked).every(([key, value]) => covers(there[key], value))
      : Object.keys(asked).length === 0 && there === undefined;
  if (Array.isArray(asked))
    return Array.isArray(there) && there.length === asked.length && asked.every((value, i) => covers(there[i], value));
  return there === asked || (asked === null && there === undefined);
}
