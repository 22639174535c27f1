import { TextField, ToggleButton, ToggleButtonGroup } from '@mui/material';
import type { ClaimPage } from '@moorage/contract/claims';
import { useClasses, useNamespaces } from '../api/queries';
import { useInAddress } from '../frame/address';
import { OneOf } from '../parts/OneOf';
import { useSettled } from '../parts/useSettled';
import { Row } from '../parts/layout';
import { KeptFilters } from './KeptFilters';

/** One value of a part of the address, or any. */
function Any({ of, label, options }: { of: string; label: string; options: readonly string[] }) {
  const [value, set] = useInAddress(of);
  return (
    <OneOf
      label={label}
      value={options.includes(value) ? value : ''}
      options={[['', 'any'], ...options]}
      choose={set}
      width={150}
    />
  );
}

/** Which claims are listed; all of it stands in the address. */
export function ClaimFilters({ counts }: { counts: ClaimPage['counts'] | undefined }) {
  const [state, setState] = useInAddress('state');
  const [q, setQ] = useInAddress('q');
  const [text, setText] = useSettled(q, setQ);
  const { data: classes } = useClasses();
  const { data: namespaces } = useNamespaces();
  return (
    <Row gap={1.5} align="center" wraps>
      <TextField
        label="Filter"
        placeholder="name, namespace, class, pool, identifier"
        value={text}
        onChange={(e) => setText(e.target.value)}
        sx={{ width: 300 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Any of="namespace" label="Namespace" options={namespaces?.map((n) => n.namespace) ?? []} />
      <Any of="class" label="Class" options={classes?.map((c) => c.storageClass.name) ?? []} />
      <ToggleButtonGroup
        exclusive
        size="small"
        value={state}
        onChange={(_e, v: string | null) => setState(v ?? '')}
        aria-label="State"
      >
        <ToggleButton value="">all{counts && ` ${counts.bound + counts.unbound}`}</ToggleButton>
        <ToggleButton value="bound">bound{counts && ` ${counts.bound}`}</ToggleButton>
        <ToggleButton value="unbound">without volume{counts && ` ${counts.unbound}`}</ToggleButton>
      </ToggleButtonGroup>
      <KeptFilters />
    </Row>
  );
}
