import { Box, Link, Typography } from '@mui/material';
import { Link as RouterLink } from 'react-router';
import { useKeepLine } from '../frame/address';
import { HistoryChart } from '../history/HistoryChart';
import { Iops, Size } from '../parts/Size';
import { Row, Sheet } from '../parts/layout';
import { Limits } from './Limits';
import { claimsAt } from './claims-at';
import { columnTitle, noneOf, placeOf, type UseIndex } from './use';
import { useUseChoices } from './UseGrid';

/** What a row uses, in one column or in all, its limits, and how it came to be so. */
export function UseOf({ index }: { index: UseIndex }) {
  const keep = useKeepLine();
  const { rows: by, columns: of, chosen } = useUseChoices();
  const { grid } = index;
  const named = grid.rows.indexOf(chosen.row);
  const row = named < 0 ? 0 : named;
  const name = grid.rows[row]!;
  const column = placeOf(grid, chosen.column);
  const use = column === null ? index.ofRow[row]! : index.cell(row, column);
  const columnName = column === null ? '' : columnTitle(grid, column, of);
  const title = `${name || noneOf[by]}${column === null ? '' : ` in ${columnName}`}`;
  const limit = index.limit(row, column);
  const isNamespace = by === 'namespace';
  return (
    <Sheet>
      <Row gap={4} wraps align="flex-start">
        <Box sx={{ flex: 1, minWidth: 380 }}>
          <Typography variant="h2">{title}</Typography>
          {use ? (
            <Typography variant="body2" sx={{ mt: 0.5 }}>
              {isNamespace ? (
                <Link
                  component={RouterLink}
                  to={keep(claimsAt(name, of, grid.columns.includes(columnName) ? columnName : '', grid.isPast))}
                >
                  {use.claims} {use.claims === 1 ? 'claim' : 'claims'}
                </Link>
              ) : (
                `${use.claims} ${use.claims === 1 ? 'claim' : 'claims'}`
              )}{' '}
              asked <Size bytes={use.requested} /> and got <Size bytes={use.provisioned} />;{' '}
              {use.written === null ? 'how much is written was not told' : <Size bytes={use.written} />}
              {use.written !== null && ' are written'}. With copies that takes <Size bytes={use.footprint} /> of raw
              space.
              {(use.iops ?? 0) > 0 && (
                <>
                  {' '}
                  <Iops value={use.iops!} /> are reserved.
                </>
              )}
              {limit !== null && (
                <>
                  {' '}
                  Of the limit of <Size bytes={limit} />, <Size bytes={Math.max(0, limit - (use.provisioned ?? 0))} />{' '}
                  {grid.isPast ? 'were' : 'are'} left.
                </>
              )}
            </Typography>
          ) : (
            <Typography variant="body2">No claim here.</Typography>
          )}
        </Box>
      </Row>
      {isNamespace && !grid.isPast && name !== '' && (
        <Box sx={{ mt: 1.5 }}>
          <Limits
            key={name}
            namespace={name}
            className={column !== null && of === 'class' && columnName !== noneOf.class ? columnName : null}
          />
        </Box>
      )}
      {isNamespace && name !== '' && (
        <Box sx={{ mt: 2 }}>
          <HistoryChart of="namespace" name={name} title={name} others={grid.rows} />
        </Box>
      )}
    </Sheet>
  );
}
