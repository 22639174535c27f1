import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import { assessDesign, type ClusterDesign, type NodeFree } from '@moorage/core/clusters/design';
import { unfit } from '@moorage/core/clusters/disk';
import { suggestDesign } from '@moorage/core/clusters/suggest';
import { useMemo, useState } from 'react';
import type { Role } from './drawing';

export const freeOf = (inventory: Inventory): Map<string, NodeFree> =>
  new Map(
    inventory.nodes.flatMap((n): [string, NodeFree][] =>
      n.freeCores === null || n.freeMemory === null ? [] : [[n.name, { cores: n.freeCores, memory: n.freeMemory }]],
    ),
  );

/** A design that is being made: begun with a suggestion, changed by picking, assessed at every change, and undone step by step. */
export function useDesign(inventory: Inventory, disks: readonly SeenDisk[], pool: string) {
  const byId = useMemo(() => new Map(disks.map((d) => [d.id, d])), [disks]);
  const free = useMemo(() => freeOf(inventory), [inventory]);
  const [design, setDesign] = useState<ClusterDesign>(() => suggestDesign(disks, { pool, level: 'node' }));
  const [past, setPast] = useState<readonly ClusterDesign[]>([]);
  const change = (next: ClusterDesign) => {
    setPast([...past.slice(-49), design]);
    setDesign(next);
  };
  const roles = useMemo(
    () =>
      new Map<string, Role>([
        ...design.data.map((id) => [id, 'data'] as const),
        ...design.metadata.map((id) => [id, 'metadata'] as const),
      ]),
    [design],
  );
  const assessed = useMemo(() => assessDesign(design, byId, free), [design, byId, free]);
  return {
    design,
    roles,
    assessed,
    byId,
    change,
    undo: past.length === 0 ? undefined : () => (setDesign(past[past.length - 1]!), setPast(past.slice(0, -1))),
    /** Picked disks take the role; those that have it already are let go. */
    pick: (picked: readonly SeenDisk[], role: 'data' | 'metadata') => {
      const fit = picked.filter((d) => unfit(d) === undefined);
      if (fit.length === 0) return;
      const ids = new Set(fit.map((d) => d.id));
      const drop = fit.every((d) => roles.get(d.id) === role);
      const without = (list: readonly string[]) => list.filter((id) => !ids.has(id));
      const next = { ...design, data: without(design.data), metadata: without(design.metadata) };
      change(drop ? next : { ...next, [role]: [...next[role], ...ids] });
    },
    suggest: (scheme?: ClusterDesign['scheme']) =>
      change(suggestDesign(disks, { pool: design.pool, level: design.level, ...(scheme && { scheme }) })),
  };
}
