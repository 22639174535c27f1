import {
  Button,
  Checkbox,
  FormControlLabel,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import { longestToken, newTokenSchema, type MadeToken, type Token } from '@moorage/contract/tokens';
import { useQuery } from '@tanstack/react-query';
import dayjs from 'dayjs';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import type { z } from 'zod';
import { ApiProblem, ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { Confirm } from '../parts/Confirm';
import { Copyable } from '../parts/Copyable';
import { Place } from '../parts/Place';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { Column, Row, Sheet } from '../parts/layout';

type Fields = { name: string; days: number; scoped: boolean; namespaces: string };

function NewToken({ made }: { made: (token: MadeToken) => void }) {
  const { register, handleSubmit, setError, formState, reset, watch } = useForm<Fields, unknown, Fields>({
    defaultValues: { name: '', days: 90, scoped: false, namespaces: '' },
  });
  const submit = handleSubmit(async ({ name, days, scoped, namespaces }) => {
    const body: z.input<typeof newTokenSchema> = {
      ...{ name, days },
      namespaces: scoped ? namespaces.split(/[,\s]+/).filter(Boolean) : null,
    };
    const read = newTokenSchema.safeParse(body);
    if (!read.success) {
      for (const { path, message } of read.error.issues) setError(path[0] as keyof Fields, { message });
      return;
    }
    try {
      made(await ask('makeToken', { body: read.data }));
      await refresh('tokens');
      reset();
    } catch (error) {
      setError('root', {
        message:
          error instanceof ApiProblem ? error.detail : 'The server does not answer. What you typed is still here.',
      });
    }
  });
  const problem = (field: keyof Fields) => ({
    error: !!formState.errors[field],
    helperText: formState.errors[field]?.message,
  });
  const shrink = { inputLabel: { shrink: true } };
  return (
    <Row component="form" gap={1.5} wraps align="flex-start" noValidate onSubmit={submit}>
      <TextField
        label="What it is for"
        {...register('name')}
        {...problem('name')}
        slotProps={shrink}
        sx={{ width: 240 }}
      />
      <TextField
        label={`Days it lives (at most ${longestToken})`}
        {...register('days', { valueAsNumber: true })}
        {...problem('days')}
        slotProps={shrink}
        sx={{ width: 180 }}
      />
      <FormControlLabel control={<Checkbox {...register('scoped')} />} label="Some namespaces alone" />
      {watch('scoped') && (
        <TextField
          label="Namespaces"
          placeholder="tide-gauges, wave-model"
          {...register('namespaces')}
          {...problem('namespaces')}
          slotProps={shrink}
          sx={{ width: 300 }}
        />
      )}
      <Button type="submit" variant="contained" disabled={formState.isSubmitting}>
        Make it
      </Button>
      {formState.errors.root && (
        <Typography role="alert" color="error">
          {formState.errors.root.message}
        </Typography>
      )}
    </Row>
  );
}

function Revoke({ token }: { token: Token }) {
  const revoke = useAct(async () => {
    await ask('revokeToken', { params: { id: token.id } });
    await refresh('tokens');
    return { text: `"${token.name}" reads nothing any more.` };
  });
  return (
    <Confirm
      word="Revoke"
      title={`Revoke "${token.name}"?`}
      disabled={revoke.isPending}
      act={() => revoke.mutate(undefined)}
    >
      What reads with it is refused from now on. It cannot be brought back.
    </Confirm>
  );
}

const stateOf = (token: Token): string =>
  token.revokedAt !== null ? 'revoked' : Date.parse(token.expiresAt) <= Date.now() ? 'expired' : 'reads';

/** What programs read with: metrics and the API, and nothing that changes anything. */
export default function Tokens() {
  const query = useQuery({ queryKey: keys.tokens(), queryFn: () => ask('listTokens') });
  const [made, setMade] = useState<MadeToken>();
  return (
    <Place
      title="Read tokens"
      question="What may programs read with? A token reads metrics and the API, what you see or less, and changes nothing."
    >
      <Column gap={1.5}>
        <Sheet>
          <Column gap={1.5}>
            <NewToken made={setMade} />
            {made && (
              <Column gap={0.5} role="status">
                <Typography variant="body2">
                  Keep it now: it is not shown again. A scraper reads <code>/api/metrics</code> with it, sent as{' '}
                  <code>Authorization: Bearer</code>.
                </Typography>
                <Copyable text={made.secret} what="token" />
              </Column>
            )}
          </Column>
        </Sheet>
        <Fetched query={query}>
          {(tokens) =>
            tokens.length === 0 ? (
              <Empty title="No token yet">
                Make one for each program that reads, so that each can be revoked alone.
              </Empty>
            ) : (
              <Sheet sx={{ p: 0, overflowX: 'auto' }}>
                <Table size="small" aria-label="Read tokens">
                  <TableHead>
                    <TableRow>
                      <TableCell>For</TableCell>
                      <TableCell>Reads</TableCell>
                      <TableCell>Made by</TableCell>
                      <TableCell>Until</TableCell>
                      <TableCell>Used last</TableCell>
                      <TableCell>State</TableCell>
                      <TableCell />
                    </TableRow>
                  </TableHead>
                  <TableBody>
                    {tokens.map((t) => (
                      <TableRow key={t.id}>
                        <TableCell component="th" scope="row">
                          {t.name}
                        </TableCell>
                        <TableCell>{t.namespaces === null ? 'all that they see' : t.namespaces.join(', ')}</TableCell>
                        <TableCell>
                          {t.person}, <When at={t.createdAt} />
                        </TableCell>
                        <TableCell>{dayjs(t.expiresAt).format('D MMM YYYY')}</TableCell>
                        <TableCell>{t.usedAt === null ? 'never' : <When at={t.usedAt} />}</TableCell>
                        <TableCell>{stateOf(t)}</TableCell>
                        <TableCell align="right">{stateOf(t) === 'reads' && <Revoke token={t} />}</TableCell>
                      </TableRow>
                    ))}
                  </TableBody>
                </Table>
              </Sheet>
            )
          }
        </Fetched>
      </Column>
    </Place>
  );
}
