import {
  Box,
  Button,
  Link,
  Paper,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { useTheme } from '@mui/material/styles';
import { quantityWords } from '@moorage/contract/claims';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { useEffect, useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { refresh, useNamespaces } from '../api/queries';
import { useAddress, useInAddress, useKeepLine } from '../frame/address';
import { MarkedWord } from '../marks/Mark';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { depthStep } from '../theme/tokens';

const measures = ['provisioned', 'requested', 'consumed', 'footprint'] as const;
type Measure = (typeof measures)[number];
const measureWords: Record<Measure, string> = {
  provisioned: 'provisioned',
  requested: 'requested',
  consumed: 'written',
  footprint: 'raw, with copies',
};

type ClassUse = NamespaceUsage['classes'][number];

function Limit({
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
    await refresh('namespaces');
    return {
      text: bytes === null ? `${what} has no limit now.` : `The limit of ${what} is changed.`,
      undo: async () => {
        await send(value);
        await refresh('namespaces');
      },
    };
  });
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        if (!problem) set.mutate(size?.ok ? size.bytes : null);
      }}
      sx={{ display: 'flex', gap: 1, alignItems: 'flex-start' }}
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
    </Box>
  );
}

function share(use: number, limit: number | null, largest: number): number {
  return limit ? Math.min(use / limit, 1) : largest > 0 ? (use / largest) * 0.8 : 0;
}

function Details({ row, className, may }: { row: NamespaceUsage; className: string | undefined; may: boolean }) {
  const keep = useKeepLine();
  const use: ClassUse | NamespaceUsage | undefined = className
    ? row.classes.find((c) => c.className === className)
    : row;
  const what = className ? `${row.namespace} in ${className}` : row.namespace;
  return (
    <Paper sx={{ p: 2, display: 'flex', gap: 4, flexWrap: 'wrap', alignItems: 'flex-start' }}>
      <Box sx={{ flex: 1, minWidth: 380 }}>
        <Typography variant="h2">{what}</Typography>
        {use ? (
          <Typography variant="body2" sx={{ mt: 0.5 }}>
            <Link
              component={RouterLink}
              to={keep(`/claims?namespace=${row.namespace}${className ? `&class=${className}` : ''}`)}
            >
              {use.claims} {use.claims === 1 ? 'claim' : 'claims'}
            </Link>{' '}
            asked <Size bytes={use.requested} /> and got <Size bytes={use.provisioned} />; <Size bytes={use.consumed} />{' '}
            are written. With copies that takes <Size bytes={use.footprint} /> of raw space.
            {use.limit !== null && (
              <>
                {' '}
                Of the limit of <Size bytes={use.limit} />, <Size bytes={Math.max(0, use.limit - use.provisioned)} />{' '}
                are left.
              </>
            )}
          </Typography>
        ) : (
          <Typography variant="body2">No claim here.</Typography>
        )}
      </Box>
      <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1.5 }}>
        <Limit namespace={row.namespace} value={row.limit} what={row.namespace} may={may} />
        {className && (
          <Limit
            namespace={row.namespace}
            className={className}
            value={row.classes.find((c) => c.className === className)?.limit ?? null}
            what={`it in ${className}`}
            may={may}
          />
        )}
      </Box>
    </Paper>
  );
}

