import type { NamespaceUsage } from '@moorage/contract/namespaces';
import { sizeText } from '@moorage/core/sizes/display';

/** One namespace of those that are to be limited: what it holds, and its limit now and then. Bytes. */
export interface LimitRow {
  readonly namespace: string;
  /** Claims of it that were picked. */
  readonly picked: number;
  readonly holds: number;
  readonly was: number | null;
  readonly then: number;
}

/** A limit for each namespace of some claims: what it holds now and so much more; whole GiB, since that is how they are read. */
export function limitRows(
  claims: readonly { readonly namespace: string }[],
  usage: readonly NamespaceUsage[],
  room: number,
): LimitRow[] {
  const picked = new Map<string, number>();
  for (const { namespace } of claims) picked.set(namespace, (picked.get(namespace) ?? 0) + 1);
  const GiB = 2 ** 30;
  return usage
    .filter((u) => picked.has(u.namespace))
    .map((u) => ({
      ...{ namespace: u.namespace, picked: picked.get(u.namespace)!, holds: u.provisioned, was: u.limit },
      then: Math.max(GiB, Math.ceil((u.provisioned + room) / GiB) * GiB),
    }));
}

/** What a limit becomes. */
export function limitSentence({ was, then }: LimitRow): string {
  if (was === null) return 'has no limit now';
  if (was === then) return 'stays as it is';
  return then > was ? `${sizeText(then - was)} more than now` : `${sizeText(was - then)} less than now`;
}
