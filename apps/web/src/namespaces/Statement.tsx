import { Button, Paper, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Statement as Told } from '@moorage/contract/prices';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import dayjs from 'dayjs';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useInAddress } from '../frame/address';
import { OneOf } from '../parts/OneOf';
import { Place } from '../parts/Place';
import { Empty, Fetched } from '../parts/States';
import { Column, Fill, Row } from '../parts/layout';
import { Rates } from './Rates';
import { amount, groupsOf, groupWords, isGroup, monthsUpTo, statementGroups } from './statement-words';

const figure = (value: number) => value.toLocaleString('en-GB', { maximumFractionDigits: value < 100 ? 1 : 0 });
/** Months that can be chosen. */
const months = 24;

function Lines({ statement }: { statement: Told }) {
  const [asked] = useInAddress('by', 'namespace');
  const by = isGroup(asked) ? asked : 'namespace';
  const groups = groupsOf(statement, by);
  const sum = (of: 'gib' | 'iops') => groups.reduce((a, g) => a + g[of], 0);
  if (groups.length === 0) return <Empty title="Nothing was promised in this month">Choose another month.</Empty>;
  return (
    <Paper>
      <Table size="small" aria-label={`Statement by ${groupWords[by]}`}>
        <TableHead>
          <TableRow>
            <TableCell>{groupWords[by]}</TableCell>
            <TableCell align="right">Lines</TableCell>
            <TableCell align="right">Provisioned, mean GiB</TableCell>
            <TableCell align="right">Reserved, mean IOPS</TableCell>
            <TableCell align="right">Amount</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {groups.map((g) => (
            <TableRow key={g.name}>
              <TableCell component="th" scope="row">
                {g.name || `no ${groupWords[by]}`}
              </TableCell>
              <TableCell align="right">{g.lines}</TableCell>
              <TableCell align="right">{figure(g.gib)}</TableCell>
              <TableCell align="right">{figure(g.iops)}</TableCell>
              <TableCell align="right">{amount(g.cents, statement.currency)}</TableCell>
            </TableRow>
          ))}
          <TableRow sx={{ '& > *': { fontWeight: 700 } }}>
            <TableCell component="th" scope="row">
              All
            </TableCell>
            <TableCell align="right">{statement.lines.length}</TableCell>
            <TableCell align="right">{figure(sum('gib'))}</TableCell>
            <TableCell align="right">{figure(sum('iops'))}</TableCell>
            <TableCell align="right">{amount(statement.cents, statement.currency)}</TableCell>
          </TableRow>
        </TableBody>
      </Table>
    </Paper>
  );
}

/** What a month costs, by any grouping, to the cent; and the prices it is reckoned at. */
export default function Statement() {
  const now = dayjs().format('YYYY-MM');
  const [month, setMonth] = useInAddress('month', now);
  const [by, setBy] = useInAddress('by', 'namespace');
  const query = useQuery({
    queryKey: keys.statement(month),
    queryFn: () => ask('getStatement', { query: { month } }),
    placeholderData: keepPreviousData,
  });
  const title = dayjs(`${month}-01`).format('MMMM YYYY');
  const exported = (format: string) => `/api/statement/export?month=${month}&format=${format}`;
  return (
    <Place
      title="Statement"
      question="What did a month cost, and whom? Provisioned GiB and reserved operations, by the time they were promised, at the prices of that time."
    >
      <Column gap={1.5}>
        <Row gap={1.5} align="center" wraps sx={{ '@media print': { display: 'none' } }}>
          <OneOf
            label="Month"
            width={170}
            value={month}
            options={monthsUpTo(now, months).map((m) => [m, dayjs(`${m}-01`).format('MMMM YYYY')] as const)}
            choose={setMonth}
          />
          <OneOf
            label="Together by"
            width={150}
            value={isGroup(by) ? by : 'namespace'}
            options={statementGroups.map((g) => [g, groupWords[g]] as const)}
            choose={setBy}
          />
          <Fill />
          <Button href={exported('csv')}>CSV</Button>
          <Button href={exported('json')}>JSON</Button>
          <Button onClick={() => window.print()}>Print</Button>
        </Row>
        <Fetched query={query}>
          {(statement) => (
            <>
              <Typography variant="h2">
                {title}: {amount(statement.cents, statement.currency)}
              </Typography>
              <Typography variant="body2">
                {statement.isOver
                  ? 'The month is over: the same is told whenever it is asked for.'
                  : `The month lasts: reckoned up to ${dayjs(statement.until).format('D MMM YYYY, HH:mm')}.`}
                {statement.unpriced.length > 0 &&
                  ` For a part of it ${statement.unpriced.map((t) => t || 'what is on no known pool').join(', ')} had no price, and counts nothing then.`}
              </Typography>
              <Lines statement={statement} />
              <Rates currency={statement.currency} />
            </>
          )}
        </Fetched>
      </Column>
    </Place>
  );
}
