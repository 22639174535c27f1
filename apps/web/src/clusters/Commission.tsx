import { Box, Button, Typography } from '@mui/material';
import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import type { NewReshape } from '@moorage/contract/reshapes';
import { forbids } from '@moorage/core/clusters/design';
import { fromPortable, toPortable, type Missing } from '@moorage/core/clusters/design-file';
import { unfit } from '@moorage/core/clusters/disk';
import { sizeText } from '@moorage/core/sizes/display';
import { useState } from 'react';
import { useParams } from 'react-router';
import { ask } from '../api/client';
import { useDisks, useInventory } from '../api/cluster-queries';
import { refresh } from '../api/queries';
import { useGo } from '../frame/address';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { Twice } from '../parts/Twice';
import { useAct, useNotice } from '../parts/useAct';
import { Outcome } from './Outcome';
import { isPoolName, OpenPlan, PickBar, PlanFields, useUndoKey, type PickedRole, type Reach } from './plan-fields';
import { PlanOrTable } from './PlanOrTable';
import { readPlan, writePlan } from './plan-file';
import { useDesign } from './useDesign';
import { Row, Sheet } from '../parts/layout';

function save(name: string, text: string): void {
  const url = URL.createObjectURL(new Blob([text], { type: 'application/yaml' }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}

const missingText = ({ node, onto, role, short, media, capacity }: Missing): string =>
  `${node}${onto && onto !== node ? ` (here ${onto})` : ''}: ${short} ${media} ${short === 1 ? 'disk' : 'disks'} of ${sizeText(capacity)} for ${role} ${short === 1 ? 'is' : 'are'} missing`;

function Designer({
  backend,
  inventory,
  disks,
}: {
  backend: string;
  inventory: Inventory;
  disks: readonly SeenDisk[];
}) {
  const go = useGo();
  const show = useNotice((s) => s.show);
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const d = useDesign(inventory, disks, `${backend}-main`);
  const { design, assessed, roles, change } = d;
  const [role, setRole] = useState<PickedRole>('data');
  const [reach, setReach] = useState<Reach>({ protocol: 'NVMeOverFabrics', encrypted: true });
  const [missing, setMissing] = useState<readonly Missing[]>([]);
  const begin = useAct(async () => {
    const body: NewReshape = {
      kind: 'commission',
      design: { ...design, data: [...design.data], metadata: [...design.metadata] },
      protocols: [reach.protocol],
      encrypted: reach.encrypted,
    };
    const made = await ask('beginReshape', {
      params: { id: backend },
      body,
      key: crypto.randomUUID(),
    });
    await refresh('reshapes');
    go(`/backends/${backend}?see=changes`);
    return { text: `${made.pool} is being commissioned; its progress is here.` };
  });
  useUndoKey(d.undo);
  const open = async (chosen: File | undefined) => {
    if (!chosen) return;
    if (chosen.size > 4e6) return show({ kind: 'refused', text: `${chosen.name} is larger than 4 MB; it is no plan.` });
    const read = readPlan(await chosen.text());
    if (!read.ok) return show({ kind: 'refused', text: `${chosen.name} cannot be opened. ${read.reason}` });
    const opened = fromPortable(read.plan, disks);
    change(opened.design);
    setMissing(opened.missing);
    show({
      kind: 'done',
      text:
        opened.missing.length === 0
          ? `${chosen.name} fits these nodes.`
          : `${chosen.name} is opened; these nodes lack some of it.`,
    });
  };
  const badName = !isPoolName(design.pool);
  const blocked = badName || assessed.problems.some(forbids) || !may;
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) 320px', gap: 2, alignItems: 'start' }}>
      <Sheet>
        <PlanFields design={design} change={change} reach={reach} setReach={setReach} />
        <PickBar role={role} setRole={setRole} design={d} />
        <PlanOrTable
          inventory={inventory}
          disks={disks}
          roles={roles}
          mayPick={(disk) => unfit(disk) === undefined}
          onPick={(picked) => d.pick(picked, role)}
          label={`Disks of ${backend}: ${design.data.length} chosen for data, ${design.metadata.length} for metadata. Arrow keys go from disk to disk, Enter chooses one, Shift and Enter its node.`}
        />
      </Sheet>
      <Sheet sx={{ position: 'sticky', top: 0 }}>
        <Typography variant="h2" sx={{ mb: 1 }}>
          What it comes to
        </Typography>
        <Outcome design={design} assessed={assessed} />
        {missing.length > 0 && (
          <Box sx={{ mt: 1.5, fontSize: 13, color: 'warning.main' }} role="status">
            <strong>The plan asks for more than these nodes have.</strong>
            {missing.slice(0, 6).map((m) => (
              <div key={JSON.stringify(m)}>{missingText(m)}.</div>
            ))}
          </Box>
        )}
        <Row wraps sx={{ mt: 2 }}>
          <Twice
            words={`Commission ${design.data.length + design.metadata.length} disks`}
            sure={`What is on these ${design.data.length + design.metadata.length} disks is lost.`}
            disabled={blocked || begin.isPending}
            act={() => begin.mutate(undefined)}
          />
          <Button onClick={() => save(`${design.pool}.yaml`, writePlan(toPortable(design, d.byId)))}>
            Save the plan
          </Button>
          <OpenPlan open={open} />
        </Row>
        <Typography variant="caption" color="text.secondary" component="p" sx={{ mt: 1 }}>
          {may
            ? 'It is done one node at a time, and given back if it cannot be finished.'
            : 'Commissioning is for storage engineers and operators.'}
        </Typography>
      </Sheet>
    </Box>
  );
}

/** Turning bare disks of a set of nodes into a pool, with the outcome known beforehand. */
export default function Commission() {
  const { id = '' } = useParams();
  const query = useInventory(id);
  const disks = useDisks(query.data);
  return (
    <Place title={`Commission ${id}`} question="Which disks shall keep data, and what will that come to?">
      <Fetched query={query}>
        {(inventory) =>
          disks.length === 0 ? (
            <Empty title="This backend tells of no disks">
              An array looks after its disks itself; only a software-defined cluster is commissioned.
            </Empty>
          ) : (
            <Designer backend={id} inventory={inventory} disks={disks} />
          )
        }
      </Fetched>
    </Place>
  );
}
