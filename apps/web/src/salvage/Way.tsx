import { Button, TextField, Typography } from '@mui/material';
import type { SalvageRow } from '@moorage/contract/salvage';
import { nameProblem } from '@moorage/core/claims/name';
import { accessModes } from '@moorage/core/classes/storage-class';
import { sizeText } from '@moorage/core/sizes/display';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh, useClaims, useClasses, useNamespaces } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { useMay } from '../parts/person';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { useGiveBack } from './useSalvage';
import { calledOf, copyWords, originWords, setOf, takers } from './words';

/** A name for the claim, in a namespace; with a class and a mode for what nobody here made. */
function ByName({ row, give }: { row: SalvageRow; give: ReturnType<typeof useGiveBack> }) {
  const { data: namespaces } = useNamespaces();
  const { data: classes } = useClasses();
  const [namespace, setNamespace] = useState(row.namespace ?? '');
  const [name, setName] = useState(row.nameTaken ? '' : (row.name ?? ''));
  const [className, setClassName] = useState('');
  const [mode, setMode] = useState<(typeof accessModes)[number]>('ReadWriteOnce');
  const isForeign = row.origin === 'foreign';
  const problem = name !== '' && nameProblem(name) !== undefined;
  const ready = namespace !== '' && name !== '' && !problem && (!isForeign || className !== '');
  const as = isForeign ? { className, modes: [mode], volumeMode: 'Filesystem' as const } : {};
  return (
    <Row gap={1.5} align="flex-start" wraps>
      <OneOf
        label="Namespace"
        value={namespace}
        options={[['', 'choose'], ...(namespaces ?? []).map((n) => n.namespace)]}
        choose={setNamespace}
        width={170}
      />
      <TextField
        label="Claim"
        value={name}
        onChange={(e) => setName(e.target.value.trim())}
        error={problem}
        helperText={
          problem
            ? 'Small letters, digits and dashes.'
            : row.nameTaken && name === row.name
              ? 'There is a claim of this name: it takes the volume only if it waits for one.'
              : undefined
        }
        sx={{ width: 260 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      {isForeign && (
        <>
          <OneOf
            label="Class"
            value={className}
            options={[['', 'choose'], ...(classes ?? []).map((c) => c.storageClass.name)]}
            choose={setClassName}
            width={160}
          />
          <OneOf label="Access mode" value={mode} options={accessModes} choose={setMode} width={190} />
        </>
      )}
      <Button
        variant="contained"
        disabled={!ready || give.isPending}
        onClick={() => give.mutate([{ id: row.id, namespace, name, ...as }])}
      >
        {row.name !== null && name === row.name && namespace === row.namespace
          ? 'Give it back'
          : 'Give it to this claim'}
      </Button>
    </Row>
  );
}

/** Claims that wait and that it would satisfy, each one step away. */
function Takers({ row, give }: { row: SalvageRow; give: ReturnType<typeof useGiveBack> }) {
  const { data } = useClaims({
    ...{ state: 'unbound', limit: '200' },
    className: row.className ?? undefined,
    namespace: row.namespace ?? undefined,
  });
  const fitting = row.className === null ? [] : takers(row, data?.claims ?? []);
  if (fitting.length === 0) return null;
  return (
    <Row gap={1} align="center" wraps aria-label="Claims that wait for such a volume" role="group">
      <Typography variant="body2">Or to a claim that waits for such a volume:</Typography>
      {fitting.slice(0, 6).map((claim) => (
        <Button
          key={claim.uid}
          disabled={give.isPending}
          onClick={() => give.mutate([{ id: row.id, namespace: claim.namespace, name: claim.name }])}
        >
          {claim.name}, {sizeText(claim.requested)}
          {claim.requested < row.bytes ? ` (${sizeText(row.bytes - claim.requested)} more than it asks)` : ''}
        </Button>
      ))}
    </Row>
  );
}

function Destroy({ row, close }: { row: SalvageRow; close: () => void }) {
  const [typed, setTyped] = useState('');
  const destroy = useAct(async () => {
    await ask('destroyVolume', { body: { id: row.id, confirm: typed } });
    void refresh('salvage', 'operations');
    close();
    return { text: `${calledOf(row)} is being destroyed.` };
  });
  return (
    <Row role="alert" gap={1.5} align="center" wraps sx={{ border: 1, borderColor: 'error.main', p: 1.5 }}>
      <Fill>
        {sizeText(row.consumed)} of written data {row.consumed === 1 ? 'is' : 'are'} destroyed for good, on the backend
        and on the platform. There is no way back.
      </Fill>
      <TextField
        label={`Type ${row.name} to destroy it`}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        sx={{ width: 260 }}
      />
      <Button onClick={close}>Keep it</Button>
      <Button
        variant="contained"
        disabled={typed !== row.name || destroy.isPending}
        onClick={() => destroy.mutate(undefined)}
      >
        Destroy it
      </Button>
    </Row>
  );
}

/** One volume that no claim holds: what is known of it, and its ways back. */
export function Way({ row, rows, close }: { row: SalvageRow; rows: readonly SalvageRow[]; close: () => void }) {
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const mayDestroy = useMay('administrator', 'operator');
  const [destroying, setDestroying] = useState(false);
  const give = useGiveBack(close);
  const longer = useAct(async () => {
    await ask('lengthenGrace', { body: { id: row.id, days: 7 } });
    await refresh('salvage');
    return { text: `${calledOf(row)} is kept for 7 days more.` };
  });
  const set = setOf(row, rows);
  const { mark, words } = copyWords[row.copies];
  return (
    <Sheet role="region" aria-label={`Volume ${calledOf(row)}`}>
      <Row gap={2} align="baseline" sx={{ mb: 1 }}>
        <Typography variant="h2">
          <Mark kind={mark} /> {calledOf(row)}
        </Typography>
        <Fill>
          {originWords[row.origin]}, {words}; {sizeText(row.consumed)} written of {sizeText(row.bytes)} on {row.pool}
          {row.destroyedAt && (
            <>
              ; destroyed <When at={row.destroyedAt} />
            </>
          )}
          .
        </Fill>
        <Button onClick={close}>Close</Button>
      </Row>
      <Column gap={1.25}>
        <Row gap={2} wraps align="center" sx={{ fontSize: 13 }}>
          <span>
            On {row.backend} <Copyable text={row.volumeId} what="backend identifier" />
          </span>
          <span>
            named <Copyable text={row.volumeName} what="volume name" />
          </span>
          <span title="Of the backend's identifier and what is written: the same before and after it is given back.">
            data fingerprint <Copyable text={row.fingerprint} what="fingerprint" />
          </span>
        </Row>
        {row.operation !== null && <Typography variant="body2">It is on its way to a claim: see Under way.</Typography>}
        {may && row.operation === null && !destroying && (
          <>
            <ByName key={row.id} row={row} give={give} />
            <Takers row={row} give={give} />
            <Row gap={1.5} wraps>
              {set.length > 1 && (
                <Button
                  disabled={give.isPending}
                  onClick={() => give.mutate(set.map((r) => ({ id: r.id, namespace: r.namespace!, name: r.name! })))}
                >
                  Give back all {set.length} of {row.set}, to their old names
                </Button>
              )}
              {row.destroyedAt && (
                <Button disabled={longer.isPending} onClick={() => longer.mutate(undefined)}>
                  Keep it 7 days longer
                </Button>
              )}
              {mayDestroy && row.origin !== 'foreign' && (
                <Button onClick={() => setDestroying(true)}>Destroy it now</Button>
              )}
            </Row>
          </>
        )}
        {destroying && <Destroy row={row} close={() => setDestroying(false)} />}
      </Column>
    </Sheet>
  );
}
