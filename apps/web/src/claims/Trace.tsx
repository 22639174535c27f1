import { Box, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { DecisionRow } from '@moorage/contract/claims';
import { ruleNames } from '@moorage/core/placement/rule';
import { Mark } from '../marks/Mark';
import { When } from '../parts/When';
import { factText, failureSentence, ruleTitles } from '../moorings/check-words';
import { carvedText } from './words';
import { FaintCell } from '../parts/layout';

type Decided = DecisionRow['trace'];

/** What a pool is to the claim. */
function roleOf({ pool, score }: Decided['candidates'][number], trace: Decided): string {
  if (pool === trace.winner) return 'chosen';
  if (pool === trace.second?.pool) return 'keeps the second copy';
  if (pool === trace.offsite?.pool) return 'keeps the off-site copy';
  if (pool === trace.runnerUp) return 'runner-up';
  return score ? 'would serve' : 'cannot serve';
}

/** A decision laid open: rules down, pools across, what was needed and what there was in each cell. */
export function Trace({ decision }: { decision: DecisionRow }) {
  const { chart } = useTheme();
  const { candidates, winner } = decision.trace;
  const rules = ruleNames.filter((rule) => candidates.some((c) => c.checks.some((k) => k.rule === rule)));
  return (
    <Box>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 0.5 }}>
        Decided <When at={decision.madeAt} />, choosing took{' '}
        {decision.tookMicros < 1000
          ? `${Math.round(decision.tookMicros)} µs`
          : `${(decision.tookMicros / 1000).toFixed(1)} ms`}
        . Each cell: what was needed / what there was.
      </Typography>
      <Table size="small" aria-label="Trace of the decision">
        <TableHead>
          <TableRow>
            <TableCell>Rule</TableCell>
            {candidates.map((c) => (
              <TableCell
                key={c.pool}
                sx={{ color: 'text.primary', bgcolor: c.pool === winner ? chart.depth[1] : undefined }}
              >
                {c.order}. {c.pool}
                <Typography variant="caption" component="div" color="text.secondary">
                  {roleOf(c, decision.trace)}
                </Typography>
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {rules.map((rule) => (
            <TableRow key={rule} sx={{ '& td, & th': { py: 0.3 } }}>
              <FaintCell component="th" scope="row" sx={{ whiteSpace: 'nowrap' }}>
                {ruleTitles[rule]}
              </FaintCell>
              {candidates.map((c) => {
                const check = c.checks.find((k) => k.rule === rule);
                if (!check) return <TableCell key={c.pool} />;
                return (
                  <TableCell
                    key={c.pool}
                    title={check.passed ? undefined : failureSentence(check)}
                    sx={{ fontWeight: check.passed ? 400 : 600 }}
                  >
                    <span style={{ display: 'inline-flex', gap: 6, alignItems: 'baseline' }}>
                      <Mark kind={check.passed ? 'settled' : 'degraded'} size={9} />
                      <span>
                        {factText(check, check.need)} / {factText(check, check.have)}
                        {!check.passed && ' – fails'}
                      </span>
                    </span>
                  </TableCell>
                );
              })}
            </TableRow>
          ))}
          {candidates.some((c) => c.carved) && (
            <TableRow sx={{ '& td, & th': { py: 0.3 } }}>
              <FaintCell component="th" scope="row">
                Instance
              </FaintCell>
              {candidates.map((c) => (
                <TableCell key={c.pool}>{c.carved ? carvedText(c.carved) : '–'}</TableCell>
              ))}
            </TableRow>
          )}
          <TableRow sx={{ '& td, & th': { py: 0.3 } }}>
            <FaintCell component="th" scope="row">
              Score
            </FaintCell>
            {candidates.map((c) => (
              <TableCell key={c.pool}>
                {c.score
                  ? `${c.score.total.toFixed(3)} (${(c.score.headroom * 100).toFixed(1)} % left, weight ${c.score.weight})`
                  : '–'}
              </TableCell>
            ))}
          </TableRow>
        </TableBody>
      </Table>
    </Box>
  );
}
