import { Button, TextField } from '@mui/material';
import { quantityWords } from '@moorage/contract/claims';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { useEffect, useState } from 'react';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { useAct } from '../parts/useAct';
import { Row } from '../parts/layout';

/** A limit of a namespace, or of what it has of one class; empty for none. */
export function Limit({
  namespace,
  className,
  value,
  what,
  may,
}: {
  namespace: string;
  className?: string;
  value: number | null;
  what: string;
  may: boolean;
}) {
  const given = value === null ? '' : formatQuantity(value as Bytes);
  const [text, setText] = useState(given);
  useEffect(() => setText(given), [given]);
  const size = text.trim() === '' ? undefined : parseQuantity(text);
  const problem =
    size && !size.ok
      ? quantityWords[size.problem]
      : size?.ok && size.bytes === 0
        ? 'A limit must be above zero; leave it empty for none.'
        : undefined;
  const send = (bytes: number | null) =>
    className === undefined
      ? ask('setNamespaceLimit', { params: { namespace }, body: { bytes } })
      : ask('setClassLimit', { params: { namespace, className }, body: { bytes } });
  const set = useAct(async (bytes: number | null) => {
    await send(bytes);
    await refresh('namespaces', 'use');
    return {
      text: bytes === null ? `${what} has no limit now.` : `The limit of ${what} is changed.`,
      undo: async () => {
        await send(value);
        await refresh('namespaces', 'use');
      },
    };
  });
  return (
    <Row
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        if (!problem) set.mutate(size?.ok ? size.bytes : null);
      }}
      align="flex-start"
    >
      <TextField
        label={`Limit of ${what}`}
        placeholder="none"
        value={text}
        onChange={(e) => setText(e.target.value)}
        disabled={!may}
        error={!!problem}
        helperText={problem}
        sx={{ width: 260 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      {may && (
        <Button type="submit" disabled={!!problem || text === given}>
          Set
        </Button>
      )}
    </Row>
  );
}
