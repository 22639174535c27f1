import { Button, TextField } from '@mui/material';
import { bucketLimitSchema, type BucketRow } from '@moorage/contract/buckets';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { useContext, useState } from 'react';
import { ask } from '../api/client';
import { refresh, usePlacement } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Row } from '../parts/layout';
import { PersonContext } from '../parts/person';
import { useAct } from '../parts/useAct';
import { changing, landing } from './foresee';
import { useBucketClasses } from './useBuckets';

/** How much it may hold: another limit, with what that comes to. */
export function Limit({ row, propose }: { row: BucketRow; propose?: number }) {
  const { namespace, name } = row;
  const { data: state } = usePlacement();
  const { data: classes } = useBucketClasses();
  const [text, setText] = useState('');
  const cls = classes?.find((c) => c.name === row.className);
  const size = parseQuantity(text);
  const read = bucketLimitSchema.safeParse({ limit: text });
  const currency = useContext(PersonContext)?.currency ?? '';
  const told =
    state && cls && size.ok && size.bytes > 0
      ? row.state === 'ready'
        ? changing(state, row, cls, size.bytes)
        : landing(state, namespace, cls, size.bytes, currency)
      : undefined;
  const set = useAct(async (limit: string) => {
    await ask('setBucketLimit', { params: { namespace, name }, body: { limit } });
    void refresh('buckets', 'namespaces');
    setText('');
    return { text: `${namespace}/${name} is to hold ${limit}.` };
  });
  return (
    <Row
      gap={1.5}
      align="center"
      wraps
      component="form"
      onSubmit={(e: React.FormEvent) => (e.preventDefault(), set.mutate(text))}
    >
      <TextField
        label="May hold"
        placeholder={row.limit === null ? 'for example 50Gi' : sizeText(row.limit)}
        value={text}
        onChange={(e) => setText(e.target.value.trim())}
        error={text !== '' && !read.success}
        helperText={text === '' || read.success ? undefined : read.error.issues[0]?.message}
        slotProps={{ inputLabel: { shrink: true } }}
        sx={{ width: 160 }}
      />
      <Button type="submit" disabled={!read.success || set.isPending}>
        Change it
      </Button>
      {propose !== undefined && propose > 0 && text === '' && (
        <Button disabled={set.isPending} onClick={() => set.mutate(formatQuantity(propose as Bytes))}>
          Let it hold {sizeText(propose)}, what there is room for
        </Button>
      )}
      {told && (
        <span aria-live="polite">
          <Mark kind={told.fits ? 'settled' : 'person'} /> {told.text}
        </span>
      )}
      {row.wants !== null && text === '' && (
        <span>
          <Mark kind="waiting" /> waits for room for {sizeText(row.wants)}; it stays as it is meanwhile.
        </span>
      )}
    </Row>
  );
}
