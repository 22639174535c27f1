import { Button, Typography } from '@mui/material';
import dayjs from 'dayjs';
import { lazy, Suspense, useState } from 'react';
import { useLocation } from 'react-router';
import { useInAddress } from './address';
import { Row } from '../parts/layout';
import { When } from '../parts/When';

/** The moment in the past that is looked at; undefined: now. */
export function useMoment(): string | undefined {
  const [at] = useInAddress('at');
  return at !== '' && dayjs(at).isValid() ? dayjs(at).toISOString() : undefined;
}

const MomentField = lazy(() => import('./MomentField'));

/** Leads to the past, in every place that has one: what chooses a moment is loaded when it is asked for. */
export function LookBack() {
  const [opened, setOpened] = useState(false);
  const at = useMoment();
  const button = (
    <Button onClick={() => setOpened(true)} sx={{ border: 0 }}>
      Look back
    </Button>
  );
  if (!opened && at === undefined) return button;
  return (
    <Suspense fallback={button}>
      <MomentField close={() => setOpened(false)} isNew={at === undefined} />
    </Suspense>
  );
}

/** Places that can be seen as they were. */
const withPast: readonly string[] = ['/backends', '/moorings', '/claims', '/namespaces'];
/** A place as it is, or as it was where a moment of the past is looked at. */
export const Then = ({ now, past }: Readonly<Record<'now' | 'past', React.ReactNode>>) =>
  useMoment() === undefined ? now : past;

/** Says that what is seen is past, and leads back. */
export function PastBar() {
  const at = useMoment();
  const { pathname } = useLocation();
  const [, setAt] = useInAddress('at');
  if (at === undefined) return null;
  return (
    <Row
      role="status"
      align="center"
      gap={2}
      sx={{
        ...{ mx: 2, mt: 1, px: 1.5, py: 0.5, border: 2, borderStyle: 'dashed' },
        ...{ borderColor: 'warning.main', color: 'warning.main' },
      }}
    >
      <Typography variant="body2" sx={{ flex: 1, color: 'inherit' }}>
        {withPast.includes(pathname) ? (
          <>
            <strong>Past:</strong> this is how it was on <When at={at} />. Nothing can be changed here.
          </>
        ) : (
          <>
            <strong>Now:</strong> this place shows what is now. You look at <When at={at} /> in Backends, Moorings,
            Claims and Namespaces.
          </>
        )}
      </Typography>
      <Button onClick={() => setAt('')}>Back to now</Button>
    </Row>
  );
}
