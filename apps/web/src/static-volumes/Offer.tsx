import { Button, TextField, Typography } from '@mui/material';
import type { SalvageRow } from '@moorage/contract/salvage';
import { nameProblem } from '@moorage/core/claims/name';
import { accessModes, volumeModes, type AccessMode, type VolumeMode } from '@moorage/core/classes/storage-class';
import { useState } from 'react';
import { refresh, useClasses, useNamespaces } from '../api/queries';
import { Apply, PlanList } from '../manifests/Plan';
import { usePlan } from '../manifests/usePlan';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { volumesText } from './volume-text';

/** Volumes of a backend that nobody here made, offered to claims under a class; one of them may be kept for one claim. */
export function Offer({ rows, close }: { rows: readonly SalvageRow[]; close: () => void }) {
  const { data: classes } = useClasses();
  const { data: namespaces } = useNamespaces();
  const [className, setClassName] = useState('');
  const [mode, setMode] = useState<AccessMode>('ReadWriteOnce');
  const [volumeMode, setVolumeMode] = useState<VolumeMode>('Filesystem');
  const [namespace, setNamespace] = useState('');
  const [name, setName] = useState('');
  const isNamed = namespace !== '' && name !== '';
  const problem = name !== '' && nameProblem(name) !== undefined;
  const reservedFor = rows.length === 1 && isNamed && !problem ? { namespace, name } : undefined;
  const text = volumesText(rows, { className, mode, volumeMode, ...(reservedFor && { reservedFor }) });
  const planned = usePlan(text);
  return (
    <Sheet role="region" aria-label="Offer to claims">
      <Row gap={2} align="baseline" sx={{ mb: 1.5 }}>
        <Typography variant="h2">
          Offer {rows.length} {rows.length === 1 ? 'volume' : 'volumes'} to claims
        </Typography>
        <Fill>
          Each becomes a persistent volume that a matching claim is bound to. What is on it stays as it is, also when
          that claim is deleted: a volume that nobody here made is never destroyed.
        </Fill>
        <Button onClick={close}>Close</Button>
      </Row>
      <Column gap={1.25}>
        <Row gap={1.5} align="flex-start" wraps>
          <OneOf
            label="Class"
            value={className}
            options={[['', 'none'], ...(classes ?? []).map((c) => c.storageClass.name)]}
            choose={setClassName}
            width={170}
          />
          <OneOf label="Access mode" value={mode} options={accessModes} choose={setMode} width={190} />
          <OneOf label="Volume mode" value={volumeMode} options={volumeModes} choose={setVolumeMode} width={150} />
          {rows.length === 1 && (
            <>
              <OneOf
                label="Kept for, namespace"
                value={namespace}
                options={[['', 'any claim'], ...(namespaces ?? []).map((n) => n.namespace)]}
                choose={setNamespace}
                width={180}
              />
              {namespace !== '' && (
                <TextField
                  label="Kept for, claim"
                  value={name}
                  onChange={(e) => setName(e.target.value.trim())}
                  error={problem}
                  helperText={problem ? 'Small letters, digits and dashes.' : undefined}
                  sx={{ width: 220 }}
                  slotProps={{ inputLabel: { shrink: true } }}
                />
              )}
            </>
          )}
        </Row>
        <Apply
          text={text}
          of={planned}
          done={() => {
            void refresh('salvage', 'candidates');
            close();
          }}
        />
        <PlanList of={planned} show="nowhere" />
      </Column>
    </Sheet>
  );
}
