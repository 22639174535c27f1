import { zodResolver } from '@hookform/resolvers/zod';
import { Box, Button, Drawer, MenuItem, TextField, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { newClaimSchema, type NewClaim as NewClaimData } from '@moorage/contract/claims';
import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { sizeText } from '@moorage/core/sizes/display';
import { useContext, useMemo, useRef, useState } from 'react';
import { Controller, useForm, useWatch } from 'react-hook-form';
import { ApiProblem, ask } from '../api/client';
import { refresh, usePlacement } from '../api/queries';
import { useInAddress, useSelected } from '../frame/address';
import { Mark } from '../marks/Mark';
import type { TriedClaim } from '../moorings/trial';
import { tunableWords } from '../classes/words';
import { useTrial } from '../moorings/useTrial';
import { PersonContext } from '../parts/person';
import { useNotice } from '../parts/useAct';
import { mono } from '../theme/theme';
import { failureSentence } from '../words/checks';

/** Where the claim would land if it were made now. */
function Forecast({ draft }: { draft: NewClaimData }) {
  const { data: state } = usePlacement();
  const size = parseQuantity(draft.size);
  const bytes = size.ok ? size.bytes : 0;
  const mode = draft.modes[0]!;
  const tried = useMemo<TriedClaim | undefined>(
    () =>
      bytes > 0
        ? {
            size: bytes,
            mode,
            volumeMode: draft.volumeMode,
            namespace: draft.namespace,
            zone: '',
            tuned: draft.tuned,
          }
        : undefined,
    [bytes, mode, draft.volumeMode, draft.namespace, draft.tuned],
  );
  const className = draft.className || state?.defaultClass || undefined;
  const { explained } = useTrial(state, tried, className ? { className, pool: state?.pools[0]?.id ?? '' } : undefined);
  const decision = explained?.className === className ? explained?.decision : undefined;
  const cls = state?.classes.find((c) => c.name === className);
  if (!tried || !state) return null;
  if (!className)
    return <Line kind="person" text="It would name no class, and there is no default class: it would stay pending." />;
  if (!decision) return null;
  if (decision.winner) {
    const got = decision.provisioned!;
    const waits = cls?.binding === 'WaitForFirstConsumer';
    return (
      <Line
        kind={waits ? 'waiting' : 'settled'}
        text={`${waits ? 'Once its first pod is scheduled, it' : 'It'} would land on ${decision.winner}, provisioned as ${sizeText(got)}${got > bytes ? ` (asked ${sizeText(bytes)}; the pool gives whole GiB)` : ''}.`}
      />
    );
  }
  const [first] = decision.candidates;
  const failed = first?.checks.find((c) => !c.passed);
  return (
    <Line
      kind="person"
      text={
        first && failed
          ? `Nothing fits. ${first.pool}: ${failureSentence(failed)}`
          : `Class ${className} is moored to no pool.`
      }
    />
  );
}

function Line({ kind, text }: { kind: 'settled' | 'waiting' | 'person'; text: string }) {
  return (
    <Box
      aria-live="polite"
      sx={{ display: 'flex', gap: 1, alignItems: 'baseline', border: 1, borderColor: 'divider', p: 1.25, fontSize: 13 }}
    >
      <Mark kind={kind} />
      <span>{text}</span>
    </Box>
  );
}

/** What the form begins with, as another place of the interface filled it in; nothing of a text that does not read. */
function readLike(text: string): Partial<NewClaimData> {
  try {
    return newClaimSchema.partial().parse(JSON.parse(text));
  } catch {
    return {}; // an address that somebody changed by hand: the form begins as usual
  }
}

function ClaimForm({ close }: { close: () => void }) {
  const [like] = useInAddress('as');
  const person = useContext(PersonContext);
  const { data: state } = usePlacement();
  const [, select] = useSelected();
  const show = useNotice((s) => s.show);
  const key = useRef(crypto.randomUUID());
  const namespaces =
    state?.namespaces.filter((n) => person?.role !== 'namespace-owner' || person.namespaces.includes(n)) ?? [];
  const form = useForm<NewClaimData>({
    resolver: zodResolver(newClaimSchema),
    mode: 'onTouched',
    defaultValues: {
      namespace: namespaces[0] ?? '',
      name: '',
      className: undefined,
      size: '80Gi',
      modes: ['ReadWriteOnce'],
      volumeMode: 'Filesystem',
      ...readLike(like),
    },
  });
  const { register, control, handleSubmit, setError, formState } = form;
  const draft = useWatch({ control }) as NewClaimData;
  const { errors, isSubmitting } = formState;
  const className = draft.className || state?.defaultClass;
  const allowances = state?.classes.find((c) => c.name === className)?.allowances ?? [];
  const submit = handleSubmit(async (body) => {
    try {
      const made = await ask('createClaim', { body, key: key.current });
      void refresh('claims');
      select(`${made.namespace}/${made.name}`);
      show({ kind: 'done', text: `Claim ${made.namespace}/${made.name} is made.` });
      close();
    } catch (error) {
      key.current = crypto.randomUUID();
      if (!(error instanceof ApiProblem))
        setError('root', { message: 'The server does not answer. What you typed is still here.' });
      else if (error.code === 'platform-exists')
        setError('name', { message: `There is a claim "${body.name}" in ${body.namespace} already.` });
      else
        setError(error.field && error.field in body ? (error.field as keyof NewClaimData) : 'root', {
          message: error.detail,
        });
    }
  });
  const select1 = (
    name: 'namespace' | 'className' | 'volumeMode',
    label: string,
    options: readonly (readonly [string, string])[],
  ) => (
    <Controller
      control={control}
      name={name}
      render={({ field }) => (
        <TextField
          select
          label={label}
          value={field.value ?? ''}
          onChange={(e) => field.onChange(e.target.value || undefined)}
          error={!!errors[name]}
          helperText={errors[name]?.message}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          {options.map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </TextField>
      )}
    />
  );
  const same = (values: readonly string[]) => values.map((v) => [v, v] as const);
  return (
    <Box
      component="form"
      onSubmit={submit}
      noValidate
      sx={{ p: 3, pt: 2, width: 520, display: 'flex', flexDirection: 'column', gap: 2 }}
    >
      <Typography variant="h1" component="h2">
        New claim
      </Typography>
      {select1('namespace', 'Namespace', same(namespaces))}
      <TextField label="Name" autoFocus {...register('name')} error={!!errors.name} helperText={errors.name?.message} />
      {select1('className', 'Class', [
        ['', state?.defaultClass ? `the default, ${state.defaultClass}` : 'none named'],
        ...same(state?.classes.map((c) => c.name) ?? []),
      ])}
      <TextField
        label="Size"
        {...register('size')}
        error={!!errors.size}
        helperText={errors.size?.message ?? 'For example 80Gi; 80G is a little less.'}
        slotProps={{ htmlInput: { spellCheck: false } }}
      />
      <Controller
        control={control}
        name="modes"
        render={({ field }) => (
          <TextField
            select
            label="Access mode"
            value={field.value[0]}
            onChange={(e) => field.onChange([e.target.value])}
          >
            {accessModes.map((m) => (
              <MenuItem key={m} value={m}>
                {m}
              </MenuItem>
            ))}
          </TextField>
        )}
      />
      {select1('volumeMode', 'Volume mode', same(volumeModes))}
      {allowances.length > 0 && (
        <Controller
          control={control}
          name="tuned"
          render={({ field }) => (
            <Box role="group" aria-label="What it tunes" sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
              {allowances.map(({ setting, minimum, maximum }) => (
                <TextField
                  key={setting}
                  label={tunableWords[setting]}
                  placeholder={`${minimum} to ${maximum}`}
                  helperText="Empty: as the class has it."
                  onChange={(e) => {
                    const { [setting]: _before, ...others } = field.value ?? {};
                    const text = e.target.value.trim();
                    const next = text === '' ? others : { ...others, [setting]: Number(text) };
                    field.onChange(Object.keys(next).length > 0 ? next : undefined);
                  }}
                  error={!!errors.tuned}
                  sx={{ width: 200 }}
                  slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: 'numeric' } }}
                />
              ))}
            </Box>
          )}
        />
      )}
      <Forecast draft={draft} />
      {errors.root && (
        <Typography role="alert" variant="body2" color="error">
          {errors.root.message}
        </Typography>
      )}
      <Box sx={{ display: 'flex', gap: 1, justifyContent: 'flex-end' }}>
        <Button onClick={close}>Leave</Button>
        <Button type="submit" variant="contained" disabled={isSubmitting}>
          Make claim
        </Button>
      </Box>
    </Box>
  );
}

