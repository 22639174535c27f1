import { Table, TableBody, TableCell, TableRow, Typography } from '@mui/material';
import { forbids, type ClusterDesign, type DesignAssessed } from '@moorage/core/clusters/design';
import { sizeText } from '@moorage/core/sizes/display';
import { Mark } from '../marks/Mark';
import { Size } from '../parts/Size';
import { levelWords, problemSentence, schemeText } from './words';
import { Column, FaintCell, Plain, Row } from '../parts/layout';

function Line({ name, children, strong }: { name: string; children: React.ReactNode; strong?: 'strong' }) {
  return (
    <TableRow>
      <FaintCell sx={{ border: 0, py: 0.25, pl: 0 }}>{name}</FaintCell>
      <TableCell align="right" sx={{ border: 0, py: 0.25, pr: 0, ...(strong && { fontWeight: 700, fontSize: 15 }) }}>
        {children}
      </TableCell>
    </TableRow>
  );
}

/** What a design comes to: what can be kept, what may fail, what it asks of its nodes, and what is wrong with it. */
export function Outcome({ design, assessed }: { design: ClusterDesign; assessed: DesignAssessed }) {
  const { capacity, domains, problems, survives, healsAfter, advice, needs } = assessed;
  const [one, many] = levelWords[design.level];
  const worst = [...needs].sort((a, b) => b.memory - a.memory)[0];
  const spare = needs.filter((n) => n.free).sort((a, b) => a.free!.memory - a.memory - (b.free!.memory - b.memory))[0];
  return (
    <Column aria-live="polite" gap={1.5}>
      <Table size="small" aria-label="What it comes to">
        <TableBody>
          <Line name="Raw">
            <Size bytes={capacity.raw} />
          </Line>
          <Line name={design.scheme.kind === 'copies' ? 'Spent on copies' : 'Spent on parity'}>
            <Size bytes={capacity.redundancy} />
          </Line>
          <Line name="Stranded">
            <Size bytes={capacity.stranded} />
          </Line>
          <Line name="Usable" strong="strong">
            <span data-usable={capacity.usable}>
              <Size bytes={capacity.usable} />
            </span>
          </Line>
          <Line name={`Safe after losing a ${one}`} strong="strong">
            <span data-safe={capacity.safe}>
              <Size bytes={capacity.safe} />
            </span>
          </Line>
        </TableBody>
      </Table>
      <Typography variant="body2">
        {survives === 0 ? (
          'As it is, nothing can be kept on it.'
        ) : (
          <>
            {survives} of {domains.length} {many} may fail with nothing lost
            {healsAfter > 0
              ? `; ${healsAfter} of them may be lost for good, one after the other, and ${schemeText(design.scheme)} can be made whole again on the rest.`
              : `; no ${one} is to spare, so a lost one must come back before everything is whole again.`}
          </>
        )}
      </Typography>
      {advice && (
        <Typography variant="body2">
          One more {sizeText(advice.disk)} disk gains most in <strong>{advice.domain}</strong>: {sizeText(advice.gain)}{' '}
          usable{advice.freed > 0 && `, ${sizeText(advice.freed)} of what is stranded put to use`}.
        </Typography>
      )}
      {worst && (
        <Typography variant="body2" color="text.secondary">
          Its programs need up to {worst.cores} cores and {sizeText(worst.memory)} of memory on a node ({worst.node}).
          {spare?.free &&
            ` Tightest is ${spare.node}: ${Math.floor(spare.free.cores)} cores and ${sizeText(Math.max(0, spare.free.memory))} are free.`}
        </Typography>
      )}
      {problems.length > 0 && (
        <Plain aria-label="What is wrong with it" sx={{ fontSize: 13 }}>
          {problems.slice(0, 8).map((p) => (
            <Row
              component="li"
              key={JSON.stringify(p)}
              sx={{ py: 0.25, color: forbids(p) ? 'error.main' : 'warning.main' }}
            >
              <span style={{ paddingTop: 3 }}>
                <Mark kind={forbids(p) ? 'person' : 'degraded'} size={10} />
              </span>
              {problemSentence(p)}
            </Row>
          ))}
          {problems.length > 8 && <li>And {problems.length - 8} more.</li>}
        </Plain>
      )}
    </Column>
  );
}
