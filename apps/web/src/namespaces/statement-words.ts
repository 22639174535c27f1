import type { Statement } from '@moorage/contract/prices';

/** What lines of a statement can be put together by. */
export const statementGroups = ['namespace', 'team', 'className', 'tier', 'pool', 'application'] as const;
export type StatementGroup = (typeof statementGroups)[number];
export const groupWords: Record<StatementGroup, string> = {
  namespace: 'namespace',
  team: 'team',
  className: 'class',
  tier: 'tier',
  pool: 'pool',
  application: 'application',
};
export const isGroup = (text: string): text is StatementGroup => (statementGroups as readonly string[]).includes(text);

export interface Group {
  readonly name: string;
  readonly lines: number;
  readonly gib: number;
  readonly iops: number;
  readonly cents: number;
}

/** Lines together by what they have in common, the dearest first; their cents add up to the statement's. */
export function groupsOf({ lines }: Statement, by: StatementGroup): Group[] {
  const found = new Map<string, Group>();
  for (const line of lines) {
    const known = found.get(line[by]) ?? { name: line[by], lines: 0, gib: 0, iops: 0, cents: 0 };
    found.set(line[by], {
      name: known.name,
      lines: known.lines + 1,
      gib: known.gib + line.gib,
      iops: known.iops + line.iops,
      cents: known.cents + line.cents,
    });
  }
  return [...found.values()].sort((a, b) => b.cents - a.cents || (a.name < b.name ? -1 : 1));
}

/** An amount with its currency: 1,234.56 EUR. */
export const amount = (cents: number, currency: string): string =>
  `${(cents / 100).toLocaleString('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 })} ${currency}`;

/** The months up to one, the latest first. */
export function monthsUpTo(month: string, count: number): string[] {
  const [year, of] = month.split('-').map(Number) as [number, number];
  return Array.from({ length: count }, (_, i) => new Date(Date.UTC(year, of - 1 - i, 1)).toISOString().slice(0, 7));
}
