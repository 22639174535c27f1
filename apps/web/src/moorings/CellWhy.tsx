import {
  Box,
  Button,
  FormControlLabel,
  Switch,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import type { PlacementState } from '@moorage/contract/moorings';
import type { Change } from '@moorage/core/placement/change';
import type { Check } from '@moorage/core/placement/rule';
import { sizeText } from '@moorage/core/sizes/display';
import { useEffect, useState } from 'react';
import { useChange } from '../claims/Remedies';
import { Mark } from '../marks/Mark';
import { carvedText } from '../claims/words';
import { changeCost, changesSentence } from '../claims/change-words';
import { factText, failureSentence, ruleTitles } from './check-words';
import type { Cell, MooringActs } from './Grid';
import { countText } from './outlook-words';
import { cellOf, type Explained, type TriedClass } from './trial';
import { Column, Row } from '../parts/layout';

function Weight({ value, change, disabled }: { value: number; change: (weight: number) => void; disabled: boolean }) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  const weight = Number(text);
  const wrong = !(weight >= 0.01 && weight <= 100);
  const commit = () => !wrong && weight !== value && change(weight);
  return (
    <TextField
      label="Weight"
      value={text}
      disabled={disabled}
      error={wrong}
      helperText={wrong ? '0.01 to 100' : undefined}
      onChange={(e) => setText(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => e.key === 'Enter' && commit()}
      sx={{ width: 90 }}
    />
  );
}

/** A rule that the class or the claim asks nothing of. */
const asksNothing = ({ passed, unit, need }: Check): boolean =>
  passed && unit === 'text' && ['any', 'none', 'nothing', 'any node', 'any zone'].includes(String(need));

/** The rules in two columns, so that all are seen at once; those that nothing is asked of in one line. */
function Rules({ checks: all, label }: { checks: readonly Check[]; label: string }) {
  const checks = all.filter((c) => !asksNothing(c));
  const idle = all.filter(asksNothing);
  const half = Math.ceil(checks.length / 2);
  return (
    <Box>
      <Box
        role="group"
        aria-label={label}
        sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 3, alignItems: 'start' }}
      >
        {[checks.slice(0, half), checks.slice(half)].map((part, i) => (
          <Table key={i} size="small">
            <TableHead>
              <TableRow>
                <TableCell>Rule</TableCell>
                <TableCell align="right">Needs</TableCell>
                <TableCell align="right">Has</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {part.map((check) => (
                <TableRow
                  key={check.rule}
                  sx={{ '& td': { py: 0.35, px: 0.75, fontWeight: check.passed ? 400 : 600 } }}
                >
                  <TableCell sx={{ whiteSpace: 'nowrap' }}>
                    <span style={{ display: 'inline-flex', gap: 8, alignItems: 'center' }}>
                      <Mark kind={check.passed ? 'settled' : 'degraded'} size={9} />
                      {ruleTitles[check.rule]}
                      {!check.passed && ' fails'}
                    </span>
                  </TableCell>
                  <TableCell align="right">{factText(check, check.need)}</TableCell>
                  <TableCell align="right">{factText(check, check.have)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        ))}
      </Box>
      {idle.length > 0 && (
        <Typography variant="caption" color="text.secondary" component="p" sx={{ px: 0.75, pt: 0.75 }}>
          Nothing asked of: {idle.map((c) => ruleTitles[c.rule].toLowerCase()).join(', ')}.
        </Typography>
      )}
    </Box>
  );
}

/** What would bind a claim like this, the first few, each one step away. */
function WouldBind({
  explained,
  namespace,
  mayChange,
}: {
  explained: Explained;
  namespace: string;
  mayChange: boolean;
}) {
  const { className, remedies } = explained;
  const stepFor = useChange({ namespace, className });
  if (remedies.length === 0) return null;
  return (
    <Box>
      <Typography variant="h3">What would bind a claim like this</Typography>
      <Box component="ol" aria-label="What would bind it" sx={{ m: 0, p: 0, listStyle: 'none' }}>
        {remedies.slice(0, 3).map(({ changes, pool }) => (
          <Row component="li" key={JSON.stringify(changes)} align="center" sx={{ py: 0.25 }}>
            <Typography variant="body2" sx={{ flex: 1 }} title={changes.map(changeCost).join(' ')}>
              {changesSentence(changes, { className, namespace })} → lands on {pool}
            </Typography>
            {mayChange &&
              changes.map((change: Change) => {
                const step = stepFor(change);
                return (
                  step && (
                    <Button key={change.kind} onClick={step.act}>
                      {step.words}
                    </Button>
                  )
                );
              })}
          </Row>
        ))}
      </Box>
    </Box>
  );
}

/** One cell of the grid opened: the mooring's settings, and every rule with what it needed and what there was. */
export function CellWhy({
  state,
  cell,
  answer,
  explained,
  namespace,
  mayChange,
  readable,
  find,
  turn,
  move,
  weigh,
}: {
  state: PlacementState;
  cell: Cell;
  answer?: TriedClass;
  explained?: Explained;
  /** The claim in the fields can be read; its answer may still be on its way. */
  readable: boolean;
  namespace: string;
  mayChange: boolean;
} & MooringActs) {
  const mooring = find(cell);
  const pool = state.pools.find((p) => p.id === cell.pool);
  const tried = cellOf(state, answer, cell.pool);
  if (!pool) return null;
  const opened = explained?.className === cell.className && explained.pool === cell.pool ? explained : undefined;
  const { score, carved } = opened?.decision.candidates.find((c) => c.pool === cell.pool) ?? {};
  const percent = (share: number) => `${(share * 100).toFixed(1)} %`;
  const outcome = !tried
    ? readable
      ? 'Reckoning…'
      : 'Give a size that can be read, and the grid answers.'
    : tried.failed
      ? failureSentence(tried.failed)
      : !mooring?.enabled
        ? 'Every rule would pass; only the mooring is missing.'
        : answer?.winner === cell.pool
          ? `A claim like this lands here, provisioned as ${sizeText(tried.provisioned)}${carved ? `: ${carvedText(carved)}` : ''}.`
          : `Would serve; ${answer?.winner} comes first${score?.aboveSoftMark ? ', since this pool is above its soft mark' : ''}.`;
  return (
    <Box sx={{ p: 1.5, display: 'grid', gridTemplateColumns: '340px 1fr', gap: 3 }}>
      <Column align="flex-start">
        <Typography variant="h2">
          {cell.className} on {pool.name}
        </Typography>
        <Typography variant="body2" aria-live="polite">
          {outcome}
        </Typography>
        <Row align="center" wraps>
          <FormControlLabel
            control={
              <Switch
                size="small"
                checked={mooring?.enabled ?? false}
                disabled={!mayChange}
                onChange={(_e, enabled) => turn({ ...cell, enabled })}
              />
            }
            label={mooring?.enabled ? 'moored' : mooring ? 'mooring is off' : 'not moored'}
          />
          <Button disabled={!mayChange || !mooring || mooring.order <= 1} onClick={() => move({ ...cell, by: -1 })}>
            Earlier
          </Button>
          <Button disabled={!mayChange || !mooring} onClick={() => move({ ...cell, by: 1 })}>
            Later
          </Button>
          {mooring && (
            <Weight value={mooring.weight} disabled={!mayChange} change={(weight) => weigh({ ...cell, weight })} />
          )}
        </Row>
        {tried && !tried.failed && (
          <Typography variant="body2">
            {countText(tried.moreClaims)} {tried.moreClaims === 1 ? 'claim' : 'claims'} of this size fit,{' '}
            {sizeText(tried.moreBytes)}
            {tried.stoppedBy ? `; then “${ruleTitles[tried.stoppedBy]}” refuses.` : '.'}
          </Typography>
        )}
        {score && (
          <Typography variant="caption" color="text.secondary">
            Left after placing: {percent(score.bytesLeft)} of bytes, {percent(score.iopsLeft)} of IOPS,{' '}
            {percent(score.throughputLeft)} of throughput. Score {score.total.toFixed(3)}, weight {score.weight}.
          </Typography>
        )}
        {opened && <WouldBind explained={opened} namespace={namespace} mayChange={mayChange} />}
        {!mayChange && (
          <Typography variant="caption" color="text.secondary">
            Your role may look, not change.
          </Typography>
        )}
      </Column>
      {opened && (
        <Rules
          checks={opened.checks.filter((c) => c.rule !== 'mooring')}
          label={`Rules for ${cell.className} on ${pool.name}`}
        />
      )}
    </Box>
  );
}
