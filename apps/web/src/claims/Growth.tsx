import { Button, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import { styled } from '@mui/material/styles';
import { quantityWords, type ClaimRow } from '@moorage/contract/claims';
import type { GrowthAnswer } from '@moorage/contract/growth';
import type { OperationAct } from '@moorage/contract/operations';
import type { Change } from '@moorage/core/placement/change';
import type { RuleName } from '@moorage/core/placement/rule';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { sizeText } from '@moorage/core/sizes/display';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh, useGrowth } from '../api/queries';
import { Mark } from '../marks/Mark';
import { factText, ruleTitles } from '../moorings/check-words';
import { Confirm } from '../parts/Confirm';
import { FaintCell, Fill, Row, Sheet } from '../parts/layout';
import { useMay } from '../parts/person';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { useSettled } from '../parts/useSettled';
import { When } from '../parts/When';
import {
  growthCost,
  growthSentence,
  growthSteps,
  limitsOf,
  boughtFor,
  reachesWords,
  refusalOf,
  stepsDone,
} from './growth-words';
import { RemedyList, useChange } from './Remedies';

const asText = (bytes: number) => formatQuantity(bytes as Bytes);
type Reckoned = Extract<GrowthAnswer['growth'], { kind: 'reckoned' }>;

const Tight = styled(TableRow)({ '& td, & th': { paddingTop: 2, paddingBottom: 2, whiteSpace: 'nowrap' } });
const Told = styled(TableCell)({ width: '100%', '&&': { whiteSpace: 'normal' } });

/** What growing takes of each limit it lies under, and what is left of it then. */
function Takes({ growth }: { growth: Reckoned }) {
  const several = growth.on.length > 1;
  return (
    <Table size="small" aria-label="What growing takes">
      <TableHead>
        <Tight>
          <TableCell>{several ? 'Limit' : `Limit on ${growth.on[0]!.pool}`}</TableCell>
          {['takes', 'of', 'leaves'].map((head) => (
            <TableCell key={head} align="right">
              {head}
            </TableCell>
          ))}
          <Told />
        </Tight>
      </TableHead>
      <TableBody>
        {growth.on.flatMap(({ pool, checks }) =>
          limitsOf(checks).map(({ check, left }) => (
            <Tight key={`${pool}/${check.rule}`}>
              <FaintCell component="th" scope="row">
                {ruleTitles[check.rule as RuleName]}
                {several && !/-quota$/.test(check.rule) && ` · ${pool}`}
              </FaintCell>
              <TableCell align="right">{left !== undefined && factText(check, check.need)}</TableCell>
              <TableCell align="right">{left !== undefined && factText(check, check.have)}</TableCell>
              <TableCell align="right">{left !== undefined && check.passed ? factText(check, left) : ''}</TableCell>
              <Told sx={{ fontWeight: check.passed ? 400 : 600 }}>
                <Mark kind={check.passed ? 'settled' : 'degraded'} size={9} /> {!check.passed && refusalOf(check)}
              </Told>
            </Tight>
          )),
        )}
      </TableBody>
    </Table>
  );
}

/** In one sentence, whether it fits and what it comes to. */
function Verdict({ answer }: { answer: GrowthAnswer }) {
  const { growth, provisioned, wanted, most, reaches } = answer;
  const told = (kind: 'settled' | 'person', text: string) => (
    <Row align="baseline" aria-live="polite" sx={{ fontSize: 13.5 }}>
      <Mark kind={kind} />
      <span>{text}</span>
    </Row>
  );
  switch (growth.kind) {
    case 'enough':
      return told('settled', `Its volume has ${sizeText(provisioned)} already: nothing has to be made larger.`);
    case 'fixed':
      return told(
        'person',
        'Its class does not let its claims grow. Let the class allow it under Classes, or make a larger claim and copy the data there.',
      );
    case 'pool-gone':
      return told('person', `The pool ${growth.pool} that its volume lies on is not known any more.`);
    case 'reckoned': {
      const [main, ...others] = growth.on;
      const more = main!.to - main!.from;
      const copies =
        others.length > 0 ? `, and its copy on ${others.map((o) => o.pool).join(', and on ')} with it` : '';
      if (growth.fits)
        return told(
          'settled',
          `Fits where it is: ${sizeText(more)} more on ${main!.pool}${main!.addedRaw > more ? ` (${sizeText(main!.addedRaw)} raw, its copies counted)` : ''}${copies}${boughtFor(main!.instance)}. ${reachesWords[reaches]}`,
        );
      return told(
        'person',
        most > provisioned
          ? `${sizeText(wanted)} does not fit where it is; ${sizeText(most)} is the most that does.`
          : `It cannot grow where it is.`,
      );
    }
  }
}

/** The answer to a size: whether it fits, what it takes, and what would make it fit. */
function Answer({
  answer,
  claim,
  setSize,
}: {
  answer: GrowthAnswer;
  claim: ClaimRow;
  setSize?: (size: string) => void;
}) {
  const may = useMay('administrator', 'operator');
  const change = useChange(claim);
  const stepFor = (c: Change) => {
    if (c.kind === 'ask-less') return setSize && { words: 'Take that size', act: () => setSize(asText(c.size)) };
    return may ? change(c) : undefined;
  };
  const { growth, elsewhere } = answer;
  // what was asked on the platform cannot be asked less of
  const remedies = answer.remedies.filter((r) => setSize || !r.changes.some((c) => c.kind === 'ask-less'));
  return (
    <>
      {setSize && <Verdict answer={answer} />}
      {growth.kind === 'reckoned' && <Takes growth={growth} />}
      {growth.kind === 'reckoned' && !growth.fits && (
        <>
          <Typography variant="h3" sx={{ mt: 1 }}>
            What would let it grow
          </Typography>
          {remedies.length > 0 ? (
            <RemedyList
              remedies={remedies}
              claim={claim}
              label="What would let it grow"
              then={(pool) => `grows on ${pool}`}
              costOf={growthCost}
              stepFor={stepFor}
            />
          ) : (
            <Typography variant="body2">No one or two changes of limits and pools would be enough.</Typography>
          )}
          {elsewhere && (
            <Typography variant="body2" color="text.secondary">
              {elsewhere} would take the whole of it. Volumes are not moved yet: for now that takes a new claim and a
              copy of the data.
            </Typography>
          )}
        </>
      )}
    </>
  );
}

