import { zodResolver } from '@hookform/resolvers/zod';
import {
  Box,
  Button,
  Checkbox,
  FormControlLabel,
  MenuItem,
  Paper,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { filledClassSchema, type ClassRow, type NewClass as NewClassData } from '@moorage/contract/classes';
import type { PlacementState } from '@moorage/contract/moorings';
import { toManifest } from '@moorage/core/classes/manifest';
import { strategies } from '@moorage/core/classes/storage-class';
import { useMemo, useRef } from 'react';
import { Controller, FormProvider, useForm, useFormContext, useWatch } from 'react-hook-form';
import { stringify } from 'yaml';
import { ApiProblem, call } from '../api/client';
import { queryClient, usePlacement } from '../api/queries';
import { useGo } from '../frame/address';
import { Place } from '../parts/Place';
import { Fetched } from '../parts/States';
import { useNotice } from '../parts/useAct';
import { consequencesOf, type Consequence, type Consequences } from './consequences';
import { Manifest } from './Manifest';
import { Question } from './Question';
import { RateField } from './RateField';

const start: NewClassData = {
  name: '',
  copies: 3,
  encrypted: false,
  writeShare: 0.3,
  reclaim: 'Retain',
  binding: 'Immediate',
  expansion: true,
  strategy: 'in-order',
  zones: [],
  locality: false,
  isDefault: false,
};

function Choice({
  name,
  label,
  options,
}: {
  name: 'reclaim' | 'binding';
  label: string;
  options: readonly [string, string][];
}) {
  return (
    <Controller<NewClassData, typeof name>
      name={name}
      render={({ field }) => (
        <Box>
          <Typography variant="caption" color="text.secondary" id={`${name}-label`}>
            {label}
          </Typography>
          <div>
            <ToggleButtonGroup
              exclusive
              size="small"
              value={field.value}
              aria-labelledby={`${name}-label`}
              onChange={(_e, v: string | null) => v && field.onChange(v)}
            >
              {options.map(([value, words]) => (
                <ToggleButton key={value} value={value}>
                  {words}
                </ToggleButton>
              ))}
            </ToggleButtonGroup>
          </div>
        </Box>
      )}
    />
  );
}

function Flag({ name, label }: { name: 'encrypted' | 'expansion' | 'isDefault'; label: string }) {
  return (
    <Controller<NewClassData, typeof name>
      name={name}
      render={({ field }) => (
        <FormControlLabel
          control={<Checkbox size="small" checked={field.value} onChange={(e) => field.onChange(e.target.checked)} />}
          label={label}
        />
      )}
    />
  );
}

function Questions({ consequences }: { consequences: Consequences }) {
  const { register, formState } = useFormContext<NewClassData>();
  const { errors } = formState;
  const zones = useWatch<NewClassData, 'zones'>({ name: 'zones' });
  return (
    <>
      <Question title="How many copies, and where?" consequences={consequences.copies}>
        <Controller<NewClassData, 'copies'>
          name="copies"
          render={({ field }) => (
            <ToggleButtonGroup
              exclusive
              size="small"
              value={field.value}
              aria-label="Copies"
              onChange={(_e, v: number | null) => v && field.onChange(v)}
            >
              {[1, 2, 3, 4, 5].map((n) => (
                <ToggleButton key={n} value={n} aria-label={`${n} ${n === 1 ? 'copy' : 'copies'}`}>
                  {n}
                </ToggleButton>
              ))}
            </ToggleButtonGroup>
          )}
        />
        <Controller<NewClassData, 'zones'>
          name="zones"
          render={({ field }) => (
            <TextField
              label="Zones allowed"
              placeholder="any"
              defaultValue={zones.join(', ')}
              onChange={(e) => field.onChange(e.target.value.split(/[\s,]+/).filter(Boolean))}
              slotProps={{ inputLabel: { shrink: true } }}
              helperText="Names with commas; empty allows any."
              error={!!errors.zones}
            />
          )}
        />
        <TextField
          select
          label="Among fitting pools"
          defaultValue={start.strategy}
          {...register('strategy')}
          helperText="In order, the one with most room, or the one it fills best."
        >
          {strategies.map((s) => (
            <MenuItem key={s} value={s}>
              {s.replace('-', ' ')}
            </MenuItem>
          ))}
        </TextField>
      </Question>
      <Question title="How fast?" consequences={consequences.speed}>
        <RateField name="iopsFloor" label="IOPS floor (reserved)" />
        <RateField name="iopsCeiling" label="IOPS ceiling (enforced)" />
        <Controller<NewClassData, 'writeShare'>
          name="writeShare"
          render={({ field }) => (
            <TextField
              label="Writes in the load, %"
              defaultValue={Math.round(field.value * 100)}
              onChange={(e) => field.onChange(Number(e.target.value) / 100)}
              error={!!errors.writeShare}
              helperText={errors.writeShare ? 'A share from 0 to 100.' : 'A write costs the pool once for each copy.'}
            />
          )}
        />
      </Question>
      <Question title="How is it kept?" consequences={consequences.keeping}>
        <Flag name="encrypted" label="Encrypted at rest" />
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
        <Choice
          name="binding"
          label="The volume is made"
          options={[
            ['Immediate', 'at once'],
            ['WaitForFirstConsumer', 'with its first pod'],
          ]}
        />
        <Flag name="expansion" label="Claims may grow" />
        <Flag name="isDefault" label="The default, for claims that name no class" />
      </Question>
    </>
  );
}

const isImpossible = (c: Consequence): boolean => c.tone === 'impossible';

function ClassForm({ state }: { state: PlacementState }) {
  const go = useGo();
  const show = useNotice((s) => s.show);
  const key = useRef(crypto.randomUUID());
  const form = useForm<NewClassData>({
    resolver: zodResolver(filledClassSchema),
    defaultValues: start,
    mode: 'onChange',
  });
  const { register, control, handleSubmit, setError, formState } = form;
  const watched = useWatch({ control });
  const draft = useMemo(() => ({ ...start, ...watched }) as NewClassData, [watched]);
  const consequences = useMemo(() => consequencesOf(draft, state), [draft, state]);
  const dead = Object.values(consequences).flat().some(isImpossible);
  const manifest = useMemo(
    () => stringify(toManifest({ ...draft, name: draft.name || 'unnamed' }, draft.isDefault)),
    [draft],
  );
  const taken = state.classes.some((c) => c.name === draft.name);
  const submit = handleSubmit(async (body) => {
    try {
      await call<ClassRow>('/api/classes', { method: 'POST', body, key: key.current });
      await queryClient.invalidateQueries({ queryKey: ['classes'] });
      await queryClient.invalidateQueries({ queryKey: ['placement'] });
      show({ kind: 'done', text: `Class ${body.name} is made. Moor it to pools, or its claims stay pending.` });
      go('/moorings');
    } catch (error) {
      key.current = crypto.randomUUID();
      if (!(error instanceof ApiProblem))
        setError('root', { message: 'The server does not answer. What you typed is still here.' });
      else if (error.code === 'platform-exists') setError('name', { message: 'A class of this name exists already.' });
      else
        setError((error.field?.replace(/^metadata\./, '') as 'name' | undefined) ?? 'root', { message: error.detail });
    }
  });
  const { errors, isSubmitting } = formState;
  return (
    <FormProvider {...form}>
      <Box
        component="form"
        onSubmit={submit}
        noValidate
        sx={{ display: 'grid', gridTemplateColumns: 'minmax(620px, 1fr) 380px', gap: 2, alignItems: 'start' }}
      >
        <Paper sx={{ p: 2 }}>
          <Box sx={{ display: 'flex', gap: 2, alignItems: 'flex-start', pb: 1.5 }}>
            <TextField
              label="Name of the class"
              autoFocus
              {...register('name')}
              error={!!errors.name || taken}
              helperText={errors.name?.message ?? (taken ? 'A class of this name exists already.' : ' ')}
              sx={{ width: 280 }}
            />
            <Box sx={{ flex: 1 }} />
            <Button onClick={() => go('/classes')}>Leave</Button>
            <Button type="submit" variant="contained" disabled={isSubmitting || taken || dead}>
              Make class
            </Button>
          </Box>
          {errors.root && (
            <Typography role="alert" color="error" variant="body2" sx={{ pb: 1 }}>
              {errors.root.message}
            </Typography>
          )}
          <Questions consequences={consequences} />
        </Paper>
        <Manifest text={manifest} title="The manifest the platform gets" />
      </Box>
    </FormProvider>
  );
}

export default function NewClass() {
  const query = usePlacement();
  return (
    <Place title="New class" question="Each answer shows what it brings about, on the pools as they are now.">
      <Fetched query={query}>{(state) => <ClassForm state={state} />}</Fetched>
    </Place>
  );
}
