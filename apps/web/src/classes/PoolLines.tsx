import { Table, TableBody, TableCell, TableHead, TableRow, Tooltip, Typography } from '@mui/material';
import type { PlacementState } from '@moorage/contract/moorings';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { sizeText } from '@moorage/core/sizes/display';
import { useContext, useMemo } from 'react';
import { PersonContext } from '../parts/person';
import { Size, Unit } from '../parts/Size';
import { countText } from '../moorings/outlook-words';
import { poolLines, samples } from './pool-lines';

/** What a class comes to on each pool that serves it, as figures one can compare. */
export function PoolLines({ cls, state }: { cls: StorageClass; state: PlacementState }) {
  const currency = useContext(PersonContext)?.currency ?? '';
  const lines = useMemo(() => poolLines(cls, state), [cls, state]);
  if (lines.length === 0) return null;
  const reserves = lines.some((l) => l.kept.some((k) => k > 0));
  const head = (text: string, help: string) => (
    <TableCell align="right" sx={{ px: 0.75, whiteSpace: 'normal', lineHeight: 1.25, verticalAlign: 'bottom' }}>
      <Tooltip title={help}>
        <span>{text}</span>
      </Tooltip>
    </TableCell>
  );
  return (
    <>
      <Table
        size="small"
        aria-label="What the class comes to on each pool"
        sx={{ mt: 1, tableLayout: 'auto', '& td, & th': { fontSize: 12.5 } }}
      >
        <TableHead>
          <TableRow>
            <TableCell sx={{ pl: 0 }}>Pool</TableCell>
            {head('Taken', 'Bytes taken of the pool for each byte of a volume')}
            {head('Left', 'What may still be promised to volumes of this class, its copies paid for')}
            {reserves &&
              head(
                `IOPS kept at ${samples.map((s) => sizeText(s)).join(' · ')}`,
                'Operations per second that the pool keeps for one volume, its copies counted',
              )}
            {head('Claims', 'Claims of 100 GiB that still fit')}
            {head(`${currency} a month`, 'For 100 GiB, with every copy that the class keeps')}
          </TableRow>
        </TableHead>
        <TableBody>
          {lines.map((l) => (
            <TableRow key={l.pool}>
              <TableCell component="th" scope="row" sx={{ pl: 0, whiteSpace: 'nowrap' }}>
                {l.pool}
              </TableCell>
              <TableCell align="right" sx={{ px: 0.75 }}>
                <Tooltip
                  title={l.inner ? 'The copies are the array’s own affair: asking for more takes no more here' : ''}
                >
                  <span>
                    {Number(l.takes.toFixed(2))}
                    <Unit> ×{l.inner ? '*' : ''}</Unit>
                  </span>
                </Tooltip>
              </TableCell>
              <TableCell align="right" sx={{ px: 0.75 }}>
                <Tooltip title={`Usable in all: ${sizeText(l.usable)}`}>
                  <span>
                    <Size bytes={l.left} />
                  </span>
                </Tooltip>
              </TableCell>
              {reserves && (
                <TableCell align="right" sx={{ px: 0.75, whiteSpace: 'nowrap' }}>
                  {l.kept.map((k) => Math.round(k).toLocaleString('en-GB')).join(' · ')}
                </TableCell>
              )}
              <TableCell align="right" sx={{ px: 0.75 }}>
                {countText(l.claims)}
              </TableCell>
              <TableCell align="right" sx={{ px: 0.75, whiteSpace: 'nowrap' }}>
                {l.price === null ? '–' : l.price.toFixed(2)}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Typography variant="caption" color="text.secondary" component="p" sx={{ mt: 0.5 }}>
        Left, claims and price are of 100 GiB volumes of this class.
        {lines.some((l) => l.inner) &&
          ' * An array keeps its own copies: asking for more takes and costs no more there.'}
      </Typography>
    </>
  );
}
