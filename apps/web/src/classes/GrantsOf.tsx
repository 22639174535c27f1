import {
  Button,
  Checkbox,
  MenuItem,
  Switch,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import type { Grants, GrantsChange } from '@moorage/contract/classes';
import { quantityWords } from '@moorage/contract/claims';
import { sizeText } from '@moorage/core/sizes/display';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh, useGrants } from '../api/queries';
import { Size } from '../parts/Size';
import { Fetched } from '../parts/States';
import { useMay } from '../parts/person';
import { useAct } from '../parts/useAct';
import { FaintCell, Row, Sheet } from '../parts/layout';

const own = 'kubernetes.io/metadata.name';

/** `team=desk` pairs that namespaces carry, each with how many carry it; the name each carries of itself is left out. */
export function labelsOf(namespaces: Grants['namespaces']): { label: string; count: number }[] {
  const counts = new Map<string, number>();
  for (const { labels } of namespaces)
    for (const [key, value] of Object.entries(labels))
      if (key !== own) counts.set(`${key}=${value}`, (counts.get(`${key}=${value}`) ?? 0) + 1);
  return [...counts].map(([label, count]) => ({ label, count })).sort((a, b) => (a.label < b.label ? -1 : 1));
}

const carries = (namespace: Grants['namespaces'][number], label: string): boolean => {
  const at = label.indexOf('=');
  return namespace.labels[label.slice(0, at)] === label.slice(at + 1);
};

