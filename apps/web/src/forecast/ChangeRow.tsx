import { Button, TextField, Typography } from '@mui/material';
import type { AskedChange } from '@moorage/contract/forecast';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { useState } from 'react';
import { Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { Day } from '../parts/Day';
import { changeTitles, type Names } from './changes';

/** A size that is typed; what cannot be read is said, and changes nothing. */
function SizeField({ label, value, set }: { label: string; value: number; set: (bytes: number) => void }) {
  const [text, setText] = useState(formatQuantity(value as Bytes));
  const read = parseQuantity(text);
  return (
    <TextField
      label={label}
      value={text}
      onChange={(e) => {
        setText(e.target.value);
        const now = parseQuantity(e.target.value);
        if (now.ok) set(now.bytes);
      }}
      error={!read.ok}
      helperText={read.ok ? undefined : 'As 500Gi or 2Ti.'}
      sx={{ width: 130 }}
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
}

/** A number that is typed. */
export function NumberField({
  label,
  value,
  set,
  width = 110,
  most = Number.MAX_SAFE_INTEGER,
}: {
  label: string;
  value: number | null;
  set: (value: number | null) => void;
  width?: number;
  most?: number;
}) {
  const [text, setText] = useState(value === null ? '' : String(value));
  const isFine = (t: string) => t === '' || (/^\d+(\.\d*)?$/.test(t) && Number(t) <= most);
  return (
    <TextField
      label={label}
      value={text}
      onChange={(e) => {
        const now = e.target.value.replace(/[,\s]/g, '');
        setText(e.target.value);
        if (isFine(now)) set(now === '' ? null : Number(now));
      }}
      error={!isFine(text.replace(/[,\s]/g, ''))}
      helperText={isFine(text.replace(/[,\s]/g, '')) ? undefined : 'A number.'}
      sx={{ width }}
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
}

function Fields({ change, set, names }: { change: AskedChange; set: (change: AskedChange) => void; names: Names }) {
  switch (change.kind) {
    case 'application':
      return (
        <>
          <OneOf
            label="Class"
            width={160}
            value={change.className}
            options={names.classes}
            choose={(className) => set({ ...change, className })}
          />
          <SizeField label="Provisioned" value={change.bytes} set={(bytes) => set({ ...change, bytes })} />
          <NumberField label="Reserved IOPS" value={change.iops} set={(iops) => set({ ...change, iops: iops ?? 0 })} />
          <Day label="From" value={change.from} choose={(day) => day && set({ ...change, from: day })} />
        </>
      );
    case 'capacity':
      return (
        <>
          <OneOf
            label="Pool"
            width={160}
            value={change.pool}
            options={names.pools}
            choose={(pool) => set({ ...change, pool })}
          />
          <SizeField label="Raw" value={change.raw} set={(raw) => set({ ...change, raw })} />
          <Day label="From" value={change.from} choose={(day) => day && set({ ...change, from: day })} />
        </>
      );
    case 'copy':
      return (
        <OneOf
          label="Class"
          width={160}
          value={change.className}
          options={names.classes}
          choose={(className) => set({ ...change, className })}
        />
      );
    case 'move':
      return (
        <>
          <OneOf
            label="Namespace"
            width={160}
            value={change.namespace}
            options={names.namespaces}
            choose={(namespace) => set({ ...change, namespace })}
          />
          <OneOf
            label="From class"
            width={150}
            value={change.from}
            options={names.classes}
            choose={(from) => set({ ...change, from })}
          />
          <OneOf
            label="To class"
            width={150}
            value={change.to}
            options={names.classes}
            choose={(to) => set({ ...change, to })}
          />
        </>
      );
    case 'growth': {
      const of = { site: [], pool: names.pools, class: names.classes, namespace: names.namespaces }[change.of];
      return (
        <>
          <OneOf
            label="Of"
            width={130}
            value={change.of}
            options={[['site', 'everything'], 'pool', 'class', 'namespace'] as const}
            choose={(kind) =>
              set({
                ...change,
                of: kind,
                name:
                  kind === 'site'
                    ? ''
                    : ({ pool: names.pools, class: names.classes, namespace: names.namespaces }[kind][0] ?? ''),
              })
            }
          />
          {change.of !== 'site' && (
            <OneOf
              label="Which"
              width={160}
              value={change.name}
              options={of}
              choose={(name) => set({ ...change, name })}
            />
          )}
          <NumberField
            label="Times as fast"
            value={change.times}
            most={100}
            set={(times) => set({ ...change, times: times ?? 1 })}
          />
        </>
      );
    }
  }
}

/** One change of a scenario, as fields. */
export function ChangeRow({
  change,
  set,
  remove,
  names,
}: {
  change: AskedChange;
  set: (change: AskedChange) => void;
  remove: () => void;
  names: Names;
}) {
  return (
    <Row component="li" gap={1.5} align="flex-start" wraps aria-label={changeTitles[change.kind]}>
      <Typography variant="body2" sx={{ width: 190, pt: 1 }}>
        {changeTitles[change.kind]}
      </Typography>
      <Fields change={change} set={set} names={names} />
      <Button onClick={remove}>Take out</Button>
    </Row>
  );
}