function Grid({ rows }: { rows: NamespaceUsage[] }) {
  const { chart } = useTheme();
  const may = useMay('administrator', 'operator');
  const [measure, setMeasure] = useInAddress('measure', 'provisioned');
  const [namespace] = useInAddress('namespace');
  const [className] = useInAddress('class');
  const change = useAddress();
  const shown = (measures.includes(measure as Measure) ? measure : 'provisioned') as Measure;
  const classes = [...new Set(rows.flatMap((r) => r.classes.map((c) => c.className)))].filter(Boolean).sort();
  const chosen = rows.find((r) => r.namespace === namespace) ?? rows[0];
  const largest = Math.max(...rows.flatMap((r) => r.classes.map((c) => c[shown])), 0);
  const total = (pick: (r: NamespaceUsage) => number) => rows.reduce((sum, r) => sum + pick(r), 0);
  const cell = (
    key: string,
    row: NamespaceUsage,
    cls: string | undefined,
    use: ({ [K in Measure]: number } & { limit: number | null; unbound?: number }) | undefined,
    whole: number,
  ) => {
    const value = use?.[shown] ?? 0;
    // a limit is in provisioned bytes: nothing else is a share of it
    const limit = shown === 'provisioned' ? (use?.limit ?? null) : null;
    const step = depthStep(share(value, limit, whole));
    const over = limit !== null && value > 0.9 * limit;
    const selected = chosen?.namespace === row.namespace && (className || undefined) === cls;
    const colour = value > 0 ? chart.onDepth[step] : chart.ink;
    return (
      <TableCell
        key={key}
        align="right"
        sx={{
          p: 0,
          bgcolor: value > 0 ? chart.depth[step] : 'transparent',
          boxShadow: selected ? `inset 0 0 0 2px ${chart.ink}` : 'none',
        }}
      >
        <Box
          component="button"
          onClick={() => change({ namespace: row.namespace, class: cls ?? null })}
          data-cell={`${row.namespace}/${cls ?? ''}`}
          aria-pressed={selected}
          sx={{
            all: 'unset',
            display: 'block',
            width: '100%',
            boxSizing: 'border-box',
            px: 1.25,
            py: 0.6,
            cursor: 'pointer',
            color: colour,
            '--second-ink': colour,
            minHeight: 44,
            '&:focus-visible': { outline: `2px solid ${chart.tide}`, outlineOffset: -2 },
          }}
        >
          {use ? <Size bytes={value} /> : <span>–</span>}
          <Typography
            variant="caption"
            component="div"
            sx={{ color: over ? 'inherit' : colour, fontWeight: over ? 700 : 400 }}
          >
            {limit
              ? `${Math.round((100 * value) / limit)} % of limit`
              : use?.unbound
                ? `${use.unbound} without volume`
                : ' '}
          </Typography>
        </Box>
      </TableCell>
    );
  };
  return (
    <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1.5 }}>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={shown}
        onChange={(_e, m: Measure | null) => m && setMeasure(m)}
        aria-label="Measure"
      >
        {measures.map((m) => (
          <ToggleButton key={m} value={m}>
            {measureWords[m]}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Paper sx={{ overflow: 'auto' }}>
        <Table size="small" aria-label="Use by namespace and class">
          <TableHead>
            <TableRow>
              <TableCell>Namespace</TableCell>
              {classes.map((c) => (
                <TableCell key={c} align="right">
                  {c}
                </TableCell>
              ))}
              <TableCell align="right">All classes</TableCell>
              <TableCell>Claims</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((row) => {
              const unbound = row.classes.reduce((sum, c) => sum + c.unbound, 0);
              return (
                <TableRow key={row.namespace}>
                  <TableCell component="th" scope="row" sx={{ fontWeight: 600 }}>
                    {row.namespace}
                  </TableCell>
                  {classes.map((c) =>
                    cell(
                      c,
                      row,
                      c,
                      row.classes.find((u) => u.className === c),
                      largest,
                    ),
                  )}
                  {cell(
                    'all',
                    row,
                    undefined,
                    row,
                    total((r) => r[shown]),
                  )}
                  <TableCell>
                    {unbound > 0 ? (
                      <MarkedWord kind="waiting" word={`${row.claims - unbound} of ${row.claims} bound`} />
                    ) : (
                      `${row.claims} bound`
                    )}
                  </TableCell>
                </TableRow>
              );
            })}
            <TableRow>
              <TableCell component="th" scope="row" sx={{ color: 'text.secondary' }}>
                All
              </TableCell>
              {classes.map((c) => (
                <TableCell key={c} align="right">
                  <Size bytes={total((r) => r.classes.find((u) => u.className === c)?.[shown] ?? 0)} />
                </TableCell>
              ))}
              <TableCell align="right" sx={{ fontWeight: 600 }}>
                <Size bytes={total((r) => r[shown])} />
              </TableCell>
              <TableCell>{total((r) => r.claims)}</TableCell>
            </TableRow>
          </TableBody>
        </Table>
      </Paper>
      {chosen && <Details row={chosen} className={className || undefined} may={may} />}
    </Box>
  );
}

export default function Namespaces() {
  const query = useNamespaces();
  return (
    <Place
      title="Namespaces"
      question="Who uses how much of which class, and how near is the limit? The tint is the share of the limit; where there is none, it compares with the largest."
    >
      <Fetched query={query}>
        {(rows) =>
          rows.length === 0 ? (
            <Empty title="No namespace is known yet">They appear as soon as the platform answers.</Empty>
          ) : (
            <Grid rows={rows} />
          )
        }
      </Fetched>
    </Place>
  );
}