/** Lets a claim ask for more, with the answer before it is sent. */
export function Grow({ claim, close }: { claim: ClaimRow; close: () => void }) {
  const { namespace, name, requested } = claim;
  const [wanted, setWanted] = useState('');
  const [text, setText] = useSettled(wanted, setWanted);
  const size = parseQuantity(text);
  const problem =
    text === ''
      ? undefined
      : !size.ok
        ? quantityWords[size.problem]
        : size.bytes <= requested
          ? `It asks for ${asText(requested)} already, and volumes never shrink.`
          : undefined;
  const asked = text === wanted && !problem ? wanted : '';
  const query = useGrowth(namespace, name, asked);
  const send = useAct(async () => {
    await ask('growClaim', { params: { namespace, name }, body: { size: wanted } });
    await refresh('claims', 'growth');
    close();
    return { text: `${namespace}/${name} asks for ${wanted} now.` };
  });
  const { data: answer } = query;
  const isAnswered = asked !== '' && answer !== undefined && !query.isPlaceholderData;
  const mayWait = isAnswered && answer.growth.kind === 'reckoned' && !answer.growth.fits;
  return (
    <Sheet role="region" aria-label="Grow this claim">
      <Typography variant="h2" sx={{ mb: 1 }}>
        Grow to what size?
      </Typography>
      <Row gap={1.5} align="flex-start" sx={{ mb: 1 }}>
        <TextField
          label="New size"
          autoFocus
          placeholder={asText(requested)}
          value={text}
          onChange={(e) => setText(e.target.value)}
          error={problem !== undefined}
          helperText={problem ?? `It asks for ${asText(requested)} now.`}
          sx={{ width: 300 }}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <Button
          variant="contained"
          disabled={
            !isAnswered || answer.growth.kind === 'fixed' || answer.growth.kind === 'pool-gone' || send.isPending
          }
          onClick={() => send.mutate(undefined)}
        >
          {mayWait ? 'Ask all the same, and let it wait' : 'Grow'}
        </Button>
        <Button onClick={close}>Leave it as it is</Button>
      </Row>
      {asked !== '' && <Fetched query={query}>{(a) => <Answer answer={a} claim={claim} setSize={setText} />}</Fetched>}
    </Sheet>
  );
}

function Steer({ operation, act, word }: { operation: string; act: OperationAct; word: string }) {
  const steer = useAct(async () => {
    await ask('steerOperation', { params: { id: operation, act } });
    await refresh('claims', 'growth', 'operations');
    return { text: act === 'cancel' ? 'Its growth is called off.' : 'Its growth is tried again now.' };
  });
  if (act !== 'cancel')
    return (
      <Button disabled={steer.isPending} onClick={() => steer.mutate(undefined)}>
        {word}
      </Button>
    );
  return (
    <Confirm word={word} title="Call this growth off?" disabled={steer.isPending} act={() => steer.mutate(undefined)}>
      What is reserved goes back as far as the backend did not use it. The claim goes on asking for the larger size on
      the platform, which takes no smaller one; it is not tried again until it asks for another.
    </Confirm>
  );
}

/** A growth under way: how far it is, what it waits for, and what would help. */
export function GrowthUnderWay({ claim, growth }: { claim: ClaimRow; growth: NonNullable<ClaimRow['growth']> }) {
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const isWaiting = growth.waitingFor === 'capacity' && growth.stopped === null;
  const query = useGrowth(claim.namespace, claim.name, isWaiting ? asText(claim.requested) : '');
  const done = stepsDone(growth.state);
  const mark = growth.stopped || isWaiting ? 'person' : growth.error ? 'degraded' : 'progress';
  return (
    <Sheet role="region" aria-label="Growth">
      <Row gap={2} align="baseline">
        <Typography variant="h2">
          <Mark kind={mark} /> Growing
        </Typography>
        <Fill aria-live="polite">
          {growthSentence(claim, growth)}
          {growth.nextAttemptAt && growth.error && (
            <>
              {' '}
              Next try at <When at={growth.nextAttemptAt} />.
            </>
          )}
        </Fill>
        {may && growth.stopped === 'paused' && <Steer operation={growth.operation} act="resume" word="Go on" />}
        {may && growth.error && growth.stopped !== 'paused' && (
          <Steer operation={growth.operation} act="retry" word="Try now" />
        )}
        {may && (growth.state === 'waiting' || growth.state === 'asking') && (
          <Steer operation={growth.operation} act="cancel" word="Call off" />
        )}
      </Row>
      <Row gap={2} wraps sx={{ fontSize: 13, my: 0.5 }} role="list" aria-label="Steps">
        {growthSteps.map((step, i) => (
          <Row key={step} role="listitem" gap={0.75} align="center">
            <Mark kind={i < done ? 'settled' : i === done && !isWaiting ? 'progress' : 'waiting'} size={10} />
            {step}
          </Row>
        ))}
      </Row>
      {isWaiting && <Fetched query={query}>{(answer) => <Answer answer={answer} claim={claim} />}</Fetched>}
    </Sheet>
  );
}
