import { Typography } from '@mui/material';
import { Mark } from '../marks/Mark';
import { Fill, Row, Sheet } from '../parts/layout';
import { When } from '../parts/When';
import { Remedy } from './Drift';
import { useDrift, useMend } from './useDrift';
import { byWords, driftSentence } from './words';

/** What differs of one claim's volume; nothing when it is as it was declared. */
export function DriftOf({ claim }: { claim: string }) {
  const { data } = useDrift(claim, '');
  const mend = useMend();
  if (!data || data.rows.length === 0) return null;
  return (
    <Sheet role="region" aria-label="Declared and actual">
      <Typography variant="h2">Not as it was declared</Typography>
      {data.rows.map((row) => (
        <Row key={row.kind} gap={1.5} align="center" sx={{ py: 0.5, fontSize: 13 }}>
          <Mark kind={row.asked ? 'progress' : 'person'} />
          <Fill>
            {driftSentence(row)} It is {byWords[row.by]}, since <When at={row.since} />.
          </Fill>
          <Remedy row={row} mend={mend} />
        </Row>
      ))}
    </Sheet>
  );
}
