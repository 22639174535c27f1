import {
  Button,
  LinearProgress,
  MenuItem,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import { quantityWords } from '@moorage/contract/claims';
import type { PlacementState } from '@moorage/contract/moorings';
import { nameProblem } from '@moorage/core/claims/name';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { useEffect, useMemo, useRef, useState } from 'react';
import { ask } from '../api/client';
import { usePlacement } from '../api/queries';
import { useGo } from '../frame/address';
import { MarkedWord } from '../marks/Mark';
import { Place } from '../parts/Place';
import { Size } from '../parts/Size';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { KeptPlans } from './KeptPlans';
import { batchSentence } from './batch-words';
import type { BatchAnswer, BatchLine, Summary } from './batch';
import { Column, Fill, Row, Sheet } from '../parts/layout';

interface Row {
  readonly namespace: string;
  readonly application: string;
  readonly template: string;
  readonly replicas: string;
  readonly className: string;
  readonly size: string;
}

const blank = (state: PlacementState): Row => ({
  namespace: state.namespaces[0] ?? '',
  application: '',
  template: 'data',
  replicas: '3',
  className: state.defaultClass ?? state.classes[0]?.name ?? '',
  size: '100Gi',
});

function problemsOf(row: Row): Partial<Record<keyof Row, string>> {
  const size = parseQuantity(row.size);
  const count = Number(row.replicas);
  return {
    ...(row.application === '' || nameProblem(row.application, 'label')
      ? { application: row.application === '' ? 'A name is needed.' : 'Not a name.' }
      : {}),
    ...(nameProblem(row.template, 'label') ? { template: 'Not a name.' } : {}),
    ...(Number.isInteger(count) && count >= 1 && count <= 2000 ? {} : { replicas: '1 to 2,000.' }),
    ...(size.ok ? (size.bytes > 0 ? {} : { size: 'Above zero.' }) : { size: quantityWords[size.problem] }),
  };
}

/** The batch fitted in a worker; a newer question ends an older one. */
function useFit(state: PlacementState, lines: readonly BatchLine[]) {
  const [answer, setAnswer] = useState<BatchAnswer>();
  const [done, setDone] = useState<number>();
  const asked = useRef(0);
  useEffect(() => {
    const id = ++asked.current;
    if (lines.length === 0) return setAnswer(undefined);
    const worker = new Worker(new URL('./batch.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<{ id: number; done?: number; of?: number; answer?: BatchAnswer }>) => {
      if (data.id !== asked.current) return;
      if (data.answer) {
        setAnswer(data.answer);
        setDone(undefined);
      } else setDone((100 * (data.done ?? 0)) / (data.of ?? 1));
    };
    worker.postMessage({ id, state, lines });
    return () => worker.terminate();
  }, [state, lines]);
  return { answer, done };
}

function Outcome({ title, of }: { title: string; of: Summary }) {
  return (
    <Fill>
      <Typography variant="h3">{title}</Typography>
      <MarkedWord
        kind={of.claims === of.of ? 'settled' : 'person'}
        word={`${of.claims.toLocaleString('en-GB')} of ${of.of.toLocaleString('en-GB')} claims fit`}
      />
      <Typography variant="body2" sx={{ pb: 0.5 }}>
        <Size bytes={of.bytes} /> placed
      </Typography>
      <Table size="small" aria-label={title}>
        <TableHead>
          <TableRow>
            <TableCell>Pool</TableCell>
            <TableCell align="right">Claims</TableCell>
            <TableCell align="right">Bytes</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {of.pools.map((p) => (
            <TableRow key={p.pool}>
              <TableCell>{p.pool}</TableCell>
              <TableCell align="right">{p.claims.toLocaleString('en-GB')}</TableCell>
              <TableCell align="right">
                <Size bytes={p.bytes} />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Fill>
  );
}

function Fitting({ state }: { state: PlacementState }) {
  const go = useGo();
  const [rows, setRows] = useState<readonly Row[]>(() => [blank(state)]);
  const problems = rows.map(problemsOf);
  const lines = useMemo(
    () =>
      rows.flatMap((row, i): BatchLine[] => {
        const size = parseQuantity(row.size);
        // fitted before it has a name: only keeping the plan asks for one
        const named = { ...row, application: row.application || `application-${i + 1}` };
        if (Object.keys(problemsOf(named)).length > 0 || !size.ok) return [];
        return [{ ...named, replicas: Number(row.replicas), size: size.bytes }];
      }),
    [rows],
  );
  const { answer, done } = useFit(state, lines);
  const set = (at: number, part: Partial<Row>) => setRows(rows.map((r, i) => (i === at ? { ...r, ...part } : r)));
  const keep = useAct(async () => {
    await ask('planPlaces', { body: { places: answer!.places } });
    go('/moorings');
    return {
      text: `The plan is kept: ${answer!.places.length} claims go to their pools when they come, as long as every rule passes there.`,
    };
  });
  const field = (i: number, member: keyof Row, label: string, width: number) => {
    // what nobody typed yet is asked for, not told off
    const awaited = member === 'application' && rows[i]!.application === '';
    return (
      <TextField
        label={label}
        value={rows[i]![member]}
        onChange={(e) => set(i, { [member]: e.target.value })}
        error={!awaited && !!problems[i]![member]}
        helperText={awaited ? 'Needed to keep the plan.' : problems[i]![member]}
        sx={{ width }}
        slotProps={{ htmlInput: { spellCheck: false }, inputLabel: { shrink: true } }}
      />
    );
  };
  const choice = (i: number, member: 'namespace' | 'className', label: string, options: readonly string[]) => (
    <TextField
      select
      label={label}
      value={rows[i]![member]}
      onChange={(e) => set(i, { [member]: e.target.value })}
      sx={{ width: 170 }}
    >
      {options.map((o) => (
        <MenuItem key={o} value={o}>
          {o}
        </MenuItem>
      ))}
    </TextField>
  );
  const better = answer && (answer.planned.claims > answer.alone.claims || answer.planned.bytes > answer.alone.bytes);
  return (
    <Column gap={2}>
      <Sheet sx={{ display: 'flex', flexDirection: 'column', gap: 1.25 }}>
        {rows.map((row, i) => (
          <Row key={i} role="group" aria-label={`Application ${i + 1}`} align="flex-start">
            {choice(i, 'namespace', 'Namespace', state.namespaces)}
            {field(i, 'application', 'Application', 190)}
            {field(i, 'template', 'Claim template', 130)}
            {field(i, 'replicas', 'Replicas', 90)}
            {choice(
              i,
              'className',
              'Class',
              state.classes.map((c) => c.name),
            )}
            {field(i, 'size', 'Size each', 110)}
            <Button
              disabled={rows.length === 1}
              onClick={() => setRows(rows.filter((_r, at) => at !== i))}
              aria-label={`Drop application ${i + 1} ${row.application}`}
            >
              Drop
            </Button>
          </Row>
        ))}
        <Button sx={{ alignSelf: 'flex-start' }} onClick={() => setRows([...rows, blank(state)])}>
          Another application
        </Button>
      </Sheet>
      {done !== undefined && <LinearProgress variant="determinate" value={done} aria-label="Fitting" />}
      {answer && (
        <Sheet component="section" aria-label="How it fits">
          <Row gap={4}>
            <Outcome title="One by one, as they come" of={answer.alone} />
            <Outcome title="As a plan for all of them" of={answer.planned} />
          </Row>
          <Row gap={2} align="center" sx={{ pt: 1.5 }}>
            <Typography variant="body2" sx={{ flex: 1 }}>
              {batchSentence(answer)}
            </Typography>
            <Button
              variant={better ? 'contained' : 'outlined'}
              disabled={answer.places.length === 0 || rows.some((r) => r.application === '')}
              onClick={() => keep.mutate(undefined)}
            >
              Keep this plan
            </Button>
          </Row>
        </Sheet>
      )}
    </Column>
  );
}

export default function Batch() {
  const query = usePlacement();
  return (
    <Place
      title="Fit a batch"
      question="Do all claims of an application, or of several, fit; and would a plan fit more of them than deciding one by one?"
    >
      <Column gap={2}>
        <Fetched query={query}>{(state) => <Fitting state={state} />}</Fetched>
        <KeptPlans />
      </Column>
    </Place>
  );
}
