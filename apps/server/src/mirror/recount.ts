import type { Logger } from 'pino';
import type { Database } from '../database/database';
import type { Metrics } from '../metrics/metrics';
import {
  claimsAfter,
  namespacesAfter,
  poolsAfter,
  recountClaims,
  recountNamespaces,
  recountPools,
} from './recount.sql';

/** What is kept, in the order of what it is kept for, and how much of it is recounted in one turn. */
const parts = [
  { facts: 'claims', after: claimsAfter, recount: recountClaims, most: 1000 },
  { facts: 'namespaces', after: namespacesAfter, recount: recountNamespaces, most: 20 },
  { facts: 'pools', after: poolsAfter, recount: recountPools, most: 4 },
] as const;
type Part = (typeof parts)[number];

/**
 * Recounts what triggers keep (how claims stand, what is on pools, disks and in namespaces), a little in each turn, round after round. A
 * difference is put right, counted and told: there should be none.
 */
export class Recounter {
  private readonly reached = new Map<Part['facts'], string>();

  constructor(
    private readonly database: Database,
    private readonly metrics: Metrics,
    private readonly log: Logger,
  ) {}

  /** One turn of one part; gives what was off. */
  private async turn({ facts, after, recount, most }: Part): Promise<string[]> {
    const ids = (await after(this.database, this.reached.get(facts) ?? '', most)).map((r) => r.id);
    const off = ids.length === 0 ? [] : (await recount(this.database, ids)).map((r) => r.what);
    if (ids.length === most) this.reached.set(facts, ids.at(-1)!);
    else this.reached.delete(facts);
    if (off.length === 0) return off;
    this.metrics.differences.inc({ facts }, off.length);
    this.log.error({ facts, count: off.length, some: off.slice(0, 20) }, 'what is kept was off, and is put right');
    return off;
  }

  /** One turn of each. */
  async some(): Promise<void> {
    for (const part of parts) await this.turn(part);
  }

  /** Everything, from the beginning; gives what was off. */
  async all(): Promise<string[]> {
    const off: string[] = [];
    for (const part of parts) {
      this.reached.delete(part.facts);
      do off.push(...(await this.turn(part)));
      while (this.reached.has(part.facts));
    }
    return off;
  }
}
