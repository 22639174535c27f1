import { Box, Button, LinearProgress, Typography } from '@mui/material';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import { useApplicationTextPlan } from '../api/application-queries';
import { ApiProblem, ask } from '../api/client';
import { refresh } from '../api/queries';
import { useGo } from '../frame/address';
import { Column, Row, Sheet } from '../parts/layout';
import { Failed, Waiting } from '../parts/States';
import { useNotice } from '../parts/useAct';
import { PlanOf } from './PlanOf';
import { notReadSentence } from './words';

const ManifestEditor = lazy(() => import('../classes/ManifestEditor'));
const settleMs = 400;

/** An application as it is written: its set, its service and its namespace, with where all of it would go. */
export function StartFromText() {
  const go = useGo();
  const show = useNotice((s) => s.show);
  const key = useRef(crypto.randomUUID());
  const [text, setText] = useState('');
  const [rested, setRested] = useState('');
  const [isStarting, setStarting] = useState(false);
  const [problem, setProblem] = useState<string>();
  useEffect(() => {
    const timer = setTimeout(() => setRested(text), settleMs);
    return () => clearTimeout(timer);
  }, [text]);
  const plan = useApplicationTextPlan(rested);
  const seen = plan.isPlaceholderData || plan.isError ? undefined : plan.data;
  const start = async () => {
    setStarting(true);
    setProblem(undefined);
    try {
      const at = await ask('startApplicationText', { body: { text }, key: key.current });
      void refresh('applications', 'claims', 'namespaces');
      show({ kind: 'done', text: `${at.namespace}/${at.name} is started.` });
      go(`/apps/${at.namespace}/${at.name}`);
    } catch (error) {
      key.current = crypto.randomUUID();
      setProblem(
        error instanceof ApiProblem ? error.detail : 'The server does not answer. What you wrote is still here.',
      );
    } finally {
      setStarting(false);
    }
  };
  return (
    <Row gap={2} align="flex-start">
      <Sheet sx={{ width: 620, flex: 'none' }}>
        <Column gap={1.5}>
          <Box sx={{ border: 1, borderColor: 'divider', height: '56vh', minHeight: 260, overflow: 'hidden' }}>
            <Suspense fallback={<LinearProgress aria-label="Loading" />}>
              <ManifestEditor text={text} onChange={setText} label="Manifests, YAML or JSON" />
            </Suspense>
          </Box>
          {problem !== undefined && (
            <Typography role="alert" variant="body2" color="error">
              {problem}
            </Typography>
          )}
          <Row justify="flex-end">
            <Button onClick={() => go('/apps')}>Leave</Button>
            <Button
              variant="contained"
              disabled={text !== rested || seen?.plan.fits !== true || isStarting}
              onClick={() => void start()}
            >
              Start it
            </Button>
          </Row>
        </Column>
      </Sheet>
      <Sheet sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="h2" sx={{ mb: 1 }}>
          Where all of it would go
        </Typography>
        {rested.trim() === '' && (
          <Typography variant="body2">
            Write or paste a stateful set with claim templates, its service beside it and, where it is not there yet,
            its namespace. It is started as it is written, all of it or nothing.
          </Typography>
        )}
        {plan.isError && <Failed error={plan.error} retry={() => void plan.refetch()} />}
        {rested.trim() !== '' && plan.isPending && <Waiting />}
        {seen && (
          <Column gap={1}>
            <Typography variant="body2">
              <strong>
                {seen.namespace} / {seen.name}
              </strong>
              {seen.isNewNamespace && `; the namespace ${seen.namespace} is not there yet, and is made as well`}
            </Typography>
            {seen.notRead.length > 0 && <Typography variant="body2">{notReadSentence(seen.notRead)}</Typography>}
            <PlanOf plan={seen.plan} />
          </Column>
        )}
      </Sheet>
    </Row>
  );
}
