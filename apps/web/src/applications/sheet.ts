import type { ApplicationSeen } from '@moorage/contract/applications';

type Replica = ApplicationSeen['replicas'][number];
type Claim = ApplicationSeen['claims'][number];
export type SeenCopy = Claim['parts'][number]['copies'][number] & { readonly claim: Claim };

/** What stands in one column: a node, or a pool. */
export interface SheetColumn {
  readonly key: string;
  readonly kind: 'node' | 'pool';
  readonly name: string;
  /** Rack of a node. */
  readonly rack: string | null;
  /** Zone of a node, backend of a pool. */
  readonly group: string | null;
}

export interface SheetCell {
  /** The pod runs on this node. */
  readonly runs: boolean;
  readonly copies: readonly SeenCopy[];
  /** Volumes that lie in this pool. */
  readonly volumes: readonly Claim[];
}

export interface SheetRow {
  readonly key: string;
  /** Undefined for claims that no pod mounts. */
  readonly replica: Replica | undefined;
  readonly claims: readonly Claim[];
}

/** A replica, its pod and what that mounts, by nodes and pools: what the drawing shows. */
export interface ApplicationSheet {
  readonly rows: readonly SheetRow[];
  readonly columns: readonly SheetColumn[];
  /** Nodes that take pods and have none of it, by zone. */
  readonly free: ReadonlyMap<string, number>;
  readonly cell: (row: SheetRow, column: SheetColumn) => SheetCell;
}

const order = (a: string | null, b: string | null): number =>
  (a ?? '￿').localeCompare(b ?? '￿', 'en', { numeric: true });

export function sheetOf({ replicas, claims, nodes }: ApplicationSeen): ApplicationSheet {
  const byName = new Map(claims.map((c) => [c.name, c]));
  const mounted = new Set(replicas.flatMap((r) => r.claims));
  const rows: SheetRow[] = [
    ...[...replicas]
      .sort((a, b) => order(a.pod, b.pod))
      .map((replica) => ({
        key: replica.pod,
        replica,
        claims: replica.claims.flatMap((c) => byName.get(c) ?? []),
      })),
    ...claims
      .filter((c) => !mounted.has(c.name))
      .sort((a, b) => order(a.name, b.name))
      .map((c) => ({ key: `claim ${c.name}`, replica: undefined, claims: [c] })),
  ];
  const at = new Map(nodes.map((n) => [n.name, n]));
  const used = new Set<string>(replicas.flatMap((r) => r.node ?? []));
  const pools = new Map<string, string>();
  for (const { parts } of claims)
    for (const { pool, backend, copies } of parts) {
      pools.set(pool, backend);
      for (const c of copies) used.add(c.node);
    }
  const columns: SheetColumn[] = [
    ...[...used]
      .map((name) => ({
        key: `node/${name}`,
        kind: 'node' as const,
        name,
        rack: at.get(name)?.rack ?? null,
        group: at.get(name)?.zone ?? null,
      }))
      .sort((a, b) => order(a.group, b.group) || order(a.rack, b.rack) || order(a.name, b.name)),
    ...[...pools]
      .map(([name, group]) => ({ key: `pool/${name}`, kind: 'pool' as const, name, rack: null, group }))
      .sort((a, b) => order(a.group, b.group) || order(a.name, b.name)),
  ];
  const free = new Map<string, number>();
  for (const n of nodes)
    if (n.takesPods && !used.has(n.name)) free.set(n.zone ?? '', (free.get(n.zone ?? '') ?? 0) + 1);
  return {
    rows,
    columns,
    free,
    cell: (row, column) => {
      const isNode = column.kind === 'node';
      return {
        runs: isNode && row.replica?.node === column.name,
        copies: isNode
          ? row.claims.flatMap((claim) =>
              claim.parts.flatMap((p) =>
                p.copies.filter((c) => c.node === column.name).map((copy) => ({ ...copy, claim })),
              ),
            )
          : [],
        volumes: isNode ? [] : row.claims.filter((c) => c.parts.some((p) => p.pool === column.name)),
      };
    },
  };
}

/** Claims that a cell is about: those with a copy or a volume there, else all of its replica's. */
export function claimsAt(sheet: ApplicationSheet, row: SheetRow, column: SheetColumn): readonly Claim[] {
  const { copies, volumes } = sheet.cell(row, column);
  const here = [...new Set([...copies.map((c) => c.claim), ...volumes])];
  return here.length > 0 ? here : row.claims;
}

/** Neighbouring columns of one name joined, for the rows above the heads. */
export function joined(columns: readonly SheetColumn[], of: (column: SheetColumn) => string | null) {
  const spans: { name: string | null; kind: SheetColumn['kind']; span: number; first: string }[] = [];
  for (const column of columns) {
    const name = of(column);
    const last = spans.at(-1);
    if (last?.name === name && last.kind === column.kind) last.span += 1;
    else spans.push({ name, kind: column.kind, span: 1, first: column.key });
  }
  return spans;
}
