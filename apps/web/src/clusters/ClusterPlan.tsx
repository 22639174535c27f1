import { Button, Typography } from '@mui/material';
import type { BackendRow } from '@moorage/contract/backends';
import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import { unfit } from '@moorage/core/clusters/disk';
import { useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { useDisks, useInventory } from '../api/cluster-queries';
import { useAddress, useGo } from '../frame/address';
import { Fetched } from '../parts/States';
import { Chosen } from './Chosen';
import type { Role } from './drawing';
import { PlanOrTable } from './PlanOrTable';
import { Row, Sheet } from '../parts/layout';

function Drawn({ backend, inventory }: { backend: BackendRow; inventory: Inventory }) {
  const disks = useDisks(inventory);
  const go = useGo();
  const [search] = useSearchParams();
  const change = useAddress();
  const pools = useMemo(
    () => backend.pools.filter((p) => p.goneSince === null && p.facts.redundancy.kind === 'spread').map((p) => p.name),
    [backend.pools],
  );
  // an address may name a disk or a node: a finding leads here
  const [picked, setPicked] = useState<ReadonlySet<string>>(() => {
    const [disk, node] = [search.get('disk'), search.get('node')];
    if (!disk && !node) return new Set();
    return new Set(disks.filter((d) => d.id === disk || (d.node === node && d.use === 'owned')).map((d) => d.id));
  });
  const mayPick = (d: SeenDisk) =>
    (d.owner !== undefined && pools.includes(d.owner)) || (pools.length > 0 && unfit(d) === undefined);
  const chosen = picked.size === 0 ? [] : disks.filter((d) => picked.has(d.id) && mayPick(d));
  const roles = useMemo(() => new Map<string, Role>([...picked].map((id) => [id, 'chosen'])), [picked]);
  const clear = () => {
    setPicked(new Set());
    change({ disk: null, node: null });
  };
  const free = useMemo(() => disks.filter((d) => unfit(d) === undefined).length, [disks]);
  const pick = (some: readonly SeenDisk[]) =>
    setPicked((before) => {
      const next = new Set(before);
      const drop = some.every((d) => before.has(d.id));
      for (const d of some) {
        if (drop) next.delete(d.id);
        else next.add(d.id);
      }
      return next;
    });
  return (
    <>
      <Sheet>
        <Row gap={2} align="baseline" sx={{ mb: 0.5 }}>
          <Typography variant="h2">Nodes and disks</Typography>
          <Typography variant="body2" color="text.secondary" sx={{ flex: 1 }}>
            {inventory.nodes.length.toLocaleString('en-GB')} nodes, {disks.length.toLocaleString('en-GB')} disks,{' '}
            {free.toLocaleString('en-GB')} of them free.
            {pools.length > 0 && ' Click disks, or a node, to add them to a pool or take them out.'}
          </Typography>
          {free > 0 && (
            <Button
              variant={pools.length === 0 ? 'contained' : 'outlined'}
              onClick={() => go(`/backends/${backend.id}/commission`)}
            >
              Commission
            </Button>
          )}
        </Row>
        <PlanOrTable
          inventory={inventory}
          disks={disks}
          roles={roles}
          mayPick={mayPick}
          onPick={pools.length > 0 ? pick : undefined}
          label={`Nodes and disks of ${backend.id}, ${picked.size} chosen. Arrow keys go from disk to disk, Enter chooses one, Shift and Enter its node.`}
        />
      </Sheet>
      {chosen.length > 0 && <Chosen backend={backend.id} chosen={chosen} pools={pools} clear={clear} />}
    </>
  );
}

/** The nodes and disks of a cluster, drawn to size. */
export function ClusterPlan({ backend }: { backend: BackendRow }) {
  const query = useInventory(backend.id);
  return <Fetched query={query}>{(inventory) => <Drawn backend={backend} inventory={inventory} />}</Fetched>;
}
