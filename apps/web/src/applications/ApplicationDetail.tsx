import { Button, Typography } from '@mui/material';
import type { ApplicationSeen } from '@moorage/contract/applications';
import { useState } from 'react';
import { useParams } from 'react-router';
import { useApplication } from '../api/application-queries';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { useGo, useSelected } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { useMay } from '../parts/person';
import { Place } from '../parts/Place';
import { Size } from '../parts/Size';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { CopiesBehind } from './CopiesBehind';
import { Holders } from './Holders';
import { KeepApart } from './KeepApart';
import { LocalReads } from './LocalReads';
import { Moves } from './Moves';
import { Points } from './Points';
import { Scale } from './Scale';
import { SheetDrawing } from './SheetDrawing';
import { TemplateSize } from './TemplateSize';
import { Waits } from './Waits';
import { copyMarks, copyWords, readyMark, wantedOf } from './words';

function Body({ seen }: { seen: ApplicationSeen }) {
  const [, select] = useSelected();
  const go = useGo();
  const [doing, setDoing] = useState<'scaling' | 'apart' | 'size'>();
  const close = () => setDoing(undefined);
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const { application: a, more } = seen;
  const { namespace, name } = a;
  // what is under way is looked at first
  const isMoving = seen.moves[0]?.readyAt === null;
  const endPod = useAct(async (pod: string) => {
    await ask('deletePod', { params: { namespace, name, pod } });
    await refresh('applications');
    return { text: `The pod ${pod} is told to end; ${name} starts another in its place. Its claims stay.` };
  });
  return (
    <Column gap={1.5}>
      <Sheet>
        <Row gap={2} align="baseline" wraps sx={{ mb: 1 }}>
          <Typography variant="h2" component="h2">
            <Row gap={1} align="center">
              <Mark kind={readyMark(a)} /> {a.ready} of {wantedOf(a)} ready
            </Row>
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {a.kind}, {a.claims} {a.claims === 1 ? 'claim' : 'claims'} asking <Size bytes={a.bytes} /> of{' '}
            {a.classes.join(', ') || 'no class'}. Made <When at={a.createdAt} />.
          </Typography>
          {a.worst !== null && (
            <Typography variant="body2" component="span">
              <Row gap={1} align="center">
                <Mark kind={copyMarks[a.worst]} /> worst copy {copyWords[a.worst]}
              </Row>
            </Typography>
          )}
          <Fill />
          <Button onClick={() => go(`/claims?namespace=${namespace}&q=${encodeURIComponent(name)}`)}>Its claims</Button>
          {may && seen.templates.length > 0 && !doing && <Button onClick={() => setDoing('size')}>Another size</Button>}
          {may && a.wanted !== null && !doing && <Button onClick={() => setDoing('scaling')}>Scale</Button>}
        </Row>
        <SheetDrawing seen={seen} select={select} endPod={may ? endPod.mutate : undefined} />
        <Typography variant="caption" color="text.secondary">
          Balls are pods, squares copies (filled when in step), rings witnesses, wide squares volumes in their pools.
          What would stop several replicas is underlined.
          {more > 0 && ` ${more.toLocaleString('en-GB')} more replicas are not drawn.`}
        </Typography>
      </Sheet>
      {doing === 'scaling' && <Scale seen={seen} close={close} />}
      {doing === 'size' && <TemplateSize seen={seen} close={close} />}
      {doing === 'apart' && <KeepApart seen={seen} close={close} />}
      <Waits seen={seen} />
      <Holders replicas={seen.replicas} />
      <CopiesBehind behind={seen.behind} />
      {isMoving && <Moves seen={seen} />}
      <Points seen={seen} keepApart={may && a.wanted !== null ? () => setDoing('apart') : undefined} />
      <LocalReads seen={seen} />
      {!isMoving && <Moves seen={seen} />}
    </Column>
  );
}

export default function ApplicationDetail() {
  const { namespace = '', name = '' } = useParams();
  const go = useGo();
  const query = useApplication(namespace, name);
  return (
    <Place
      title={`${namespace} / ${name}`}
      question="Where does it run, where does its data lie, and what takes both along?"
      actions={<Button onClick={() => go('/apps')}>All applications</Button>}
    >
      <Fetched query={query}>{(seen) => <Body seen={seen} />}</Fetched>
    </Place>
  );
}
