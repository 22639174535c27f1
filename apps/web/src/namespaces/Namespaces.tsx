import { Button } from '@mui/material';
import type { UseGrid as UseAnswer } from '@moorage/contract/usage';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useMemo } from 'react';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useGo, useInAddress, useKeepLine } from '../frame/address';
import { useMoment } from '../frame/Moment';
import { Place } from '../parts/Place';
import { Empty, Fetched, Waiting } from '../parts/States';
import { Column, Row } from '../parts/layout';
import { claimsAt } from './claims-at';
import { indexOfUse } from './use';
import { UseControls, UseGrid, useUseChoices } from './UseGrid';
import { UseOf } from './UseOf';

const Flows = lazy(() => import('./Flows'));

function useUse() {
  const { rows, columns, of } = useUseChoices();
  const at = useMoment();
  return useQuery({
    queryKey: keys.use(rows, columns, at ?? '', of),
    queryFn: () => ask('getUse', { query: { rows, columns, ...(at && { at }), ...(of && { namespace: of }) } }),
    placeholderData: keepPreviousData,
  });
}

function Shown({ grid }: { grid: UseAnswer }) {
  // an answer that is no grid is not the server's silence: the place says so
  const index = useMemo(() => indexOfUse(grid), [grid]);
  const go = useGo();
  const { rows, columns } = useUseChoices();
  return (
    <Column gap={1.5} sx={{ minHeight: '100%' }}>
      <UseControls first={grid.rows[0]} />
      {grid.rows.length === 0 ? (
        <Empty title={grid.isPast ? 'Nothing was there at that moment' : 'No namespace is known yet'}>
          {grid.isPast ? 'Choose a later one.' : 'They appear as soon as the platform answers.'}
        </Empty>
      ) : (
        <>
          <UseGrid
            index={index}
            open={(row, column) => rows === 'namespace' && go(claimsAt(row, columns, column, grid.isPast))}
          />
          <UseOf index={index} />
        </>
      )}
    </Column>
  );
}

function Grid() {
  const query = useUse();
  return <Fetched query={query}>{(grid) => <Shown grid={grid} />}</Fetched>;
}

export default function Namespaces() {
  const [view] = useInAddress('view', 'grid');
  const keep = useKeepLine();
  return (
    <Place
      title="Namespaces"
      actions={
        <Row gap={1}>
          <Button component={RouterLink} to={keep('/namespaces/runway')}>
            Runway
          </Button>
          <Button component={RouterLink} to={keep('/namespaces/waste')}>
            Waste
          </Button>
          <Button component={RouterLink} to={keep('/namespaces/statement')}>
            Statement of a month
          </Button>
        </Row>
      }
      question={
        view === 'shores'
          ? 'Who uses how much of which class, and where does it lie? The wider a band, the more.'
          : 'Who uses how much, and how near is the limit? The tint is the share of the limit; where there is none, it compares with the largest.'
      }
    >
      {view === 'shores' ? (
        <Suspense fallback={<Waiting />}>
          <Flows />
        </Suspense>
      ) : (
        <Grid />
      )}
    </Place>
  );
}
