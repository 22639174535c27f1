import { CssBaseline, GlobalStyles, LinearProgress, ThemeProvider } from '@mui/material';
import { QueryClientProvider } from '@tanstack/react-query';
import type { Session } from '@moorage/contract/people';
import { lazy, useLayoutEffect, useMemo, useState } from 'react';
import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { ApiProblem } from './api/client';
import { useLiveChanges } from './api/live';
import { queryClient, usePerson } from './api/queries';
import { Course } from './frame/Course';
import { Apart, Guarded } from './frame/Guarded';
import { Head } from './frame/Head';
import { Keys } from './frame/Keys';
import { Line } from './frame/Line';
import { PastBar, Then } from './frame/Moment';
import { NoticeBar } from './parts/NoticeBar';
import { Failed } from './parts/States';
import { PersonContext } from './parts/person';
import { SignIn } from './sign-in/SignIn';
import { useLook } from './theme/look';
import { makeTheme } from './theme/theme';
import { Column } from './parts/layout';

const Watch = lazy(() => import('./watch/Watch'));
const BackendDetail = lazy(() => import('./backends/BackendDetail'));
const Register = lazy(() => import('./backends/Register'));
const Readiness = lazy(() => import('./backends/Readiness'));
const Commission = lazy(() => import('./clusters/Commission'));
const Backends = lazy(() => import('./backends/Backends'));
const Moorings = lazy(() => import('./moorings/Moorings'));
const Classes = lazy(() => import('./classes/Classes'));
const NewClass = lazy(() => import('./classes/NewClass'));
const Manifests = lazy(() => import('./manifests/Manifests'));
const ChangeClass = lazy(() => import('./classes/ChangeClass'));
const Successor = lazy(() => import('./classes/Successor'));
const Batch = lazy(() => import('./moorings/Batch'));
const ClassDetail = lazy(() => import('./classes/ClassDetail'));
const Claims = lazy(() => import('./claims/Claims'));
const ClaimDetail = lazy(() => import('./claims/ClaimDetail'));
const Applications = lazy(() => import('./applications/Applications'));
const Nodes = lazy(() => import('./applications/Nodes'));
const StartApplication = lazy(() => import('./applications/StartApplication'));
const ApplicationDetail = lazy(() => import('./applications/ApplicationDetail'));
const Namespaces = lazy(() => import('./namespaces/Namespaces'));
const PastBackends = lazy(() => import('./past/PastBackends'));
const PastMoorings = lazy(() => import('./past/PastMoorings'));
const PastClaims = lazy(() => import('./past/PastClaims'));
const Statement = lazy(() => import('./namespaces/Statement'));
const Runways = lazy(() => import('./forecast/Runways'));
const WhatIf = lazy(() => import('./forecast/WhatIf'));
const Waste = lazy(() => import('./waste/Waste'));
const Tokens = lazy(() => import('./tokens/Tokens'));
const Buckets = lazy(() => import('./buckets/Buckets'));
const Drift = lazy(() => import('./drift/Drift'));
const Proof = lazy(() => import('./claims/Proof'));
const Salvage = lazy(() => import('./salvage/Salvage'));
const UnderWay = lazy(() => import('./under-way/UnderWay'));

function ChartRoom({ person }: { person: Session }) {
  useLiveChanges();
  const [keys, setKeys] = useState(false);
  return (
    <PersonContext value={person}>
      <Column gap={0} sx={{ height: '100%', bgcolor: 'background.default', minWidth: 1024 }}>
        <Head person={person} showKeys={() => setKeys(true)} />
        <Course />
        <PastBar />
        <Guarded>
          <Routes>
            <Route path="/watch" element={<Watch />} />
            <Route path="/backends" element={<Then now={<Backends />} past={<PastBackends />} />} />
            <Route path="/backends/new" element={<Register />} />
            <Route path="/backends/readiness" element={<Readiness />} />
            <Route path="/backends/:id" element={<BackendDetail />} />
            <Route path="/backends/:id/commission" element={<Commission />} />
            <Route path="/moorings" element={<Then now={<Moorings />} past={<PastMoorings />} />} />
            <Route path="/moorings/batch" element={<Batch />} />
            <Route path="/classes" element={<Classes />} />
            <Route path="/classes/new" element={<NewClass />} />
            <Route path="/classes/manifests" element={<Manifests />} />
            <Route path="/classes/:name/change" element={<ChangeClass />} />
            <Route path="/classes/:name/successor" element={<Successor />} />
            <Route path="/classes/:name" element={<ClassDetail />} />
            <Route path="/claims" element={<Then now={<Claims />} past={<PastClaims />} />} />
            <Route path="/claims/:namespace/:name" element={<ClaimDetail />} />
            <Route path="/claims/:namespace/:name/proof" element={<Proof />} />
            <Route path="/claims/salvage" element={<Salvage />} />
            <Route path="/claims/buckets" element={<Buckets />} />
            <Route path="/claims/drift" element={<Drift />} />
            <Route path="/apps" element={<Applications />} />
            <Route path="/apps/nodes" element={<Nodes />} />
            <Route path="/apps/new" element={<StartApplication />} />
            <Route path="/apps/:namespace/:name" element={<ApplicationDetail />} />
            <Route path="/namespaces" element={<Namespaces />} />
            <Route path="/namespaces/statement" element={<Statement />} />
            <Route path="/namespaces/runway" element={<Runways />} />
            <Route path="/namespaces/what-if" element={<WhatIf />} />
            <Route path="/namespaces/waste" element={<Waste />} />
            <Route path="/tokens" element={<Tokens />} />
            <Route path="/under-way" element={<UnderWay />} />
            <Route path="*" element={<Navigate to="/watch" replace />} />
          </Routes>
        </Guarded>
        <Apart>
          <Line />
        </Apart>
        <Keys open={keys} setOpen={setKeys} />
        <NoticeBar />
      </Column>
    </PersonContext>
  );
}

function Door() {
  const person = usePerson();
  if (person.data) return <ChartRoom person={person.data} />;
  if (person.error instanceof ApiProblem && person.error.status === 401) return <SignIn />;
  if (person.isError) return <Failed error={person.error} retry={() => void person.refetch()} />;
  return <LinearProgress aria-label="Loading" />;
}

export function App() {
  const look = useLook((s) => s.look);
  const theme = useMemo(() => makeTheme(look), [look]);
  useLayoutEffect(() => void (document.documentElement.dataset.look = look), [look]);
  return (
    <ThemeProvider theme={theme}>
      <CssBaseline enableColorScheme />
      <GlobalStyles styles={{ ':root': { '--second-ink': theme.chart.secondInk } }} />
      <QueryClientProvider client={queryClient}>
        <BrowserRouter>
          <Door />
        </BrowserRouter>
      </QueryClientProvider>
    </ThemeProvider>
  );
}
