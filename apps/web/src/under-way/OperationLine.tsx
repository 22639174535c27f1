import { Box, Button, LinearProgress, Link, Typography } from '@mui/material';
import { styled } from '@mui/material/styles';
import type { OperationAct, OperationRow } from '@moorage/contract/operations';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { useKeepLine } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Confirm } from '../parts/Confirm';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { actWords, doneWords, markOf, pathOf, progressWords, statusWords } from './words';

const Line = styled('li')(({ theme }) => ({
  display: 'grid',
  gridTemplateColumns: '20px minmax(240px, 1.2fr) minmax(220px, 1fr) minmax(160px, 1fr) 230px',
  gap: theme.spacing(1.5),
  alignItems: 'center',
  padding: theme.spacing(0.75, 1.5),
  borderTop: `1px solid ${theme.palette.divider}`,
}));

const Acts = styled('div')(({ theme }) => ({ display: 'flex', gap: theme.spacing(1), justifyContent: 'flex-end' }));

function ActButton({ row, act }: { row: OperationRow; act: OperationAct }) {
  const steer = useAct(async () => {
    await ask('steerOperation', { params: { id: row.id, act } });
    await refresh('operations');
    const done = act === 'cancel' && row.callsOff !== null ? 'is called off.' : doneWords[act];
    return { text: `${row.title} · ${row.about} ${done}` };
  });
  // what it made is taken away again: that is asked twice
  if (act === 'cancel') {
    const word = row.callsOff === null ? actWords[act] : 'Call off';
    return (
      <Confirm
        word={word}
        title={`${word}: ${row.title.toLowerCase()} · ${row.about}?`}
        disabled={steer.isPending}
        act={() => steer.mutate(undefined)}
      >
        {row.callsOff ??
          'It goes no further, and what it did so far is undone: what it made is taken away again, what it changed is put back. That is carried out step by step and may take a while; it is shown here.'}
      </Confirm>
    );
  }
  return (
    <Button disabled={steer.isPending} onClick={() => steer.mutate(undefined)}>
      {actWords[act]}
    </Button>
  );
}

function Subject({ row }: { row: OperationRow }) {
  const keep = useKeepLine();
  const path = pathOf(row);
  return (
    <Box sx={{ minWidth: 0 }}>
      <strong>{row.title}</strong>{' '}
      {path ? (
        <Link component={RouterLink} to={keep(path)}>
          {row.about}
        </Link>
      ) : (
        row.about
      )}
      <Typography variant="caption" component="div" color="text.secondary">
        {row.person ? `by ${row.person}, ` : ''}began <When at={row.createdAt} />
        {row.endedAt && (
          <>
            , ended <When at={row.endedAt} />
          </>
        )}
      </Typography>
    </Box>
  );
}

function HowFar({ row }: { row: OperationRow }) {
  const words = progressWords(row);
  const { progress } = row;
  return (
    <Box sx={{ minWidth: 0 }}>
      {statusWords(row)}
      {progress && words && row.endedAt === null && (
        <>
          <LinearProgress
            variant="determinate"
            value={100 * (1 - progress.remaining / progress.total)}
            aria-label={`${row.title}: ${words}`}
          />
          <Typography variant="caption" color="text.secondary">
            {words}
          </Typography>
        </>
      )}
    </Box>
  );
}

const sentence = (text: string) => `${text.charAt(0).toUpperCase()}${text.slice(1).replace(/\.$/, '')}.`;

function WhyNot({ row }: { row: OperationRow }) {
  const { error, cause, attempts, nextAttemptAt } = row;
  return (
    <Typography variant="body2" color="text.secondary" sx={{ overflowWrap: 'anywhere' }}>
      {error && (
        <>
          {sentence(error.detail)} Tried {attempts === 1 ? 'once' : `${attempts} times`}
          {nextAttemptAt && (
            <>
              ; again at <When at={nextAttemptAt} />
            </>
          )}
          .{' '}
        </>
      )}
      {cause && (
        <>
          {row.callsOff === null ? 'Taken back' : 'Given up'} because: {sentence(cause)}
        </>
      )}
    </Typography>
  );
}

/** One operation: what it is, how far, why not further, and what can be done about it. */
export function OperationLine({ row }: { row: OperationRow }) {
  return (
    <Line data-operation={row.kind} data-status={row.status}>
      <Mark kind={markOf(row)} />
      <Subject row={row} />
      <HowFar row={row} />
      <WhyNot row={row} />
      <Acts>
        {row.can.map((act) => (
          <ActButton key={act} row={row} act={act} />
        ))}
      </Acts>
    </Line>
  );
}
