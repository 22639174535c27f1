import { Box, Button, MenuItem, Paper, TextField, ToggleButton, ToggleButtonGroup } from '@mui/material';
import { styled } from '@mui/material/styles';
import type { OperationQuery } from '@moorage/contract/operations';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { useInAddress } from '../frame/address';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { OperationLine } from './OperationLine';
import { useOperations } from './queries';

type Show = OperationQuery['show'];
const List = styled('ul')({ listStyle: 'none', margin: 0, padding: 0, '& > li:first-of-type': { borderTop: 0 } });

const nothing: Record<Show, readonly [string, string]> = {
  'under-way': [
    'Nothing is under way',
    'Claims that wait for a pod, or for room, are under Claims. What begins appears here by itself.',
  ],
  stopped: [
    'Nothing has stopped',
    'What is refused for good, and what somebody paused, stands here until someone says what now.',
  ],
  ended: ['Nothing has ended yet', ''],
};

function RetryAll() {
  const retry = useAct(async () => {
    const { tried, more } = await ask('retryRefused');
    await refresh('operations', 'claims');
    return { text: `${tried} ${tried === 1 ? 'is' : 'are'} tried again${more ? '; there are more' : ''}.` };
  });
  return (
    <Button disabled={retry.isPending} onClick={() => retry.mutate(undefined)}>
      Try all that were refused
    </Button>
  );
}

/** Everything that takes time, of whatever kind: under way, stopped, ended. Left and found again. */
export default function UnderWay() {
  const [shown, setShow] = useInAddress('show', 'under-way');
  const show: Show = shown === 'stopped' || shown === 'ended' ? shown : 'under-way';
  const [kind, setKind] = useInAddress('kind');
  const query = useOperations(show, kind);
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const counts = query.data?.pages[0];
  const choices: readonly (readonly [Show, string])[] = [
    ['under-way', `Under way${counts ? ` ${counts.underWay}` : ''}`],
    ['stopped', `Stopped${counts ? ` ${counts.stopped}` : ''}`],
    ['ended', 'Ended'],
  ];
  return (
    <Place
      title="Under way"
      question="What is being done, how far is it, and what has stopped?"
      actions={
        <>
          {may && show === 'stopped' && (counts?.stopped ?? 0) > 0 && <RetryAll />}
          <TextField
            select
            label="Kind"
            value={counts ? kind : ''}
            onChange={(e) => setKind(e.target.value)}
            sx={{ minWidth: 190 }}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          >
            <MenuItem value="">all</MenuItem>
            {counts?.kinds.map((k) => (
              <MenuItem key={k.kind} value={k.kind}>
                {k.title}
              </MenuItem>
            ))}
          </TextField>
          <ToggleButtonGroup
            exclusive
            value={show}
            onChange={(_e, v: Show | null) => v && setShow(v)}
            aria-label="Which"
          >
            {choices.map(([value, word]) => (
              <ToggleButton key={value} value={value}>
                {word}
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
        </>
      }
    >
      <Fetched query={query}>
        {({ pages }) => {
          const rows = pages.flatMap((p) => p.rows);
          if (rows.length === 0) return <Empty title={nothing[show][0]}>{nothing[show][1]}</Empty>;
          return (
            <Paper>
              <List aria-label="Operations">
                {rows.map((row) => (
                  <OperationLine key={row.id} row={row} />
                ))}
              </List>
              {query.hasNextPage && (
                <Box sx={{ p: 1, textAlign: 'center' }}>
                  <Button disabled={query.isFetchingNextPage} onClick={() => void query.fetchNextPage()}>
                    Older ones
                  </Button>
                </Box>
              )}
            </Paper>
          );
        }}
      </Fetched>
    </Place>
  );
}
