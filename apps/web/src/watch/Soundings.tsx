import { Box, Link, Typography } from '@mui/material';
import type { RunwayRow } from '@moorage/contract/forecast';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useBackends } from '../api/queries';
import { thinOf } from '../backends/thin';
import { endWords, isSoon, keyOf, runwayText } from '../forecast/runway-words';
import { useKeepLine } from '../frame/address';
import { Plain, Row, Sheet } from '../parts/layout';
import { Sounding } from '../soundings/Sounding';

const marks = ['hard', 'ceiling', 'iops'];
const at = (r: RunwayRow): number =>
  r.runway?.kind === 'over' ? 0 : r.runway?.kind === 'meets' ? r.runway.at : r.runway ? Infinity : Number.MAX_VALUE;

function lasts(row: RunwayRow | undefined): string {
  const runway = row?.runway ?? null;
  if (runway === null) return 'runway not known yet';
  if (runway.kind === 'none') return 'lasts two years';
  return runway.kind === 'over' ? `${endWords[row!.against]} reached` : `lasts ${runwayText(runway)}`;
}

/** How full every pool is and how long it lasts, those that are reached first before the others. */
export function Soundings() {
  const keep = useKeepLine();
  const backends = useBackends().data ?? [];
  const { data } = useQuery({
    queryKey: keys.runways.all('pool', ''),
    queryFn: () => ask('listRunways', { query: { kind: 'pool' } }),
  });
  const first = (pool: string): RunwayRow | undefined =>
    data?.rows
      .filter((r) => r.name === pool && marks.includes(r.against))
      .reduce<RunwayRow | undefined>((a, b) => (a === undefined || at(b) < at(a) ? b : a), undefined);
  const pools = backends
    .flatMap((b) => b.pools.filter((p) => p.goneSince === null))
    .map((pool) => ({ pool, runway: first(pool.id) }))
    .sort((a, b) => (a.runway ? at(a.runway) : Infinity) - (b.runway ? at(b.runway) : Infinity));
  if (pools.length === 0) return null;
  return (
    <Sheet component="section" aria-label="Pools and their runways" sx={{ px: 1.5, py: 1 }}>
      <Plain sx={{ display: 'flex', gap: 2.5, overflowX: 'auto', pb: 0.5 }}>
        {pools.map(({ pool, runway }) => {
          const thin = thinOf(pool);
          return (
            <Row component="li" key={pool.id} gap={1} align="center" sx={{ flexShrink: 0 }}>
              <Sounding {...thin} />
              <Box>
                <Link
                  component={RouterLink}
                  to={keep(
                    runway
                      ? `/namespaces/runway?kind=pool&of=${encodeURIComponent(keyOf(runway))}`
                      : `/backends?pool=${pool.id}`,
                  )}
                  variant="body2"
                >
                  {pool.name}
                </Link>
                <Typography variant="body2">
                  {Math.round((100 * thin.consumed) / Math.max(1, thin.usable))} % written
                </Typography>
                <Typography variant="body2" sx={{ fontWeight: runway && isSoon(runway.runway) ? 700 : undefined }}>
                  {lasts(runway)}
                </Typography>
              </Box>
            </Row>
          );
        })}
      </Plain>
    </Sheet>
  );
}
