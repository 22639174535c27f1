import { Button, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import type { BucketDetail, BucketRow } from '@moorage/contract/buckets';
import { nameProblem } from '@moorage/core/claims/name';
import { sizeText } from '@moorage/core/sizes/display';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { Trace } from '../claims/Trace';
import { Mark } from '../marks/Mark';
import { failureSentence } from '../moorings/check-words';
import { Confirm } from '../parts/Confirm';
import { Copyable } from '../parts/Copyable';
import { Column, Fill, Plain, Row, Sheet } from '../parts/layout';
import { useMay } from '../parts/person';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { mostNow } from './foresee';
import { Limit } from './Limit';
import { useBucket } from './useBuckets';
import { deletionSentence, keyWords, stateOf } from './words';

/** Who holds a key, and another one. The secret itself is on the platform alone. */
function Keys({ row, accesses }: { row: BucketRow; accesses: BucketDetail['accesses'] }) {
  const { namespace, name } = row;
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const [key, setKey] = useState('');
  const isName = key === '' || nameProblem(key) === undefined;
  const give = useAct(async () => {
    const secretName = `${key}-secret`;
    await ask('createBucketKey', { params: { namespace, name }, body: { name: key, secretName } });
    void refresh('buckets');
    setKey('');
    return { text: `The secret ${namespace}/${secretName} will hold the key.` };
  });
  const takeBack = useAct(async (access: string) => {
    await ask('deleteBucketKey', { params: { namespace, name, access } });
    void refresh('buckets');
    return { text: `${access} is taken back.` };
  });
  return (
    <Column gap={0.75}>
      {accesses.length > 0 && (
        <Table size="small" aria-label="Keys" sx={{ maxWidth: 900 }}>
          <TableHead>
            <TableRow>
              <TableCell>Key</TableCell>
              <TableCell>Secret in {namespace}</TableCell>
              <TableCell>Account on the backend</TableCell>
              <TableCell>Since</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {accesses.map((a) => (
              <TableRow key={a.uid}>
                <TableCell>
                  <Mark kind={keyWords[a.state].mark} /> {a.name}
                  {a.state !== 'granted' && <div>{a.problem ?? keyWords[a.state].words}</div>}
                </TableCell>
                <TableCell>
                  <Copyable text={a.secretName} what="name of the secret" />
                </TableCell>
                <TableCell>{a.account ? <Copyable text={a.account} what="account" short /> : '–'}</TableCell>
                <TableCell>
                  <When at={a.createdAt} />
                </TableCell>
                <TableCell align="right">
                  {may && (
                    <Confirm
                      word="Take back"
                      title={`Take ${a.name} back`}
                      disabled={takeBack.isPending}
                      act={() => takeBack.mutate(a.name)}
                    >
                      What uses it reads and writes nothing any more from now on, and the secret {a.secretName} goes.
                      Other keys stay.
                    </Confirm>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      {may && (
        <Row
          gap={1.5}
          align="flex-start"
          component="form"
          onSubmit={(e: React.FormEvent) => (e.preventDefault(), give.mutate(undefined))}
        >
          <TextField
            label="Key for"
            placeholder="what uses it"
            value={key}
            onChange={(e) => setKey(e.target.value.trim())}
            error={!isName}
            helperText={isName ? (key ? `its secret: ${key}-secret` : undefined) : 'Small letters, digits and dashes.'}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 260 }}
          />
          <Button type="submit" disabled={key === '' || !isName || give.isPending}>
            Give a key
          </Button>
        </Row>
      )}
    </Column>
  );
}

/** The end of a bucket, with what it takes along. */
function End({ row, close }: { row: BucketRow; close: () => void }) {
  const { namespace, name } = row;
  const isKept = row.state === 'kept';
  const [typed, setTyped] = useState('');
  const plan = isKept
    ? {
        text: `${row.objects?.toLocaleString('en-GB') ?? 'An unknown number of'} objects are destroyed for good, and ${sizeText(row.limit ?? 0)} are free again.`,
        destroys: true,
      }
    : deletionSentence(row);
  const end = useAct(async () => {
    const query = { confirm: typed || undefined };
    if (isKept) await ask('destroyBucket', { params: { bucket: row.bucket! }, query });
    else await ask('deleteBucket', { params: { namespace, name }, query });
    void refresh('buckets', 'namespaces');
    close();
    return {
      text: isKept
        ? `The bucket of ${namespace}/${name} is being emptied.`
        : `The claim ${namespace}/${name} is deleted.`,
    };
  });
  return (
    <Row
      role="alert"
      gap={1.5}
      align="center"
      wraps
      sx={{ border: 1, borderColor: plan.destroys ? 'error.main' : 'divider', p: 1.5 }}
    >
      <Fill sx={{ minWidth: 260 }}>{plan.text}</Fill>
      {plan.destroys && (
        <TextField
          label={`Type ${name} to destroy it`}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 240 }}
        />
      )}
      <Button onClick={close}>Leave it</Button>
      <Button
        variant="contained"
        disabled={(plan.destroys && typed !== name) || end.isPending}
        onClick={() => end.mutate(undefined)}
      >
        {isKept ? 'Destroy it' : 'Delete it'}
      </Button>
    </Row>
  );
}

/** A kept bucket goes to another claim of its namespace, as it is. */
function GiveTo({ row }: { row: BucketRow }) {
  const { namespace, className, bucket } = row;
  const [name, setName] = useState(row.name);
  const isName = nameProblem(name) === undefined;
  const give = useAct(async () => {
    await ask('createBucket', { body: { namespace, name, className: className!, existing: bucket! } });
    void refresh('buckets');
    return { text: `The bucket goes to ${namespace}/${name}.` };
  });
  return (
    <Row gap={1.5} align="flex-start">
      <TextField
        label={`Bucket claim in ${namespace}`}
        value={name}
        onChange={(e) => setName(e.target.value.trim())}
        error={!isName}
        helperText={isName ? undefined : 'Small letters, digits and dashes.'}
        slotProps={{ inputLabel: { shrink: true } }}
        sx={{ width: 260 }}
      />
      <Button variant="contained" disabled={!isName || give.isPending} onClick={() => give.mutate(undefined)}>
        {name === row.name ? 'Give it back' : 'Give it to this claim'}
      </Button>
    </Row>
  );
}

/** What each pool of its class lacks. */
function WhyNowhere({ trace }: { trace: NonNullable<BucketDetail['decision']>['trace'] }) {
  if (trace.candidates.length === 0)
    return <Typography variant="body2">None of the pools that its class names is known.</Typography>;
  return (
    <Plain aria-label="Why nowhere">
      {trace.candidates.flatMap(({ pool, checks }) =>
        checks
          .filter((c) => !c.passed)
          .map((c) => (
            <li key={pool + c.rule}>
              <Mark kind="person" /> {pool}: {failureSentence(c)}
            </li>
          )),
      )}
    </Plain>
  );
}

/** One bucket: where it is and why, who may use it, and its end. */
export function BucketSheet({ row, close }: { row: BucketRow; close: () => void }) {
  const { namespace, name } = row;
  const query = useBucket(namespace, name);
  const [ending, setEnding] = useState(false);
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const mayDestroy = useMay('administrator', 'operator');
  const { mark, words } = stateOf(row);
  const isKept = row.state === 'kept';
  const isLeft = isKept || row.state === 'closing' || row.state === 'emptying';
  return (
    <Sheet role="region" aria-label={`Bucket ${namespace}/${name}`} sx={{ flex: 1, minHeight: 200, overflow: 'auto' }}>
      <Row gap={2} align="baseline" sx={{ mb: 1 }}>
        <Typography variant="h2">
          <Mark kind={mark} /> {namespace}/{name}
        </Typography>
        <Fill>{words}</Fill>
        {(isKept ? mayDestroy : may && !isLeft) && !ending && (
          <Button onClick={() => setEnding(true)}>{isKept ? 'Destroy it' : 'Delete'}</Button>
        )}
        <Button onClick={close}>Close</Button>
      </Row>
      <Column gap={1.5}>
        {ending && <End row={row} close={() => setEnding(false)} />}
        <Fetched query={query}>
          {({ bucket, endpoint, decision, accesses }) => (
            <>
              {bucket.bucket && (
                <Row gap={2} wraps align="center" sx={{ fontSize: 13 }}>
                  <span>
                    Bucket <Copyable text={bucket.bucket} what="name of the bucket" />
                  </span>
                  {endpoint && (
                    <span>
                      at <Copyable text={endpoint} what="endpoint" />
                    </span>
                  )}
                  <span>
                    on {bucket.pool}, {bucket.backend}
                  </span>
                  {bucket.measuredAt && (
                    <span>
                      counted <When at={bucket.measuredAt} />
                    </span>
                  )}
                </Row>
              )}
              {bucket.waitsFor === 'capacity' && decision && <WhyNowhere trace={decision.trace} />}
              {may &&
                (row.state === 'ready' || row.state === 'waiting') &&
                row.waitsFor !== 'existing' &&
                row.waitsFor !== 'other-driver' && (
                  <Limit
                    row={row}
                    propose={bucket.waitsFor === 'capacity' && decision ? mostNow(decision.trace) : undefined}
                  />
                )}
              {isKept && may && <GiveTo row={row} />}
              {bucket.bucket !== null && !isLeft && <Keys row={row} accesses={accesses} />}
              {decision && <Trace decision={{ ...decision, remedies: [] }} />}
            </>
          )}
        </Fetched>
      </Column>
    </Sheet>
  );
}
