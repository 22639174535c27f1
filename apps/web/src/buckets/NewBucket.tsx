import { Button, Drawer, TextField, Typography } from '@mui/material';
import { zodResolver } from '@hookform/resolvers/zod';
import { newBucketSchema, type NewBucket as Asked } from '@moorage/contract/buckets';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { sizeText } from '@moorage/core/sizes/display';
import { useContext, useMemo, useRef } from 'react';
import { Controller, useForm, useWatch } from 'react-hook-form';
import { ApiProblem, ask } from '../api/client';
import { refresh, usePlacement } from '../api/queries';
import { useInAddress } from '../frame/address';
import { Mark } from '../marks/Mark';
import { Column, Row } from '../parts/layout';
import { OneOf } from '../parts/OneOf';
import { PersonContext } from '../parts/person';
import { useNotice } from '../parts/useAct';
import { landing } from './foresee';
import { useBucketClasses } from './useBuckets';

/** Where the bucket would go if it were asked for now, or why nowhere. */
function Foresight({ namespace, className, limit }: Partial<Asked>) {
  const { data: state } = usePlacement();
  const { data: classes } = useBucketClasses();
  const currency = useContext(PersonContext)?.currency ?? '';
  const cls = classes?.find((c) => c.name === className);
  const size = limit ? parseQuantity(limit) : undefined;
  const bytes = size ? (size.ok ? size.bytes : 0) : (cls?.limit ?? 0);
  const told = useMemo(
    () => (state && cls && bytes > 0 && namespace ? landing(state, namespace, cls, bytes, currency) : undefined),
    [state, cls, bytes, namespace, currency],
  );
  if (!told) return null;
  return (
    <Row align="baseline" aria-live="polite" sx={{ fontSize: 13.5 }}>
      <Mark kind={told.fits ? 'settled' : 'person'} />
      <span>{told.text}</span>
    </Row>
  );
}

/** Asks for a bucket. */
export function NewBucket({ close }: { close: () => void }) {
  const { data: state } = usePlacement();
  const { data: classes } = useBucketClasses();
  const person = useContext(PersonContext);
  const [, open] = useInAddress('bucket');
  const show = useNotice((s) => s.show);
  const key = useRef(crypto.randomUUID());
  const namespaces = (state?.namespaces ?? []).filter(
    (n) => person?.role !== 'namespace-owner' || person.namespaces.includes(n),
  );
  const { register, control, handleSubmit, setError, formState } = useForm<Asked>({
    resolver: zodResolver(newBucketSchema),
    mode: 'onTouched',
    defaultValues: { namespace: '', name: '', className: '' },
  });
  const draft = useWatch({ control });
  const { errors, isSubmitting } = formState;
  const own = classes?.find((c) => c.name === draft.className)?.limit ?? null;
  const submit = handleSubmit(async (body) => {
    try {
      const { uid } = await ask('createBucket', { body, key: key.current });
      void refresh('buckets');
      show({ kind: 'done', text: `The bucket ${body.namespace}/${body.name} is asked for.` });
      close();
      open(uid);
    } catch (error) {
      key.current = crypto.randomUUID();
      if (!(error instanceof ApiProblem))
        setError('root', { message: 'The server does not answer. What you typed is still here.' });
      else if (error.code === 'platform-exists')
        setError('name', { message: `There is a bucket claim "${body.name}" in ${body.namespace} already.` });
      else
        setError(error.field && error.field in body ? (error.field as keyof Asked) : 'root', { message: error.detail });
    }
  });
  const choice = (name: 'namespace' | 'className', label: string, options: readonly string[]) => (
    <Controller
      control={control}
      name={name}
      render={({ field, fieldState: { error } }) => (
        <OneOf
          label={label}
          value={field.value}
          options={[['', 'choose'], ...options]}
          choose={field.onChange}
          error={!!error}
          helperText={error && `Choose a ${label.toLowerCase()}.`}
        />
      )}
    />
  );
  return (
    <Drawer anchor="right" open onClose={close} slotProps={{ paper: { 'aria-label': 'New bucket' } }}>
      <Column component="form" onSubmit={submit} noValidate gap={2} sx={{ p: 3, width: 480 }}>
        <Typography variant="h1" component="h2">
          New bucket
        </Typography>
        {choice('namespace', 'Namespace', namespaces)}
        <TextField
          label="Name"
          autoFocus
          {...register('name')}
          error={!!errors.name}
          helperText={errors.name?.message}
        />
        {choice(
          'className',
          'Bucket class',
          (classes ?? []).map((c) => c.name),
        )}
        <TextField
          label="May hold"
          placeholder={own === null ? 'for example 50Gi' : undefined}
          {...register('limit', { setValueAs: (text: string) => text?.trim() || undefined })}
          error={!!errors.limit}
          helperText={
            errors.limit?.message ??
            (own === null
              ? 'All of it is promised, as a volume’s size is. Full, it takes nothing more.'
              : `Left empty: ${sizeText(own)}, as the class says.`)
          }
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <Foresight namespace={draft.namespace} className={draft.className} limit={draft.limit} />
        {classes?.length === 0 && (
          <Typography variant="body2">
            There is no bucket class yet: a storage engineer makes one, under Bucket classes.
          </Typography>
        )}
        {errors.root && (
          <Typography color="error" role="alert">
            {errors.root.message}
          </Typography>
        )}
        <Row gap={1} justify="flex-end">
          <Button onClick={close}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={isSubmitting}>
            Ask for it
          </Button>
        </Row>
      </Column>
    </Drawer>
  );
}
