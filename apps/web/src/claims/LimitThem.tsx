import { Button, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import { quantityWords } from '@moorage/contract/claims';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh, useNamespaces } from '../api/queries';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { Size } from '../parts/Size';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { limitRows, limitSentence, type LimitRow } from './limits-words';
import type { Picked } from './Round';

const give = (rows: readonly LimitRow[], which: 'then' | 'was') =>
  ask('setLimits', {
    body: rows.map(({ namespace, was, then }) =>
      which === 'then' ? { namespace, was, bytes: then } : { namespace, was: then, bytes: was },
    ),
  }).then(() => refresh('namespaces'));

function Plan({ rows, close }: { rows: readonly LimitRow[]; close: () => void }) {
  const changed = rows.filter((r) => r.was !== r.then);
  const set = useAct(async () => {
    await give(changed, 'then');
    close();
    return {
      text: `${changed.length} ${changed.length === 1 ? 'namespace has its limit' : 'namespaces have their limits'}.`,
      undo: () => give(changed, 'was'),
    };
  });
  return (
    <Column gap={1}>
      <Row align="center" gap={1.5}>
        <Fill aria-live="polite">
          {changed.length === 0
            ? 'Every one of these namespaces has that limit already.'
            : 'Each may bind so much more than it holds; claims beyond that wait until its limit is raised.'}
        </Fill>
        <Button
          variant="contained"
          disabled={changed.length === 0 || set.isPending}
          onClick={() => set.mutate(undefined)}
        >
          Limit {changed.length} {changed.length === 1 ? 'namespace' : 'namespaces'}
        </Button>
      </Row>
      <Table size="small" aria-label="Limits">
        <TableHead>
          <TableRow>
            <TableCell>Namespace</TableCell>
            <TableCell align="right">Picked claims</TableCell>
            <TableCell align="right">Holds</TableCell>
            <TableCell align="right">Limit now</TableCell>
            <TableCell align="right">Limit then</TableCell>
            <TableCell>Change</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row) => (
            <TableRow key={row.namespace}>
              <TableCell component="th" scope="row">
                {row.namespace}
              </TableCell>
              <TableCell align="right">{row.picked.toLocaleString('en-GB')}</TableCell>
              <TableCell align="right">
                <Size bytes={row.holds} />
              </TableCell>
              <TableCell align="right">{row.was === null ? 'none' : <Size bytes={row.was} />}</TableCell>
              <TableCell align="right">
                <Size bytes={row.then} />
              </TableCell>
              <TableCell>{limitSentence(row)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Column>
  );
}

/** A limit for the namespace of each picked claim: what it holds now, and so much more. */
export function LimitThem({ claims, close }: { claims: readonly Picked[]; close: () => void }) {
  const query = useNamespaces();
  const [text, setText] = useState('100Gi');
  const size = parseQuantity(text);
  return (
    <Sheet role="region" aria-label="Limit their namespaces">
      <Row gap={1.5} align="flex-start" sx={{ mb: 1 }}>
        <Typography variant="h2" sx={{ pt: 0.75 }}>
          Limit their namespaces
        </Typography>
        <TextField
          label="Beyond what each holds"
          value={text}
          onChange={(e) => setText(e.target.value)}
          error={!size.ok}
          helperText={size.ok ? 'Of all its classes together.' : quantityWords[size.problem]}
          sx={{ width: 220 }}
        />
        <Fill />
        <Button onClick={close}>Back to the list</Button>
      </Row>
      <Fetched query={query}>
        {(usage) => size.ok && <Plan rows={limitRows(claims, usage, size.bytes)} close={close} />}
      </Fetched>
    </Sheet>
  );
}
