import { protocols } from '@moorage/core/classes/protocol';
import { zodResolver } from '@hookform/resolvers/zod';
import { Box, Button, LinearProgress, Paper, TextField, Typography } from '@mui/material';
import { filledClassSchema, type NewClass } from '@moorage/contract/classes';
import { readManifestText, writeClassInto, type ReadObject } from '@moorage/manifests/text';
import { isHere, type PlacementState } from '@moorage/contract/moorings';
import { toCorePool } from '@moorage/contract/pool-state';
import { toManifest } from '@moorage/core/classes/manifest';
import {
  purposes,
  rootsOnNodes,
  strategies,
  volumeModes,
  type StorageClass,
} from '@moorage/core/classes/storage-class';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { FormProvider, useForm, useFormContext, useWatch } from 'react-hook-form';
import { stringify } from 'yaml';
import { useGo } from '../frame/address';
import { AllowanceFields } from './AllowanceFields';
import { consequencesOf, type Consequences } from './consequences';
import { Choice, Figure, Flag, Names, Pick } from './fields';
import { ProtectionField } from './ProtectionField';
import { PoolLines } from './PoolLines';
import { ReadyNodes } from './ReadyNodes';
import { Question } from './Question';
import { RateField } from './RateField';
import { SafeguardField } from './SafeguardField';
import { purposeWords, rootWords } from './words';
import { Fill, Row, Sheet } from '../parts/layout';

const ManifestEditor = lazy(() => import('./ManifestEditor'));
const SpeedChart = lazy(() => import('./SpeedChart'));

/** Options of the mount command that both file systems know; any other may be typed. */
const usualMountOptions = ['discard', 'noatime', 'nodiratime', 'nodev', 'noexec', 'nosuid', 'relatime', 'ro'];

function Questions({
  consequences,
  draft,
  state,
}: {
  consequences: Consequences;
  draft: StorageClass;
  state: PlacementState;
}) {
  const { setValue } = useFormContext<NewClass>();
  const pools = useMemo(() => state.pools.filter((p) => isHere(state, p)).map(toCorePool), [state]);
  const witness = draft.copies === 2 && !draft.shards;
  // a witness without two copies is no choice that can be seen: it goes with them
  useEffect(() => {
    if (!witness && draft.witness) setValue('witness', false);
  }, [witness, draft.witness, setValue]);
  const known = useMemo(() => {
    const disks = state.pools.filter((p) => isHere(state, p)).flatMap((p) => p.facts.disks);
    const named = (of: 'node' | 'zone') => [...new Set(disks.map((d) => d[of]))].filter(Boolean).sort();
    return { nodes: named('node'), zones: named('zone') };
  }, [state]);
  return (
    <>
      <Question
        title="How many copies, and where?"
        consequences={consequences.copies}
        extra={<PoolLines cls={draft} state={state} />}
      >
        <ProtectionField />
        <Choice
          name="level"
          label="In different"
          options={[
            ['node', 'nodes'],
            ['rack', 'racks'],
            ['zone', 'zones'],
          ]}
        />
        {witness && <Flag name="witness" label="A witness: a third vote without data" />}
        <Flag name="secondCopy" label="A second copy on another backend" />
        <Flag name="offsite" label="A copy at another site, written later" />
        <Flag name="locality" label="One copy on the first pod’s node" />
        <Names name="pinnedNodes" label="Pinned nodes" help="Copies only there." known={known.nodes} />
        <Names name="zones" label="Zones allowed" help="Empty allows any." known={known.zones} />
        <Pick
          name="strategy"
          label="Among fitting pools"
          options={strategies.map((s) => [s, s.replace('-', ' ')])}
          help="In order, the one with most room, or the one it fills best."
        />
      </Question>
      <Question
        title="How fast?"
        consequences={consequences.speed}
        extra={
          <Suspense fallback={<LinearProgress aria-label="Loading" />}>
            <SpeedChart cls={draft} pools={pools} />
          </Suspense>
        }
      >
        <RateField name="iopsFloor" label="IOPS floor (reserved)" unit="IOPS" />
        <RateField name="iopsCeiling" label="IOPS ceiling (enforced)" unit="IOPS" />
        <RateField name="throughputFloor" label="Throughput floor" unit="MB/s" />
        <RateField name="throughputCeiling" label="Throughput ceiling" unit="MB/s" />
        <Row>
          <Figure name="writeShare" label="Writes, % of load" empty={undefined} scale={100} width={130} />
          <Figure name="latencyAimMs" label="Latency aim, ms" empty={undefined} width={130} />
        </Row>
      </Question>
      <Question title="How is it kept?" consequences={consequences.keeping}>
        <Pick name="purpose" label="Meant for" options={purposes.map((p) => [p, purposeWords[p]])} />
        <Names name="protocols" label="Reached by" help="Empty allows any protocol." known={protocols} />
        <ReadyNodes asked={draft.protocols ?? []} />
        <Flag name="encrypted" label="Encrypted at rest" />
        <Flag name="compression" label="Compressed" />
        <Flag name="deduplication" label="Deduplicated" />
        <Choice
          name="volumeMode"
          label="Volume mode"
          options={[['any', 'any'], ...volumeModes.map((m) => [m, m] as const)]}
        />
        <Pick
          name="fileSystem"
          label="File system"
          options={[
            ['', 'as the platform does'],
            ['ext4', 'ext4'],
            ['xfs', 'xfs'],
          ]}
        />
        <Names
          name="mountOptions"
          label="Mount options"
          help="For example noatime, discard."
          known={usualMountOptions}
        />
        <Pick
          name="root"
          label="Root on nodes, in shares"
          options={[['', 'as the backend does'], ...rootsOnNodes.map((r) => [r, rootWords[r]] as const)]}
        />
      </Question>
      <Question title="What happens at the end?" consequences={consequences.ending}>
        <Choice
          name="reclaim"
          label="When the claim is deleted"
          options={[
            ['Retain', 'keep the volume'],
            ['Delete', 'destroy the volume'],
          ]}
        />
        <Figure name="graceDays" label="Grace, days" help="Time before a deleted claim's volume may go." empty={0} />
        <Choice
          name="binding"
          label="The volume is made"
          options={[
            ['Immediate', 'at once'],
            ['WaitForFirstConsumer', 'with its first pod'],
          ]}
        />
        <SafeguardField />
        <Flag name="expansion" label="Claims may grow" />
        <Flag name="isDefault" label="The default, for claims that name no class" />
      </Question>
      <Question title="What may a claim tune?" consequences={consequences.tuning}>
        <AllowanceFields namespaces={state.namespaces} />
      </Question>
    </>
  );
}