function Quota({
  value,
  change,
  label,
}: {
  value: number | null;
  change: (quota: number | null) => void;
  label: string;
}) {
  const [text, setText] = useState<string>();
  const shown = text ?? (value === null ? '' : formatQuantity(value as Bytes));
  const size = parseQuantity(shown);
  const problem =
    shown.trim() === ''
      ? undefined
      : size.ok
        ? size.bytes > 0
          ? undefined
          : 'Above zero.'
        : quantityWords[size.problem];
  const commit = () => {
    if (text === undefined || problem) return;
    change(shown.trim() === '' ? null : size.ok ? size.bytes : null);
    setText(undefined);
  };
  return (
    <TextField
      value={shown}
      placeholder="no quota"
      onChange={(e) => setText(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => e.key === 'Enter' && commit()}
      error={!!problem}
      helperText={problem}
      sx={{ width: 130 }}
      slotProps={{ htmlInput: { 'aria-label': label, style: { textAlign: 'right' } } }}
    />
  );
}

function GrantTable({ grants }: { grants: Grants }) {
  const may = useMay('administrator', 'operator');
  const { className, open, namespaces } = grants;
  const [label, setLabel] = useState('');
  const labels = labelsOf(namespaces);
  const shown = label === '' ? namespaces : namespaces.filter((n) => carries(n, label));
  const change = useAct(
    async ({ body, text, undo }: { body: Partial<GrantsChange>; text: string; undo?: Partial<GrantsChange> }) => {
      const send = async (what: Partial<GrantsChange>) => {
        await ask('changeGrants', { params: { name: className }, body: what });
        await refresh('grants');
      };
      await send(body);
      return { text, ...(undo && { undo: () => send(undo) }) };
    },
    'grants',
  );
  const grant = (granted: boolean) => {
    const set = shown.filter((n) => n.granted !== granted).map(({ namespace }) => ({ namespace, granted }));
    change.mutate({
      body: { set },
      undo: { set: set.map((s) => ({ ...s, granted: !granted })) },
      text: `${className} is ${granted ? 'granted to' : 'taken from'} ${set.length} ${set.length === 1 ? 'namespace' : 'namespaces'}.`,
    });
  };
  const blocked = namespaces.filter((n) => !n.granted && n.claims > 0);
  return (
    <Sheet component="section" aria-label="Who may use it" sx={{ mt: 2 }}>
      <Row gap={1.5} align="center" wraps sx={{ pb: 1 }}>
        <Typography variant="h2">Who may use it</Typography>
        <Typography variant="body2" component="label" sx={{ flex: 1 }}>
          <Switch
            size="small"
            checked={!open}
            disabled={!may}
            slotProps={{ input: { 'aria-label': 'Kept for namespaces that are granted it' } }}
            onChange={(_e, kept) =>
              change.mutate({
                body: { open: !kept },
                undo: { open: kept },
                text: kept
                  ? `${className} is kept for the namespaces granted it.`
                  : `${className} is open to every namespace.`,
              })
            }
          />{' '}
          {open ? 'Open to every namespace' : 'Kept for the namespaces granted it'}
          {!open && blocked.length > 0 && `; ${blocked.length} that hold claims of it can make no more`}
        </Typography>
        {labels.length > 0 && (
          <TextField
            select
            label="By label"
            value={label}
            onChange={(e) => setLabel(e.target.value)}
            sx={{ width: 220 }}
            slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
          >
            <MenuItem value="">every namespace</MenuItem>
            {labels.map((l) => (
              <MenuItem key={l.label} value={l.label}>
                {l.label} ({l.count})
              </MenuItem>
            ))}
          </TextField>
        )}
        {may && (
          <Button disabled={shown.every((n) => n.granted)} onClick={() => grant(true)}>
            Grant to these {shown.length}
          </Button>
        )}
        {may && (
          <Button disabled={shown.every((n) => !n.granted)} onClick={() => grant(false)}>
            Take from them
          </Button>
        )}
      </Row>
      <Table size="small" aria-label="Namespaces and their grants">
        <TableHead>
          <TableRow>
            <TableCell>Namespace</TableCell>
            <TableCell>Labels</TableCell>
            <TableCell align="center">Granted</TableCell>
            <TableCell align="right">Claims</TableCell>
            <TableCell align="right">Provisioned</TableCell>
            <TableCell align="right">Quota in this class</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map((n) => (
            <TableRow key={n.namespace} sx={{ '& td, & th': { py: 0.25 } }}>
              <TableCell component="th" scope="row">
                {n.namespace}
              </TableCell>
              <FaintCell>
                {Object.entries(n.labels)
                  .filter(([k]) => k !== own)
                  .map(([k, v]) => `${k}=${v}`)
                  .join(', ') || '–'}
              </FaintCell>
              <TableCell align="center">
                <Checkbox
                  size="small"
                  checked={n.granted}
                  disabled={!may}
                  slotProps={{ input: { 'aria-label': `Grant ${className} to ${n.namespace}` } }}
                  onChange={(_e, granted) =>
                    change.mutate({
                      body: { set: [{ namespace: n.namespace, granted }] },
                      undo: { set: [{ namespace: n.namespace, granted: !granted }] },
                      text: `${className} is ${granted ? 'granted to' : 'taken from'} ${n.namespace}.`,
                    })
                  }
                />
              </TableCell>
              <TableCell align="right">{n.claims}</TableCell>
              <TableCell align="right">
                <Size bytes={n.provisioned} />
              </TableCell>
              <TableCell align="right">
                {may ? (
                  <Quota
                    label={`Quota of ${n.namespace} in ${className}`}
                    value={n.quota}
                    change={(quota) =>
                      change.mutate({
                        body: { set: [{ namespace: n.namespace, quota }] },
                        undo: { set: [{ namespace: n.namespace, quota: n.quota }] },
                        text:
                          quota === null
                            ? `${n.namespace} has no quota in ${className}.`
                            : `${n.namespace} may take ${sizeText(quota)} of ${className}.`,
                      })
                    }
                  />
                ) : (
                  <Size bytes={n.quota} />
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Sheet>
  );
}

/** Which namespaces may use a class, each with its quota; several at once by a label they carry. */
export function GrantsOf({ name }: { name: string }) {
  const query = useGrants(name);
  return <Fetched query={query}>{(grants) => <GrantTable grants={grants} />}</Fetched>;
}
