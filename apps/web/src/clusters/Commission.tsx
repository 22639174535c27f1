import {
  Box,
  Button,
  Checkbox,
  FormControlLabel,
  MenuItem,
  Paper,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import type { Inventory, SeenDisk } from '@moorage/contract/inventory';
import type { NewReshape } from '@moorage/contract/reshapes';
import type { Scheme } from '@moorage/core/capacity/usable';
import { forbids } from '@moorage/core/clusters/design';
import { fromPortable, toPortable, type Missing } from '@moorage/core/clusters/design-file';
import { unfit, type DomainLevel } from '@moorage/core/clusters/disk';
import { sizeText } from '@moorage/core/sizes/display';
import { useEffect, useRef, useState } from 'react';
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
import { PlanOrTable } from './PlanOrTable';
import { readPlan, writePlan } from './plan-file';
import { useDesign } from './useDesign';

const schemes: readonly (readonly [string, string, Scheme])[] = [
  ['c2', '2 copies', { kind: 'copies', copies: 2 }],
  ['c3', '3 copies', { kind: 'copies', copies: 3 }],
  ['e21', '2+1', { kind: 'erasure', data: 2, parity: 1 }],
  ['e41', '4+1', { kind: 'erasure', data: 4, parity: 1 }],
  ['e42', '4+2', { kind: 'erasure', data: 4, parity: 2 }],
  ['e82', '8+2', { kind: 'erasure', data: 8, parity: 2 }],
];
const keyOf = (scheme: Scheme): string =>
  schemes.find(([, , s]) => JSON.stringify(s) === JSON.stringify(scheme))?.[0] ?? '';

const poolName = /^[a-z]([-a-z0-9]{0,48}[a-z0-9])?$/;
type Protocol = 'NVMeOverFabrics' | 'iSCSI' | 'NFSv4';

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
  const [role, setRole] = useState<'data' | 'metadata'>('data');
  const [protocol, setProtocol] = useState<Protocol>('NVMeOverFabrics');
  const [encrypted, setEncrypted] = useState(true);
  const [missing, setMissing] = useState<readonly Missing[]>([]);
  const file = useRef<HTMLInputElement>(null);
  const begin = useAct(async () => {
    const body: NewReshape = {
      kind: 'commission',
      design: { ...design, data: [...design.data], metadata: [...design.metadata] },
      protocols: [protocol],
      encrypted,
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
  const { undo } = d;
  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      const typing = (event.target as HTMLElement).closest('input, textarea, [role=combobox]');
      if ((event.ctrlKey || event.metaKey) && event.key === 'z' && !typing && undo) {
        event.preventDefault();
        undo();
      }
    };
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  }, [undo]);
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
  const badName = !poolName.test(design.pool);
  const blocked = badName || assessed.problems.some(forbids) || !may;
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) 320px', gap: 2, alignItems: 'start' }}>
      <Paper sx={{ p: 2 }}>
        <Box sx={{ display: 'flex', gap: 1.5, flexWrap: 'wrap', alignItems: 'flex-start', mb: 2 }}>
          <TextField
            label="Name of the pool"
            value={design.pool}
            error={badName}
            helperText={badName && 'Small letters, digits, hyphens.'}
            onChange={(e) => change({ ...design, pool: e.target.value })}
            sx={{ width: 170 }}
          />
          <TextField
            select
            label="Protection"
            value={keyOf(design.scheme)}
            sx={{ width: 120 }}
            onChange={(e) => change({ ...design, scheme: schemes.find(([k]) => k === e.target.value)![2] })}
          >
            {schemes.map(([key, words]) => (
              <MenuItem key={key} value={key}>
                {words}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            label="Kept apart by"
            value={design.level}
            sx={{ width: 120 }}
            onChange={(e) => change({ ...design, level: e.target.value as DomainLevel })}
          >
            {(['node', 'rack', 'zone'] as const).map((level) => (
              <MenuItem key={level} value={level}>
                {level}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            label="Reached by"
            value={protocol}
            sx={{ width: 120 }}
            onChange={(e) => setProtocol(e.target.value as Protocol)}
          >
            <MenuItem value="NVMeOverFabrics">NVMe/TCP</MenuItem>
            <MenuItem value="iSCSI">iSCSI</MenuItem>
            <MenuItem value="NFSv4">NFS</MenuItem>
          </TextField>
          <FormControlLabel
            control={<Checkbox size="small" checked={encrypted} onChange={(e) => setEncrypted(e.target.checked)} />}
            label="Encrypted"
          />
        </Box>
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap', mb: 1.5 }}>
          <Typography variant="body2" id="picks">
            A click takes a disk, or all of a node, for
          </Typography>
          <ToggleButtonGroup
            exclusive
            size="small"
            value={role}
            aria-labelledby="picks"
            onChange={(_e, v: typeof role | null) => v && setRole(v)}
          >
            <ToggleButton value="data">data</ToggleButton>
            <ToggleButton value="metadata">metadata</ToggleButton>
          </ToggleButtonGroup>
          <Box sx={{ flex: 1 }} />
          <Button onClick={() => d.suggest(design.scheme)}>Suggest</Button>
          <Button onClick={() => change({ ...design, data: [], metadata: [] })}>Let all go</Button>
          <Button onClick={undo} disabled={!undo}>
            Undo
          </Button>
        </Box>
        <PlanOrTable
          inventory={inventory}
          disks={disks}
          roles={roles}
          mayPick={(disk) => unfit(disk) === undefined}
          onPick={(picked) => d.pick(picked, role)}
          label={`Disks of ${backend}: ${design.data.length} chosen for data, ${design.metadata.length} for metadata. Arrow keys go from disk to disk, Enter chooses one, Shift and Enter its node.`}
        />
      </Paper>
      <Paper sx={{ p: 2, position: 'sticky', top: 0 }}>
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
        <Box sx={{ display: 'flex', gap: 1, mt: 2, flexWrap: 'wrap' }}>
          <Twice
            words={`Commission ${design.data.length + design.metadata.length} disks`}
            sure={`What is on these ${design.data.length + design.metadata.length} disks is lost.`}
            disabled={blocked || begin.isPending}
            act={() => begin.mutate(undefined)}
          />
          <Button onClick={() => save(`${design.pool}.yaml`, writePlan(toPortable(design, d.byId)))}>
            Save the plan
          </Button>
          <Button onClick={() => file.current?.click()}>Open a plan</Button>
          <input
            ref={file}
            type="file"
            accept=".yaml,.yml,application/yaml"
            aria-label="A commissioning plan"
            style={{ display: 'none' }}
            onChange={(e) => {
              void open(e.target.files?.[0]);
              e.target.value = '';
            }}
          />
        </Box>
        <Typography variant="caption" color="text.secondary" component="p" sx={{ mt: 1 }}>
          {may
            ? 'It is done one node at a time, and given back if it cannot be finished.'
            : 'Commissioning is for storage engineers and operators.'}
        </Typography>
      </Paper>
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