const example = `apiVersion: v1
kind: PersistentVolumeClaim
metadata:
  name: level-log
  namespace: tide-gauges
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: general
  resources:
    requests:
      storage: 80Gi
`;

/** Claims and classes written as manifests: checked whole, told by line. */
function ManifestForm({ close }: { close: () => void }) {
  const [text, setText] = useState('');
  const [problem, setProblem] = useState<ApiProblem | 'silent'>();
  const [, select] = useSelected();
  const show = useNotice((s) => s.show);
  const submit = async (event: React.FormEvent) => {
    event.preventDefault();
    try {
      const { made } = await ask('createFromManifest', { body: { text } });
      void refresh('claims');
      const claim = made.find((m) => m.namespace);
      if (claim) select(`${claim.namespace}/${claim.name}`);
      show({
        kind: 'done',
        text: `Made: ${made.map((m) => (m.namespace ? `${m.namespace}/${m.name}` : m.name)).join(', ')}.`,
      });
      close();
    } catch (error) {
      setProblem(error instanceof ApiProblem ? error : 'silent');
    }
  };
  const said =
    problem === 'silent'
      ? ['The server does not answer. What you typed is still here.']
      : problem?.errors.length
        ? problem.errors.map((e) => e.detail)
        : problem
          ? [problem.detail]
          : [];
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => void submit(e)}
      noValidate
      sx={{ p: 3, pt: 1, width: 520, display: 'flex', flexDirection: 'column', gap: 2 }}
    >
      <TextField
        label="Manifest, YAML or JSON"
        multiline
        minRows={18}
        maxRows={26}
        value={text}
        placeholder={example}
        onChange={(e) => {
          setText(e.target.value);
          setProblem(undefined);
        }}
        error={said.length > 0}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { spellCheck: false, style: { fontFamily: mono, fontSize: 12.5 } },
        }}
      />
      {said.length > 0 && (
        <Box component="ul" role="alert" sx={{ m: 0, pl: 2, color: 'error.main', fontSize: 13 }}>
          {said.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </Box>
      )}
      <Typography variant="caption" color="text.secondary">
        Persistent volume claims, and storage classes of this product; several documents are made together or not at
        all.
      </Typography>
      <Box sx={{ display: 'flex', gap: 1, justifyContent: 'flex-end' }}>
        <Button onClick={close}>Leave</Button>
        <Button type="submit" variant="contained" disabled={text.trim() === ''}>
          Make them
        </Button>
      </Box>
    </Box>
  );
}

export function NewClaim({ open, close }: { open: boolean; close: () => void }) {
  const { data } = usePlacement();
  const [as, setAs] = useState<'form' | 'manifest'>('form');
  return (
    <Drawer
      anchor="right"
      open={open && data !== undefined}
      onClose={close}
      slotProps={{ paper: { 'aria-label': 'New claim' } }}
    >
      <ToggleButtonGroup
        exclusive
        size="small"
        value={as}
        aria-label="Write it as"
        onChange={(_e, v: typeof as | null) => v && setAs(v)}
        sx={{ px: 3, pt: 2, pb: 1 }}
      >
        <ToggleButton value="form">as a form</ToggleButton>
        <ToggleButton value="manifest">as a manifest</ToggleButton>
      </ToggleButtonGroup>
      {as === 'form' ? <ClaimForm close={close} /> : <ManifestForm close={close} />}
    </Drawer>
  );
}
