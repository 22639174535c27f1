import {
  Button,
  Checkbox,
  FormControlLabel,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { useEffect, useRef } from 'react';
import type { Scheme } from '@moorage/core/capacity/usable';
import type { ClusterDesign } from '@moorage/core/clusters/design';
import type { useDesign } from './useDesign';
import { Fill, Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';

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

/** How a pool is reached, and whether what is written to it is sealed. */
export interface Reach {
  readonly protocol: Protocol;
  readonly encrypted: boolean;
}
export type PickedRole = 'data' | 'metadata';
export const isPoolName = (name: string): boolean => poolName.test(name);

/** What the pool is to be, besides its disks. */
export function PlanFields({
  design,
  change,
  reach,
  setReach,
}: {
  design: ClusterDesign;
  change: (design: ClusterDesign) => void;
  reach: Reach;
  setReach: (reach: Reach) => void;
}) {
  return (
    <Row gap={1.5} align="flex-start" wraps sx={{ mb: 2 }}>
      <TextField
        label="Name of the pool"
        value={design.pool}
        error={!isPoolName(design.pool)}
        helperText={!isPoolName(design.pool) && 'Small letters, digits, hyphens.'}
        onChange={(e) => change({ ...design, pool: e.target.value })}
        sx={{ width: 170 }}
      />
      <OneOf
        label="Protection"
        value={keyOf(design.scheme)}
        options={schemes.map(([key, words]) => [key, words] as const)}
        choose={(key) => change({ ...design, scheme: schemes.find(([k]) => k === key)![2] })}
        width={120}
      />
      <OneOf
        label="Kept apart by"
        value={design.level}
        options={['node', 'rack', 'zone'] as const}
        choose={(level) => change({ ...design, level })}
        width={120}
      />
      <OneOf<Protocol>
        label="Reached by"
        value={reach.protocol}
        options={[['NVMeOverFabrics', 'NVMe/TCP'], 'iSCSI', ['NFSv4', 'NFS']]}
        choose={(protocol) => setReach({ ...reach, protocol })}
        width={120}
      />
      <FormControlLabel
        control={
          <Checkbox
            size="small"
            checked={reach.encrypted}
            onChange={(e) => setReach({ ...reach, encrypted: e.target.checked })}
          />
        }
        label="Encrypted"
      />
    </Row>
  );
}

/** What a click on a disk does, and what to do with all of them at once. */
export function PickBar({
  role,
  setRole,
  design,
}: {
  role: PickedRole;
  setRole: (role: PickedRole) => void;
  design: ReturnType<typeof useDesign>;
}) {
  return (
    <Row align="center" wraps sx={{ mb: 1.5 }}>
      <Typography variant="body2" id="picks">
        A click takes a disk, or all of a node, for
      </Typography>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={role}
        aria-labelledby="picks"
        onChange={(_e, v: PickedRole | null) => v && setRole(v)}
      >
        <ToggleButton value="data">data</ToggleButton>
        <ToggleButton value="metadata">metadata</ToggleButton>
      </ToggleButtonGroup>
      <Fill />
      <Button onClick={() => design.suggest(design.design.scheme)}>Suggest</Button>
      <Button onClick={() => design.change({ ...design.design, data: [], metadata: [] })}>Let all go</Button>
      <Button onClick={design.undo} disabled={!design.undo}>
        Undo
      </Button>
    </Row>
  );
}

export function OpenPlan({ open }: { open: (chosen: File | undefined) => Promise<void> }) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <>
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
    </>
  );
}

/** Ctrl or Command with Z takes the last change back, where nothing is being typed. */
export function useUndoKey(undo: (() => void) | undefined): void {
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
}
