import {
  Box,
  Button,
  LinearProgress,
  Link,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import type { RunwayRow, Runways as Told } from '@moorage/contract/forecast';
import { runwayKinds } from '@moorage/contract/forecast';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useInAddress, useKeepLine, useTypedInAddress } from '../frame/address';
import { OneOf } from '../parts/OneOf';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { When } from '../parts/When';
import { Column, Row, Sheet } from '../parts/layout';
import { ForecastChart } from './ForecastChart';
import {
  dayText,
  endWords,
  intervalText,
  isSoon,
  keyOf,
  kindWords,
  perDayText,
  placeOf,
  runwayText,
  usedText,
} from './runway-words';

function Line({ row, isChosen, choose }: { row: RunwayRow; isChosen: boolean; choose: () => void }) {
  const keep = useKeepLine();
  const { against, used, end, runway } = row;
  const share = end > 0 ? used / end : 1;
  return (
    <TableRow hover selected={isChosen} onClick={choose} sx={{ cursor: 'pointer' }}>
      <TableCell component="th" scope="row">
        <Link component={RouterLink} to={keep(placeOf(row))} onClick={(e) => e.stopPropagation()}>
          {row.name}
        </Link>{' '}
        <Typography component="span" variant="caption" color="text.secondary">
          {row.className ? `in ${row.className}` : kindWords[row.kind]}
        </Typography>
      </TableCell>
      <TableCell>{endWords[against]}</TableCell>
      <TableCell sx={{ minWidth: 190 }}>
        <Typography variant="body2" sx={{ whiteSpace: 'nowrap' }}>
          {usedText(against, used)}{' '}
          <Box component="span" sx={{ color: 'var(--second-ink)' }}>
            of {usedText(against, end)}
          </Box>
        </Typography>
        <LinearProgress
          variant="determinate"
          aria-hidden
          color={share >= 1 ? 'error' : isSoon(runway) ? 'warning' : 'primary'}
          value={Math.min(100, 100 * share)}
        />
      </TableCell>
      <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
        {perDayText(against, row.perDay)}
      </TableCell>
      <TableCell align="right" sx={{ whiteSpace: 'nowrap', fontWeight: isSoon(runway) ? 700 : undefined }}>
        <Button
          size="small"
          onClick={choose}
          aria-pressed={isChosen}
          aria-label={`${runwayText(runway)}: how ${row.name} goes on`}
          sx={{ fontWeight: 'inherit' }}
        >
          {runwayText(runway)}
        </Button>
      </TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>
        {runway?.kind === 'meets' && (
          <>
            {dayText(runway.at)}
            <Typography variant="caption" color="text.secondary" component="div">
              {intervalText(runway)}
            </Typography>
          </>
        )}
      </TableCell>
    </TableRow>
  );
}

function Listed({ told }: { told: Told }) {
  const [of, setOf] = useInAddress('of');
  const chosen = told.rows.find((r) => keyOf(r) === of);
  if (told.rows.length === 0)
    return (
      <Empty title={told.reckonedAt ? 'Nothing of that name' : 'No runway is reckoned yet'}>
        {told.reckonedAt
          ? 'Choose another kind, or a part of another name.'
          : 'They are reckoned every minute or two, from a week of history on.'}
      </Empty>
    );
  return (
    <Column gap={1.5}>
      {chosen && chosen.kind !== 'class' && (
        <Sheet>
          <ForecastChart row={chosen} />
        </Sheet>
      )}
      <Sheet sx={{ p: 0, overflowX: 'auto' }}>
        <Table size="small" aria-label="Runways">
          <TableHead>
            <TableRow>
              <TableCell>What</TableCell>
              <TableCell>Reaches</TableCell>
              <TableCell>Used</TableCell>
              <TableCell align="right">Each day</TableCell>
              <TableCell align="right">In</TableCell>
              <TableCell>On</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {told.rows.map((r) => (
              <Line
                key={keyOf(r)}
                row={r}
                isChosen={r === chosen}
                choose={() => setOf(keyOf(r) === of ? '' : keyOf(r))}
              />
            ))}
          </TableBody>
        </Table>
      </Sheet>
      {told.more > 0 && (
        <Typography variant="body2">There are more, reached later. A part of a name finds them.</Typography>
      )}
    </Column>
  );
}

/** What is reached first, and when. */
export default function Runways() {
  const keep = useKeepLine();
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const [kind, setKind] = useInAddress('kind');
  const [q, setQ] = useTypedInAddress('q');
  const known = runwayKinds.find((k) => k === kind);
  const query = useQuery({
    queryKey: keys.runways.all(known ?? '', q),
    queryFn: () => ask('listRunways', { query: { ...(known && { kind: known }), ...(q && { q }) } }),
    placeholderData: keepPreviousData,
  });
  return (
    <Place
      title="Runway"
      question="What is reached first, and when, if it goes on as it went in the last 60 days?"
      actions={
        <Row gap={1}>
          {may && (
            <Button component={RouterLink} to={keep('/namespaces/what-if')}>
              What if
            </Button>
          )}
          <Button component={RouterLink} to={keep('/namespaces')}>
            Namespaces
          </Button>
        </Row>
      }
    >
      <Column gap={1.5}>
        <Row gap={1.5} align="center" wraps>
          <OneOf
            label="Of"
            value={known ?? ''}
            width={150}
            options={[
              ['', 'everything'],
              ...runwayKinds.map((k) => [k, `${kindWords[k]}${k === 'class' ? 'es' : 's'}`] as const),
            ]}
            choose={setKind}
          />
          <TextField
            label="Part of its name"
            value={q}
            onChange={(e) => setQ(e.target.value)}
            slotProps={{ inputLabel: { shrink: true } }}
          />
          <Button
            href={`/api/runways/export?${new URLSearchParams({ ...(known && { kind: known }), ...(q && { q }) })}`}
          >
            CSV
          </Button>
          {query.data?.reckonedAt && (
            <Typography variant="body2" color="text.secondary">
              Reckoned <When at={query.data.reckonedAt} />
            </Typography>
          )}
        </Row>
        <Fetched query={query}>{(told) => <Listed told={told} />}</Fetched>
      </Column>
    </Place>
  );
}
