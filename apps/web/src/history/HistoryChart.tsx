import {
  Box,
  Button,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import type { History, HistoryKind } from '@moorage/contract/history';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import dayjs from 'dayjs';
import { useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useInAddress } from '../frame/address';
import { useMoment } from '../frame/Moment';
import { Column, Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { Empty, Fetched } from '../parts/States';
import { Drawn, pointsOf, unitText } from './Drawn';
import {
  drawings,
  drawingWords,
  eventSentence,
  gapsOf,
  isFailure,
  isRange,
  lineOf,
  ranges,
  stepWords,
  type Drawing,
  type Range,
} from './words';

function AsTable({ history, drawing, beside }: { history: History; drawing: Drawing; beside: History | undefined }) {
  const text = unitText[drawing];
  const points = pointsOf(history, drawing, beside);
  return (
    <Box sx={{ maxHeight: 230, overflow: 'auto' }}>
      <Table size="small" stickyHeader aria-label="The same as a table">
        <TableHead>
          <TableRow>
            <TableCell>From</TableCell>
            <TableCell align="right">{drawing === 'bytes' ? 'Written, mean' : 'Mean'}</TableCell>
            <TableCell align="right">Peak</TableCell>
            {drawing === 'bytes' && <TableCell align="right">Provisioned</TableCell>}
            {beside && <TableCell align="right">Beside, mean</TableCell>}
          </TableRow>
        </TableHead>
        <TableBody>
          {points.map((p) => (
            <TableRow key={p.at}>
              <TableCell>{dayjs(p.at).format('D MMM YYYY, HH:mm')}</TableCell>
              <TableCell align="right">{p.value === null ? 'not told' : text(p.value)}</TableCell>
              <TableCell align="right">{p.most === null ? '–' : text(p.most)}</TableCell>
              {drawing === 'bytes' && <TableCell align="right">{text(p.provisioned ?? 0)}</TableCell>}
              {beside && (
                <TableCell align="right">
                  {p.other === null || p.other === undefined ? 'not told' : text(p.other)}
                </TableCell>
              )}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

function Happened({ history }: { history: History }) {
  if (history.events.length === 0) return null;
  return (
    <Box component="details" sx={{ fontSize: 13 }}>
      <summary>
        {history.events.length + history.more} {history.events.length + history.more === 1 ? 'event' : 'events'} in this
        time
      </summary>
      <Table size="small" aria-label="What happened">
        <TableBody>
          {history.events.map((e, i) => (
            <TableRow key={i}>
              <TableCell sx={{ whiteSpace: 'nowrap' }}>{dayjs(e.at).format('D MMM YYYY, HH:mm')}</TableCell>
              <TableCell>{eventSentence(e)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {history.more > 0 && <span>{history.more} more; choose a shorter time to see them.</span>}
    </Box>
  );
}

/** Told by whole minutes, the one that has begun with them. */
const toTheMinute = (ms: number): string => new Date(Math.ceil(ms / 60_000) * 60_000).toISOString();

/** `back`: how long before that, ms. */
function useHistory(of: HistoryKind, name: string, range: Range, back = 0, enabled = true) {
  const moment = useMoment();
  return useQuery({
    queryKey: keys.history(of, name, `${range}/${back}`, moment ?? ''),
    queryFn: () => {
      const to = (moment === undefined ? Date.now() : Date.parse(moment)) - back;
      return ask('getHistory', {
        query: { of, name, from: toTheMinute(to - ranges[range][1]), to: toTheMinute(to) },
      });
    },
    enabled,
    placeholderData: keepPreviousData,
    refetchInterval: moment === undefined ? 60_000 : false,
  });
}

const monthMs = 30 * 24 * 3_600_000;
/** In the address: the same a month before, or another of its kind by its name. */
const [before, another] = ['before', 'of:'];

/** What something held and did over time, with what happened to it; beside another of its kind, or itself a month before. */
export function HistoryChart({
  of,
  name,
  title,
  others,
}: {
  of: HistoryKind;
  name: string;
  title: string;
  /** Names of those it can stand beside. */
  others: readonly string[];
}) {
  const [asked, setRange] = useInAddress('range', '1d');
  const range: Range = isRange(asked) ? asked : '1d';
  const [drawing, setDrawing] = useState<Drawing>('bytes');
  const [asTable, setAsTable] = useState(false);
  const query = useHistory(of, name, range);
  const [beside, setBeside] = useInAddress('beside');
  const other = beside.startsWith(another) ? beside.slice(another.length) : name;
  const isBeside = beside === before || (other !== name && others.includes(other));
  const besides = useHistory(of, other, range, beside === before ? monthMs : 0, isBeside);
  const second = isBeside ? besides.data : undefined;
  return (
    <Column component="section" aria-label={`History of ${title}`} gap={0.5}>
      <Row gap={1.5} align="center" wraps>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {title} over time
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={drawing}
          onChange={(_e, d: Drawing | null) => d && setDrawing(d)}
          aria-label="What is drawn"
        >
          {drawings.map((d) => (
            <ToggleButton key={d} value={d}>
              {drawingWords[d]}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={range}
          onChange={(_e, r: Range | null) => r && setRange(r)}
          aria-label="How far back"
        >
          {(Object.keys(ranges) as Range[]).map((r) => (
            <ToggleButton key={r} value={r}>
              {ranges[r][0]}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <OneOf
          label="Beside"
          width={170}
          value={isBeside ? beside : ''}
          options={[
            ['', 'nothing'],
            [before, 'itself a month before'],
            ...others.filter((o) => o !== name && o !== '').map((o) => [another + o, o] as const),
          ]}
          choose={setBeside}
        />
        <Button onClick={() => setAsTable(!asTable)}>{asTable ? 'As a chart' : 'As a table'}</Button>
        {query.data && (
          <Button
            href={`/api/history/export?${new URLSearchParams({ of, name, from: query.data.from, to: query.data.to })}`}
          >
            CSV
          </Button>
        )}
      </Row>
      <Fetched query={query}>
        {(history) => {
          const gaps = gapsOf(history);
          const isTold = history.written.mean.some((v) => v !== null);
          if (!isTold && history.provisioned.every((v) => v === 0))
            return <Empty title="Nothing was here in this time">Choose a longer time, or another moment.</Empty>;
          if (!isTold && drawing !== 'bytes')
            return <Empty title="No backend told of this in this time">Choose a longer time, or another moment.</Empty>;
          return (
            <>
              {asTable ? (
                <AsTable history={history} drawing={drawing} beside={second} />
              ) : (
                <Drawn history={history} drawing={drawing} beside={second} />
              )}
              <Row gap={2} wraps sx={{ fontSize: 13, color: 'text.secondary' }}>
                <span>
                  By {stepWords[history.step]}.{' '}
                  {drawing === 'bytes'
                    ? 'Line: provisioned. Tint: written, from the least to the most of each span. Dashes: the limit.'
                    : 'Line: the mean. Tint: up to the 95th percentile (within 5 %). Dashes: the peak.'}
                </span>
                {second && (
                  <span>
                    Grey: {beside === before ? 'the same, 30 days before' : other}; dotted, what is provisioned there.
                  </span>
                )}
                {!isTold && <span>No backend told of it yet: the first figures come within five minutes.</span>}
                {history.events.some((e) => isFailure(e.kind)) && <span>Shaded: something failed then.</span>}
                {history.events.some((e) => lineOf(e.kind) === 'class') && (
                  <span>Upright dashes: a class or a mooring was changed.</span>
                )}
                {gaps > 0 && (
                  <span>
                    {gaps} {gaps === 1 ? 'span was' : 'spans were'} not told of: left open, not drawn as nothing.
                  </span>
                )}
              </Row>
              <Happened history={history} />
            </>
          );
        }}
      </Fetched>
    </Column>
  );
}