/** The first class of ours in a text: the one the questions are about. */
const ourIn = (text: string): ReadObject | undefined => readManifestText(text).find((o) => o.what === 'ours');

export interface Filled {
  readonly cls: NewClass;
  /** The manifest as it stands in the editor. */
  readonly text: string;
}

/** The five questions on the left, what they bring about beside them, and the manifest on the right: each changes the other. */
export function ClassForm({
  state,
  start,
  usedBy = 0,
  keepsName = false,
  taken,
  refused,
  verb,
  onSubmit,
  more,
  kept,
}: {
  state: PlacementState;
  start: NewClass;
  /** Claims of stateful sets that use it. */
  usedBy?: number;
  /** The name cannot be changed. */
  keepsName?: boolean;
  taken: (name: string) => string | undefined;
  refused?: string;
  verb: string;
  onSubmit: (filled: Filled) => Promise<void>;
  /** Under which what was typed is kept in this browser until it is sent; a reload loses nothing. */
  kept?: string;
  /** A second way to end, beside the first. */
  more?: { verb: string; act: (filled: Filled) => void };
}) {
  const go = useGo();
  const form = useForm<NewClass>({ resolver: zodResolver(filledClassSchema), defaultValues: start, mode: 'onChange' });
  const { register, control, handleSubmit, formState, reset } = form;
  const watched = useWatch({ control });
  const draft = useMemo((): NewClass => {
    const filled = { ...start, ...watched } as NewClass;
    return filled.shards ? { ...filled, copies: filled.shards.parity + 1 } : filled;
  }, [start, watched]);
  const [text, setText] = useState(() => stringify(toManifest(start, start.isDefault)));
  useEffect(() => {
    const before = kept === undefined ? null : sessionStorage.getItem(kept);
    if (before !== null) typed(before);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when the form opens
  }, []);
  useEffect(() => {
    if (kept !== undefined && formState.isDirty) sessionStorage.setItem(kept, text);
  }, [kept, text, formState.isDirty]);
  // counts what the editor brought in: fields that keep their own text begin anew with it
  const [brought, setBrought] = useState(0);
  useEffect(() => {
    const { isDefault, ...cls } = draft;
    const named = filledClassSchema.safeParse({ ...draft, name: draft.name || 'unnamed' });
    if (!named.success) return;
    setText((now) => {
      const object = ourIn(now);
      return object ? writeClassInto(now, object, cls, isDefault) : now;
    });
  }, [draft]);
  const typed = (next: string) => {
    setText(next);
    const object = ourIn(next);
    if (!object?.storageClass || object.problems.some((p) => p.path.length === 0)) return;
    reset({ ...start, ...cleared, ...object.storageClass, isDefault: object.isDefault }, { keepErrors: true });
    setBrought((n) => n + 1);
    void form.trigger();
  };
  const objects = useMemo(() => readManifestText(text), [text]);
  const wrong = objects.flatMap((o) => o.problems).filter((p) => p.path.join('.') !== 'metadata.name' || draft.name);
  const consequences = useMemo(() => consequencesOf(draft, state, usedBy), [draft, state, usedBy]);
  const dead = Object.values(consequences)
    .flat()
    .some((c) => c.tone === 'impossible');
  const { errors, isSubmitting } = formState;
  const occupied = taken(draft.name);
  const blocked = occupied !== undefined || dead || wrong.length > 0;
  return (
    <FormProvider {...form}>
      <Box
        component="form"
        onSubmit={handleSubmit(() => onSubmit({ cls: draft, text }))}
        noValidate
        sx={{ display: 'grid', gridTemplateColumns: 'minmax(600px, 1fr) minmax(360px, 460px)', gap: 2, height: '100%' }}
      >
        <Sheet sx={{ overflow: 'auto', minHeight: 0 }}>
          <Row gap={1.5} align="flex-start" sx={{ pb: 1.5 }}>
            <TextField
              label="Name of the class"
              autoFocus={!keepsName}
              {...register('name')}
              error={!!errors.name || occupied !== undefined}
              helperText={errors.name?.message ?? occupied ?? ' '}
              sx={{ width: 260 }}
              slotProps={{ inputLabel: { shrink: true }, htmlInput: { readOnly: keepsName } }}
            />
            <Fill />
            <Button onClick={() => go('/classes')}>Leave</Button>
            {more && (
              <Button
                disabled={blocked || !draft.name || Object.keys(errors).length > 0}
                onClick={() => more.act({ cls: draft, text })}
              >
                {more.verb}
              </Button>
            )}
            <Button type="submit" variant="contained" disabled={isSubmitting || blocked}>
              {verb}
            </Button>
          </Row>
          {refused && (
            <Typography role="alert" color="error" variant="body2" sx={{ pb: 1 }}>
              {refused}
            </Typography>
          )}
          <Questions key={brought} consequences={consequences} draft={draft} state={state} />
        </Sheet>
        <Paper
          component="section"
          aria-label="Manifest"
          sx={{ p: 1.5, display: 'flex', flexDirection: 'column', minHeight: 0 }}
        >
          <Typography variant="h2">The manifest the platform gets</Typography>
          <Typography
            variant="caption"
            color={wrong.length > 0 ? 'error' : 'text.secondary'}
            aria-live="polite"
            sx={{ pb: 0.75 }}
          >
            {wrong.length > 0
              ? `Line ${wrong[0]!.line}: ${wrong[0]!.detail}`
              : 'Change it here or in the questions; comments and members we do not know stay. Ctrl-Space completes; Escape, then Tab leaves the editor.'}
          </Typography>
          <Box sx={{ flex: 1, minHeight: 0, border: 1, borderColor: 'divider' }}>
            <Suspense fallback={<LinearProgress aria-label="Loading" />}>
              <ManifestEditor text={text} onChange={typed} label="Manifest of the class" naming="later" />
            </Suspense>
          </Box>
        </Paper>
      </Box>
    </FormProvider>
  );
}

/** What a class may leave out: a manifest that no longer says it takes it out of the answers. */
const cleared: Partial<NewClass> = {
  shards: undefined,
  iopsFloor: undefined,
  iopsCeiling: undefined,
  throughputFloor: undefined,
  throughputCeiling: undefined,
  latencyAimMs: undefined,
  fileSystem: undefined,
  root: undefined,
  safeguard: undefined,
};
