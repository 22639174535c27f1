import type { Database } from '../database/database';
import { bytesUsed, countsUsed } from './limits.sql';

/** What counts against the limits of a namespace in one class. */
export interface Used {
  readonly className: string;
  readonly bytes: number;
  readonly claims: number;
  readonly iops: number;
}

export async function usedOf(database: Database, namespace: string): Promise<Used[]> {
  const bytes = new Map((await bytesUsed(database, namespace)).map((u) => [u.class_name, u.bytes]));
  const counts = new Map((await countsUsed(database, [namespace])).map((u) => [u.class_name, u]));
  return [...new Set([...bytes.keys(), ...counts.keys()])].map((className) => ({
    className,
    bytes: bytes.get(className) ?? 0,
    claims: counts.get(className)?.claims ?? 0,
    iops: counts.get(className)?.iops ?? 0,
  }));
}

export const sumOf = (used: readonly Used[], of: 'bytes' | 'claims' | 'iops'): number =>
  used.reduce((sum, u) => sum + u[of], 0);
