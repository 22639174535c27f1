import { zodResolver } from '@hookform/resolvers/zod';
import { Button, TextField, Typography } from '@mui/material';
import { newClaimSchema, type NewClaim as NewClaimData } from '@moorage/contract/claims';
import { volumeModes } from '@moorage/core/classes/storage-class';
import { useContext, useEffect, useRef, useState } from 'react';
import { useForm, useWatch } from 'react-hook-form';
import { ApiProblem, ask } from '../api/client';
import { refresh, usePlacement } from '../api/queries';
import { useInAddress, useSelected } from '../frame/address';
import { PersonContext } from '../parts/person';
import { useNotice } from '../parts/useAct';
import { claimText, type ClaimDraft } from './claim-text';
import { ChoiceOf, ModeField, TunedFields } from './claim-fields';
import { Forecast } from './Forecast';
import { Column, Row } from '../parts/layout';

/** What the form begins with, as another place of the interface filled it in; nothing of a text that does not read. */
function readLike(text: string): Partial<NewClaimData> {
  try {
    return newClaimSchema.partial().parse(JSON.parse(text));
  } catch {
    return {}; // an address that somebody changed by hand: the form begins as usual
  }
}

/** Of one set; more are made as several. */
const mostReplicas = 100;

/** `keep` is told what is typed, so that it can be gone on with as a manifest. */
export function ClaimForm({
  close,
  begin,
  keep,
}: {
  close: () => void;
  begin?: ClaimDraft;
  keep: (draft: ClaimDraft) => void;
}) {
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
      ...begin,
    },
  });
  const { register, control, handleSubmit, setError, formState } = form;
  const draft = useWatch({ control }) as NewClaimData;
  const [many, setMany] = useState(begin?.replicas ? String(begin.replicas) : '');
  const replicas = /^\d{1,3}$/.test(many.trim()) ? Math.min(Number(many), mostReplicas + 1) : 0;
  const isMany = many.trim() !== '';
  const isTooMany = isMany && (replicas < 1 || replicas > mostReplicas);
  useEffect(() => keep({ ...draft, ...(isMany && { replicas }) }), [draft, replicas, isMany, keep]);
  const { errors, isSubmitting } = formState;
  const className = draft.className || state?.defaultClass;
  const allowances = state?.classes.find((c) => c.name === className)?.allowances ?? [];
  const submit = handleSubmit(async (body) => {
    if (isTooMany) return;
    try {
      if (isMany) {
        const { made } = await ask('createFromManifest', {
          body: { text: claimText({ ...body, replicas }) },
          key: key.current,
        });
        select(`${body.namespace}/${body.name}-0`);
        show({ kind: 'done', text: `${made.length} claims of ${body.namespace}/${body.name} are made.` });
      } else {
        const made = await ask('createClaim', { body, key: key.current });
        select(`${made.namespace}/${made.name}`);
        show({ kind: 'done', text: `Claim ${made.namespace}/${made.name} is made.` });
      }
      void refresh('claims');
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
  return (
    <Column component="form" onSubmit={submit} noValidate gap={2} sx={{ p: 3, pt: 2, width: 520 }}>
      <Typography variant="h1" component="h2">
        New claim
      </Typography>
      <ChoiceOf control={control} name="namespace" label="Namespace" options={namespaces} />
      <Row gap={2} align="flex-start">
        <TextField
          label={isMany ? 'Template and set' : 'Name'}
          autoFocus
          {...register('name')}
          error={!!errors.name}
          helperText={
            errors.name?.message ??
            (isMany && !isTooMany
              ? `${draft.name || 'data-set'}-0 to ${draft.name || 'data-set'}-${replicas - 1}, as a set's pods look for them`
              : undefined)
          }
          sx={{ flex: 1 }}
        />
        <TextField
          label="For a set: replicas"
          value={many}
          placeholder="one claim"
          onChange={(e) => setMany(e.target.value)}
          error={isTooMany}
          helperText={isTooMany ? `1 to ${mostReplicas}` : undefined}
          sx={{ width: 150 }}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: 'numeric' } }}
        />
      </Row>
      <ChoiceOf
        control={control}
        name="className"
        label="Class"
        options={[
          ['', state?.defaultClass ? `the default, ${state.defaultClass}` : 'none named'],
          ...(state?.classes.map((c) => c.name) ?? []),
        ]}
      />
      <TextField
        label="Size"
        {...register('size')}
        error={!!errors.size}
        helperText={errors.size?.message ?? 'For example 80Gi; 80G is a little less.'}
        slotProps={{ htmlInput: { spellCheck: false } }}
      />
      <ModeField control={control} />
      <ChoiceOf control={control} name="volumeMode" label="Volume mode" options={volumeModes} />
      {allowances.length > 0 && <TunedFields control={control} allowances={allowances} />}
      <TextField
        label="What it holds"
        placeholder="for the storage engineer who meets its volume"
        {...register('description', { setValueAs: (text: string) => text?.trim() || undefined })}
        error={!!errors.description}
        helperText={errors.description?.message}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Forecast draft={draft} replicas={isTooMany ? 0 : replicas} />
      {errors.root && (
        <Typography role="alert" variant="body2" color="error">
          {errors.root.message}
        </Typography>
      )}
      <Row justify="flex-end">
        <Button onClick={close}>Leave</Button>
        <Button type="submit" variant="contained" disabled={isSubmitting}>
          {isMany && !isTooMany ? `Make ${replicas} ${replicas === 1 ? 'claim' : 'claims'}` : 'Make claim'}
        </Button>
      </Row>
    </Column>
  );
}
