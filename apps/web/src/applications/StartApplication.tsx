import { zodResolver } from '@hookform/resolvers/zod';
import { Button, TextField, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { newApplicationSchema, type NewApplication } from '@moorage/contract/applications';
import { applicationManifests } from '@moorage/core/applications/set-manifest';
import { accessModes } from '@moorage/core/classes/storage-class';
import { useContext, useEffect, useMemo, useRef, useState } from 'react';
import { Controller, useFieldArray, useForm, useWatch, type Control } from 'react-hook-form';
import { stringify } from 'yaml';
import { useApplicationPlan } from '../api/application-queries';
import { ApiProblem, ask } from '../api/client';
import { refresh, usePlacement } from '../api/queries';
import { useGo } from '../frame/address';
import { OneOf, type Option } from '../parts/OneOf';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { PersonContext, useMay } from '../parts/person';
import { Place } from '../parts/Place';
import { Failed, Forbidden, Waiting } from '../parts/States';
import { useNotice } from '../parts/useAct';
import { mono } from '../theme/theme';
import { PlanOf } from './PlanOf';
import { StartFromText } from './StartFromText';

const settleMs = 250;

/** What is typed once it rests, where it reads. */
function useRested(draft: unknown): NewApplication | undefined {
  const [rested, setRested] = useState<NewApplication>();
  const text = JSON.stringify(draft);
  useEffect(() => {
    const timer = setTimeout(() => {
      const read = newApplicationSchema.safeParse(JSON.parse(text));
      setRested(read.success ? read.data : undefined);
    }, settleMs);
    return () => clearTimeout(timer);
  }, [text]);
  return rested;
}

const keeps: Option<'Retain' | 'Delete'>[] = [
  ['Retain', 'their claims stay'],
  ['Delete', 'their claims are deleted'],
];

/** One of the values of a field. */
function Choice({
  control,
  name,
  label,
  options,
  width,
}: {
  control: Control<NewApplication>;
  width?: number;
  name: 'namespace' | 'spread' | 'whenScaled' | 'whenDeleted' | `templates.${number}.className`;
  label: string;
  options: readonly Option<string>[];
}) {
  return (
    <Controller
      control={control}
      name={name}
      render={({ field, fieldState: { error } }) => (
        <OneOf
          label={label}
          value={field.value}
          options={options}
          width={width}
          choose={field.onChange}
          error={!!error}
          helperText={error?.message}
        />
      )}
    />
  );
}

function Templates({ control, classes }: { control: Control<NewApplication>; classes: readonly string[] }) {
  const { fields, append, remove } = useFieldArray({ control, name: 'templates' });
  return (
    <Column gap={1.5}>
      <Typography variant="h3">Claim templates: each replica gets a claim of each</Typography>
      {fields.map((field, i) => (
        <Row key={field.id} gap={1} align="flex-start">
          <Controller
            control={control}
            name={`templates.${i}.name`}
            render={({ field: f, fieldState: { error } }) => (
              <TextField label="Template" {...f} error={!!error} helperText={error?.message} sx={{ width: 104 }} />
            )}
          />
          <Choice control={control} name={`templates.${i}.className`} label="Class" options={classes} />
          <Controller
            control={control}
            name={`templates.${i}.size`}
            render={({ field: f, fieldState: { error } }) => (
              <TextField label="Size" {...f} error={!!error} helperText={error?.message} sx={{ width: 92 }} />
            )}
          />
          <Controller
            control={control}
            name={`templates.${i}.modes`}
            render={({ field: f }) => (
              <OneOf
                label="Access mode"
                value={f.value[0] ?? ''}
                options={accessModes}
                choose={(mode) => f.onChange([mode])}
              />
            )}
          />
          {fields.length > 1 && (
            <Button onClick={() => remove(i)} aria-label={`Take template ${i + 1} away`}>
              Take away
            </Button>
          )}
        </Row>
      ))}
      <div>
        <Button
          onClick={() =>
            append({
              ...{ name: `data-${fields.length + 1}`, className: classes[0] ?? '', size: '10Gi' },
              ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
            })
          }
        >
          One more template
        </Button>
      </div>
    </Column>
  );
}

/** What is asked for so far, its plan, and its manifest. */
function Outcome({ asked, isNewNamespace }: { asked: NewApplication | undefined; isNewNamespace: boolean }) {
  const plan = useApplicationPlan(asked);
  const text = useMemo(
    () =>
      asked &&
      applicationManifests(asked, isNewNamespace)
        .map((o) => stringify(o, { aliasDuplicateObjects: false }))
        .join('---\n'),
    [asked, isNewNamespace],
  );
  return (
    <Column gap={1.5} sx={{ flex: 1, minWidth: 0 }}>
      <Sheet>
        <Typography variant="h2" sx={{ mb: 1 }}>
          Where all of it would go
        </Typography>
        {!asked && <Typography variant="body2">Fill in the form; each change is reckoned at once.</Typography>}
        {asked && plan.isError && <Failed error={plan.error} retry={() => void plan.refetch()} />}
        {asked && plan.isPending && <Waiting />}
        {asked && plan.data && <PlanOf plan={plan.data} />}
      </Sheet>
      {text && (
        <Sheet>
          <Row align="baseline">
            <Typography variant="h2">What the platform is given</Typography>
            <Fill />
            <Button onClick={() => void navigator.clipboard.writeText(text)}>Copy</Button>
          </Row>
          <pre style={{ margin: 0, fontFamily: mono, fontSize: 12, overflow: 'auto', maxHeight: 320 }}>{text}</pre>
        </Sheet>
      )}
    </Column>
  );
}

function Form() {
  const person = useContext(PersonContext);
  const { data: state } = usePlacement();
  const go = useGo();
  const show = useNotice((s) => s.show);
  const key = useRef(crypto.randomUUID());
  const isOwner = person?.role === 'namespace-owner';
  const namespaces = state?.namespaces.filter((n) => !isOwner || person.namespaces.includes(n)) ?? [];
  const classes = state?.classes.map((c) => c.name) ?? [];
  const { control, register, handleSubmit, setError, formState } = useForm<NewApplication>({
    resolver: zodResolver(newApplicationSchema),
    mode: 'onTouched',
    defaultValues: {
      ...{ namespace: namespaces[0] ?? '', name: '', replicas: 3, image: '', port: 8080, ordered: true },
      ...({ spread: 'zones', whenScaled: 'Retain', whenDeleted: 'Retain' } as const),
      templates: [
        {
          ...{ name: 'data', className: state?.defaultClass ?? classes[0] ?? '', size: '80Gi' },
          ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
        },
      ],
    },
  });
  const { errors, isSubmitting } = formState;
  const draft = useWatch({ control });
  const asked = useRested(draft);
  const isNewNamespace = Boolean(draft.namespace && !namespaces.includes(draft.namespace));
  const submit = handleSubmit(async (body) => {
    try {
      await ask('startApplication', { body, key: key.current });
      void refresh('applications', 'claims', 'namespaces');
      show({ kind: 'done', text: `${body.namespace}/${body.name} is started.` });
      go(`/apps/${body.namespace}/${body.name}`);
    } catch (error) {
      key.current = crypto.randomUUID();
      if (!(error instanceof ApiProblem))
        setError('root', { message: 'The server does not answer. What you typed is still here.' });
      else
        setError(error.field === 'name' || error.field === 'namespace' ? error.field : 'root', {
          message: error.detail,
        });
    }
  });
  return (
    <Row gap={2} align="flex-start">
      <Sheet sx={{ width: 560, flex: 'none' }}>
        <Column component="form" onSubmit={submit} noValidate gap={2}>
          <Row gap={1} align="flex-start">
            <TextField
              label="Namespace"
              {...register('namespace')}
              error={!!errors.namespace}
              helperText={
                errors.namespace?.message ??
                (isNewNamespace && !isOwner ? 'It is not there yet: it is made as well.' : undefined)
              }
              sx={{ flex: 1 }}
              slotProps={{ htmlInput: { list: 'namespaces', spellCheck: false } }}
            />
            <datalist id="namespaces">
              {namespaces.map((n) => (
                <option key={n} value={n} />
              ))}
            </datalist>
            <TextField
              label="Name"
              autoFocus
              {...register('name')}
              error={!!errors.name}
              helperText={errors.name?.message}
              sx={{ flex: 1 }}
            />
            <TextField
              label="Replicas"
              {...register('replicas', { valueAsNumber: true })}
              error={!!errors.replicas}
              helperText={errors.replicas?.message}
              sx={{ width: 88 }}
              slotProps={{ htmlInput: { inputMode: 'numeric' } }}
            />
          </Row>
          <Row gap={1} align="flex-start">
            <TextField
              label="Image"
              {...register('image')}
              error={!!errors.image}
              helperText={errors.image?.message}
              placeholder="what its pods run"
              sx={{ flex: 1 }}
              slotProps={{ inputLabel: { shrink: true }, htmlInput: { spellCheck: false } }}
            />
            <TextField
              label="Port"
              {...register('port', { valueAsNumber: true })}
              error={!!errors.port}
              helperText={errors.port?.message}
              sx={{ width: 88 }}
              slotProps={{ htmlInput: { inputMode: 'numeric' } }}
            />
          </Row>
          <Templates control={control} classes={classes} />
          <Choice
            control={control}
            name="spread"
            label="Replicas keep apart"
            options={[
              ['zones', 'by zone and node'],
              ['nodes', 'by node'],
              ['any', 'by no rule'],
            ]}
          />
          <Controller
            control={control}
            name="ordered"
            render={({ field }) => (
              <ToggleButtonGroup
                exclusive
                size="small"
                value={field.value}
                aria-label="They start"
                onChange={(_e, v: boolean | null) => v !== null && field.onChange(v)}
              >
                <ToggleButton value>one after the other</ToggleButton>
                <ToggleButton value={false}>all at once</ToggleButton>
              </ToggleButtonGroup>
            )}
          />
          <Row gap={1}>
            <Choice
              control={control}
              name="whenScaled"
              label="When replicas are taken away"
              options={keeps}
              width={255}
            />
            <Choice control={control} name="whenDeleted" label="When the set is deleted" options={keeps} width={255} />
          </Row>
          {errors.root && (
            <Typography role="alert" variant="body2" color="error">
              {errors.root.message}
            </Typography>
          )}
          <Row justify="flex-end">
            <Button onClick={() => go('/apps')}>Leave</Button>
            <Button type="submit" variant="contained" disabled={isSubmitting}>
              Start it
            </Button>
          </Row>
        </Column>
      </Sheet>
      <Outcome asked={asked} isNewNamespace={isNewNamespace} />
    </Row>
  );
}

const who = ['administrator', 'operator', 'namespace-owner'] as const;

export default function StartApplication() {
  const may = useMay(...who);
  const placement = usePlacement(may);
  const [isText, setText] = useState(false);
  const mayWrite = useMay('administrator', 'operator');
  return (
    <Place
      title="Start an application"
      question="Where would its claims and its pods go, before anything is made?"
      actions={
        mayWrite && <Button onClick={() => setText(!isText)}>{isText ? 'From a form' : 'From a manifest'}</Button>
      }
    >
      {!may ? (
        <Forbidden what="Starting applications" who={who} />
      ) : isText ? (
        <StartFromText />
      ) : placement.data ? (
        <Form />
      ) : placement.isError ? (
        <Failed error={placement.error} retry={() => void placement.refetch()} />
      ) : (
        <Waiting />
      )}
    </Place>
  );
}
