import { Button, Typography } from '@mui/material';
import type { ClaimDetail as Detail, ClaimRow } from '@moorage/contract/claims';
import { useEffect, useState } from 'react';
import { useParams } from 'react-router';
import { ask } from '../api/client';
import { refresh, useClaim } from '../api/queries';
import { useGo, useSelected } from '../frame/address';
import { MarkedWord } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { claimSentence, standing } from './words';
import { Copies, useMayChangeCopies } from './Copies';
import { Deletion, KeepVolume } from './Deletion';
import { Grow, GrowthUnderWay } from './Growth';
import { Remedies } from './Remedies';
import { Share } from './Share';
import { Timeline, useSayings } from './Timeline';
import { driverSentence } from './timeline-words';
import { Trace } from './Trace';
import { Tune, useRateAllowances } from './Tune';
import { DriftOf } from '../drift/DriftOf';
import { Candidates } from '../static-volumes/Candidates';
import { Column, Row, Sheet } from '../parts/layout';

function Sizes({ claim }: { claim: ClaimRow }) {
  const { requested, provisioned, consumed } = claim;
  return (
    <Typography variant="body2">
      Asked <Size bytes={requested} />
      {provisioned !== null && (
        <>
          {claim.state === 'bound' && !claim.growth ? ', got ' : ', reserved '}
          <Size bytes={provisioned} />
          {provisioned > requested && ' (the pool gives whole GiB, and no less than 1 GiB)'}, written{' '}
          <Size bytes={consumed ?? 0} />
        </>
      )}
      . {claim.modes.join(', ')}, {claim.volumeMode} mode. Made <When at={claim.createdAt} />.
    </Typography>
  );
}

/** For a binding that failed and waits for its next try, or for a person. */
function TryNow({ claim }: { claim: ClaimRow }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const { operation, stopped, error } = claim.reason ?? {};
  const steer = useAct(async (id: string) => {
    await ask('steerOperation', { params: { id, act: stopped === 'paused' ? 'resume' : 'retry' } });
    await refresh('claims');
    return { text: 'Its binding is tried again now.' };
  });
  if (!may || !operation || (!stopped && !error)) return null;
  return (
    <Button disabled={steer.isPending} onClick={() => steer.mutate(operation)}>
      {stopped === 'paused' ? 'Go on' : 'Try now'}
    </Button>
  );
}

function Body({ detail }: { detail: Detail }) {
  const { claim, decisions } = detail;
  const [doing, setDoing] = useState<'deleting' | 'growing' | 'tuning' | 'copies'>();
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const rates = useRateAllowances(claim);
  const mayChangeCopies = useMayChangeCopies(claim);
  const said = useSayings(claim.namespace, claim.name);
  const driver = claim.state === 'foreign' && said ? driverSentence(said) : undefined;
  const [last, ...earlier] = decisions;
  const stuck = claim.state === 'nothing-fits';
  const mayMatch = ['waiting-pod', 'nothing-fits', 'no-class', 'held-back', 'foreign'].includes(claim.state);
  return (
    <Column gap={1.5}>
      <Sheet>
        <Row gap={2} align="baseline">
          <Typography component="h2" variant="h2">
            <MarkedWord {...standing(claim)} />
          </Typography>
          <Typography variant="body1" sx={{ flex: 1 }} aria-live="polite">
            {claimSentence({ ...claim, growth: null })}
          </Typography>
          <TryNow claim={claim} />
          {may && claim.state === 'deleting' && <KeepVolume claim={claim} />}
          {may && claim.state === 'bound' && claim.pool && !doing && (
            <Button onClick={() => setDoing('growing')}>Grow</Button>
          )}
          {may && claim.state === 'bound' && claim.pool && !doing && rates.length > 0 && (
            <Button onClick={() => setDoing('tuning')}>Tune</Button>
          )}
          {may && claim.state === 'bound' && claim.pool && !doing && mayChangeCopies && (
            <Button onClick={() => setDoing('copies')}>Copies</Button>
          )}
          {may && claim.state !== 'deleting' && !doing && <Button onClick={() => setDoing('deleting')}>Delete</Button>}
        </Row>
        <Sizes claim={claim} />
        {driver && <Typography variant="body2">{driver}</Typography>}
        {claim.reason?.nextAttemptAt && (
          <Typography variant="body2" color="text.secondary">
            Next attempt at <When at={claim.reason.nextAttemptAt} />; the pauses grow, five minutes at most.
          </Typography>
        )}
        {claim.volumeId && claim.backend && (
          <Typography
            variant="body2"
            component="div"
            sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap' }}
          >
            In the platform <Copyable text={claim.volumeName ?? ''} what="volume name" /> = on {claim.backend}{' '}
            <Copyable text={claim.volumeId} what="backend identifier" />
          </Typography>
        )}
        {doing === 'deleting' && <Deletion claim={claim} usedBy={detail.usedBy} close={() => setDoing(undefined)} />}
      </Sheet>
      {doing === 'growing' && <Grow claim={claim} close={() => setDoing(undefined)} />}
      {doing === 'copies' && <Copies claim={claim} close={() => setDoing(undefined)} />}
      {doing === 'tuning' && <Tune claim={claim} close={() => setDoing(undefined)} />}
      {claim.growth && doing !== 'growing' && <GrowthUnderWay claim={claim} growth={claim.growth} />}
      {claim.volumeName !== null && <DriftOf claim={claim.uid} />}
      <Share claim={claim} />
      {mayMatch && <Candidates claim={claim} />}
      {stuck && last && (
        <Sheet>
          <Typography variant="h2" sx={{ mb: 0.5 }}>
            What would bind it
          </Typography>
          <Remedies claim={claim} decision={last} />
        </Sheet>
      )}
      <Sheet>
        <Typography variant="h2">
          {last?.trace.winner ? `Why ${last.trace.winner}` : last ? 'Why nowhere' : 'Not decided yet'}
        </Typography>
        {last?.trace.second && (
          <Typography variant="body2">
            Its second copy is kept on {last.trace.second.pool}, written at the same time.
          </Typography>
        )}
        {last?.trace.offsite && (
          <Typography variant="body2">
            Its off-site copy is kept on {last.trace.offsite.pool}, written later.
          </Typography>
        )}
        {last && last.trace.candidates.length > 0 ? (
          <Trace decision={last} />
        ) : (
          <Typography variant="body2">
            {last ? 'The class has no mooring: no pool was tried.' : 'No decision was made yet.'}
          </Typography>
        )}
        {earlier.length > 0 && (
          <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
            Decided {earlier.length} {earlier.length === 1 ? 'time' : 'times'} before, the last{' '}
            <When at={earlier[0]!.madeAt} />:{' '}
            {earlier[0]!.trace.winner ? `chose ${earlier[0]!.trace.winner}` : 'nothing fitted'}.
          </Typography>
        )}
      </Sheet>
      <Timeline timeline={detail.timeline} said={said} />
    </Column>
  );
}

export default function ClaimDetail() {
  const { namespace = '', name = '' } = useParams();
  const query = useClaim(namespace, name);
  const [selected, select] = useSelected();
  const go = useGo();
  const key = `${namespace}/${name}`;
  // opening a claim fills the Line with it
  useEffect(() => {
    if (selected !== key) select(key);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only when another claim is opened, so that the Line can be closed here
  }, [key]);
  return (
    <Place
      title={`${namespace}/${name}`}
      question="Why is it where it is?"
      actions={<Button onClick={() => go(`/claims/${key}/proof`)}>Both sides</Button>}
    >
      <Fetched query={query}>{(detail) => <Body detail={detail} />}</Fetched>
    </Place>
  );
}
