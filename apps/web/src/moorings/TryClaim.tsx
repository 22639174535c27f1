import { TextField, Typography } from '@mui/material';
import { quantityWords } from '@moorage/contract/claims';
import { isHere, type PlacementState } from '@moorage/contract/moorings';
import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { useInAddress, useTypedInAddress } from '../frame/address';
import type { Tunable, Tuned } from '@moorage/core/classes/tunable';
import { useMemo } from 'react';
import { tunableWords } from '../classes/words';
import type { TriedClaim } from '@moorage/contract/placement-input';
import { Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';

const zonesOf = (state: PlacementState): string[] =>
  [...new Set(state.pools.filter((p) => isHere(state, p)).flatMap((p) => p.facts.disks.map((d) => d.zone)))]
    .filter(Boolean)
    .sort();

/** `iops-floor=900,copies=2`, as it stands in the address. */
const readTuning = (text: string): Tuned =>
  Object.fromEntries(
    text
      .split(',')
      .filter(Boolean)
      .map((part) => part.split('='))
      .map(([setting, value = '']) => [setting, /^\d+$/.test(value) ? Number(value) : value]),
  ) as Tuned;

/** The claim in the address, and the row of fields that makes it. The class whose cell is looked at says what may be tuned. */
export function useTriedClaim(state: PlacementState | undefined, className: string) {
  const [tuning, setTuning] = useTypedInAddress('tuned');
  const allowances = state?.classes.find((c) => c.name === className)?.allowances ?? [];
  const tune = (setting: Tunable, value: string) => {
    const next = { ...readTuning(tuning), [setting]: value };
    setTuning(
      Object.entries(next)
        .filter(([, v]) => v !== '')
        .map(([k, v]) => `${k}=${v}`)
        .join(','),
    );
  };
  const [sizeText, setSize] = useTypedInAddress('size', '80Gi');
  const [mode, setMode] = useInAddress('mode', 'ReadWriteOnce');
  const [volumeMode, setVolumeMode] = useInAddress('volumeMode', 'Filesystem');
  const [namespace, setNamespace] = useInAddress('ns', state?.namespaces[0] ?? '');
  const [zone, setZone] = useInAddress('zone');
  const size = parseQuantity(sizeText);
  const problem = size.ok ? (size.bytes === 0 ? 'A size must be above zero.' : undefined) : quantityWords[size.problem];
  const bytes = size.ok ? size.bytes : 0;
  const tried = useMemo(
    () =>
      problem
        ? undefined
        : ({
            size: bytes,
            mode,
            volumeMode,
            namespace,
            zone,
            tuned: readTuning(tuning),
            tunedFor: className,
          } as TriedClaim),
    [bytes, problem, mode, volumeMode, namespace, zone, tuning, className],
  );
  const fields = state && (
    <Row gap={1.5} align="flex-start" wraps>
      <Typography variant="h2" component="h2" sx={{ pt: 0.75 }}>
        Try a claim
      </Typography>
      <TextField
        label="Size"
        value={sizeText}
        onChange={(e) => setSize(e.target.value)}
        error={!!problem}
        helperText={problem}
        sx={{ width: problem ? 260 : 110 }}
        slotProps={{ htmlInput: { spellCheck: false } }}
      />
      <OneOf label="Access mode" value={mode} options={accessModes} choose={setMode} width={175} />
      <OneOf label="Volume mode" value={volumeMode} options={volumeModes} choose={setVolumeMode} width={130} />
      <OneOf
        label="Namespace"
        value={state.namespaces.includes(namespace) ? namespace : ''}
        options={state.namespaces}
        choose={setNamespace}
        width={150}
      />
      <OneOf
        label="First pod's zone"
        value={zone}
        options={[['', 'any zone'], ...zonesOf(state)]}
        choose={setZone}
        width={140}
      />
      {allowances.map(({ setting, minimum, maximum }) => (
        <TextField
          key={setting}
          label={`${tunableWords[setting]}, ${className}`}
          placeholder={`${minimum} to ${maximum}`}
          value={String(readTuning(tuning)[setting] ?? '')}
          onChange={(e) => tune(setting, e.target.value.trim())}
          sx={{ width: 150 }}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: 'numeric' } }}
        />
      ))}
    </Row>
  );
  return { tried, fields };
}
