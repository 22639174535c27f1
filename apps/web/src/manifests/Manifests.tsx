import { Box, Button, LinearProgress, Paper, Typography } from '@mui/material';
import { readManifestText, type ReadObject } from '@moorage/manifests/text';
import { provisioner } from '@moorage/core/classes/manifest';
import { lazy, Suspense, useContext, useMemo, useRef, useState } from 'react';
import { stringify } from 'yaml';
import { useClasses, useForeignClasses } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Place } from '../parts/Place';
import { PersonContext, useMay } from '../parts/person';
import { Plain, Row } from '../parts/layout';
import { Apply } from './Plan';
import { fateLines, foreseen, markOf, type Foreseen } from './plan-words';
import { usePlan } from './usePlan';

const ManifestEditor = lazy(() => import('../classes/ManifestEditor'));

const whatWords: Record<ReadObject['what'], string> = {
  ours: 'a class of ours',
  foreign: 'a class of another provisioner, kept as it is',
  claim: 'a claim',
  volume: 'a volume that a backend has already',
  other: 'not for us, kept as it is',
  broken: 'cannot be read',
};

/** Without what the platform adds by itself, so that it can be given to any platform. */
function bare(manifest: unknown): unknown {
  const { metadata, status: _status, ...rest } = manifest as { metadata: Record<string, unknown>; status?: unknown };
  const { name, labels, annotations } = metadata;
  return { ...rest, metadata: { name, ...(labels ? { labels } : {}), ...(annotations ? { annotations } : {}) } };
}

function Read({
  object,
  fate,
  show,
}: {
  object: ReadObject;
  /** What becomes of it, once that is known. */
  fate: Foreseen | undefined;
  show: (line: number) => void;
}) {
  const { what, kind, name, line, problems, understood } = object;
  const currency = useContext(PersonContext)?.currency;
  const faulty = new Set(problems.map((p) => p.path.join('.')));
  const kept = object.kept.filter((m) => !faulty.has(m.path));
  return (
    <Box component="li" sx={{ borderTop: 1, borderColor: 'divider', py: 1 }}>
      <Row align="baseline">
        <Typography variant="h3" component="span">
          {name || '(no name)'}
        </Typography>
        <Typography variant="body2" color="text.secondary" sx={{ flex: 1 }}>
          {what === 'other' ? `${kind}, ${whatWords.other}` : whatWords[what]}
        </Typography>
        <Button sx={{ minHeight: 22, py: 0 }} onClick={() => show(line)}>
          line {line}
        </Button>
      </Row>
      {problems.map((p) => (
        <Row key={`${p.from} ${p.detail}`} sx={{ fontSize: 13, color: 'error.main' }}>
          <Mark kind="person" />
          <span>
            Line {p.line}
            {p.path.length > 0 && `, ${p.path.join('.')}`}: {p.detail}
          </span>
        </Row>
      ))}
      {fate &&
        problems.length === 0 &&
        fateLines(fate, currency).map((said) => (
          <Row key={said} align="baseline" sx={{ fontSize: 13, fontWeight: 600 }}>
            <Mark kind={markOf(fate)} />
            <span>{said}</span>
          </Row>
        ))}
      {understood.length > 0 && (
        <Typography variant="body2">
          Understood:{' '}
          {understood
            .filter((m) => m.path !== 'kind' && m.path !== 'apiVersion')
            .map((m) => m.path.replace(/^parameters\./, '').replace(`${provisioner}/`, ''))
            .join(', ')}
          .
        </Typography>
      )}
      {kept.length > 0 && what !== 'other' && (
        <Typography variant="body2" color="text.secondary">
          Kept untouched: {kept.map((m) => `${m.path} (line ${m.line})`).join(', ')}.
        </Typography>
      )}
    </Box>
  );
}

/** Manifests from anywhere: read, told what was understood, mended in their lines, and given to the platform. */
export default function Manifests() {
  const may = useMay('administrator', 'operator');
  const { data: classes } = useClasses();
  const { data: foreign } = useForeignClasses();
  const [text, setText] = useState('');
  const file = useRef<HTMLInputElement>(null);
  const holder = useRef<HTMLDivElement>(null);
  const objects = useMemo(() => readManifestText(text), [text]);
  const planned = usePlan(text, may);
  const fates = planned.isFresh && planned.plan ? foreseen(planned.plan, planned.landing) : undefined;
  const wrong = objects.reduce((sum, o) => sum + o.problems.length, 0);
  const showLine = (line: number) =>
    holder.current?.querySelectorAll<HTMLElement>('.cm-line')[line - 1]?.scrollIntoView({ block: 'center' });
  const all = [...(classes ?? []), ...(foreign ?? [])].map((c) => stringify(bare(c.manifest))).join('---\n');
  return (
    <Place
      title="Manifests"
      question="What does a manifest mean here, and what is wrong with it? YAML with one or several documents, JSON, or lists."
      actions={
        <>
          <input
            ref={file}
            type="file"
            accept=".yaml,.yml,.json"
            hidden
            aria-label="Manifest file"
            onChange={(e) => void e.target.files?.[0]?.text().then(setText)}
          />
          <Button onClick={() => file.current?.click()}>Open a file</Button>
          <Button disabled={!classes} onClick={() => setText(all)}>
            All classes as text
          </Button>
          <Button disabled={!text} onClick={() => void navigator.clipboard.writeText(text)}>
            Copy
          </Button>
        </>
      }
    >
      <Box
        sx={{ display: 'grid', gridTemplateColumns: 'minmax(480px, 1.3fr) minmax(360px, 1fr)', gap: 2, height: '100%' }}
      >
        <Paper ref={holder} sx={{ minHeight: 0, overflow: 'hidden' }}>
          <Suspense fallback={<LinearProgress aria-label="Loading" />}>
            <ManifestEditor text={text} onChange={setText} label="Manifests" />
          </Suspense>
        </Paper>
        <Paper component="section" aria-label="What was read" sx={{ p: 1.5, overflow: 'auto', minHeight: 0 }}>
          <Typography variant="h2" aria-live="polite">
            {objects.length === 0
              ? 'Nothing to read yet'
              : `${objects.length} ${objects.length === 1 ? 'object' : 'objects'}, ${wrong === 0 ? 'no fault in the text' : `${wrong} ${wrong === 1 ? 'fault' : 'faults'} to mend`}`}
          </Typography>
          {objects.length === 0 && (
            <Typography variant="body2" color="text.secondary">
              Type or paste a manifest on the left, open a file, or take all classes as they stand.
            </Typography>
          )}
          {may && objects.length > 0 && <Apply text={text} of={planned} done={() => undefined} />}
          <Plain>
            {objects.map((o, i) => (
              <Read key={`${o.document}/${o.item ?? ''}/${o.from}`} object={o} fate={fates?.[i]} show={showLine} />
            ))}
          </Plain>
        </Paper>
      </Box>
    </Place>
  );
}
