import { Box, Button, Paper, TextField, Typography } from '@mui/material';
import type { Trust } from '@moorage/contract/backends';
import { registrationSchema, type Probe } from '@moorage/contract/registration';
import { useState } from 'react';
import { ApiProblem, ask } from '../api/client';
import { refresh, usePerson, useSites } from '../api/queries';
import { useGo } from '../frame/address';
import { Place } from '../parts/Place';
import { NamesField } from '../parts/NamesField';
import { useMay } from '../parts/person';
import { Empty } from '../parts/States';
import { useNotice } from '../parts/useAct';
import { Probed } from './Probed';
import { TrustFields } from './TrustFields';

interface Fields {
  readonly address: string;
  readonly username: string;
  readonly password: string;
  readonly trust: Trust;
  readonly id: string;
  readonly title: string;
  readonly sites: readonly string[];
}

/** Registering a backend: looked at first, named afterwards. What it can do is read from it. */
export default function Register() {
  const go = useGo();
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const show = useNotice((s) => s.show);
  const site = usePerson().data?.site ?? '';
  const known = useSites();
  const [fields, setFields] = useState<Fields>({
    address: '',
    username: '',
    password: '',
    trust: { kind: 'system' },
    id: '',
    title: '',
    sites: [site],
  });
  const [problems, setProblems] = useState<Readonly<Record<string, string>>>({});
  const [probe, setProbe] = useState<Probe>();
  const [busy, setBusy] = useState<'looking' | 'registering'>();
  const set = (part: Partial<Fields>) => {
    setFields({ ...fields, ...part });
    setProblems({});
    // what was seen belongs to the address and the credentials it was seen with
    if ('address' in part || 'username' in part || 'password' in part || 'trust' in part) setProbe(undefined);
  };
  const { address, username, password, trust } = fields;
  const refused = (error: unknown) => {
    if (error instanceof ApiProblem) {
      setProblems(Object.fromEntries(error.errors.map((e) => [e.field, e.detail])));
      if (error.errors.length === 0 || error.errors.every((e) => e.field === ''))
        show({ kind: 'refused', text: error.detail });
    } else show({ kind: 'refused', text: 'The server does not answer; nothing is known to have changed.' });
  };
  const look = async (with_: Trust = trust) => {
    setBusy('looking');
    try {
      const found = await ask('probeBackend', {
        body: { address, username, password, trust: with_ },
      });
      setProbe(found);
      const name = new URL(address).hostname.split('.')[0] ?? '';
      if (found.outcome === 'ready' && fields.id === '')
        setFields((f) => ({
          ...f,
          trust: with_,
          id:
            found.product
              ?.split(/[ ,]/)[0]
              ?.toLowerCase()
              .replace(/[^a-z0-9-]/g, '') ?? name,
          title: found.product ?? '',
        }));
    } catch (error) {
      refused(error);
    } finally {
      setBusy(undefined);
    }
  };
  const register = async () => {
    const read = registrationSchema.safeParse(fields);
    if (!read.success)
      return setProblems(Object.fromEntries(read.error.issues.map((i) => [String(i.path[0]), i.message])));
    setBusy('registering');
    try {
      const made = await ask('registerBackend', {
        body: read.data,
        key: crypto.randomUUID(),
      });
      await refresh('backends');
      show({ kind: 'done', text: `${made.id} is registered.` });
      go(`/backends/${made.id}`);
    } catch (error) {
      refused(error);
    } finally {
      setBusy(undefined);
    }
  };
  if (!may)
    return (
      <Place title="Register a backend" question="">
        <Empty title="This is not for your role">
          Storage engineers and operators register backends; ask one of them.
        </Empty>
      </Place>
    );
  const field = (
    name: 'address' | 'username' | 'password' | 'id' | 'title',
    label: string,
    help: string,
    part: object = {},
  ) => (
    <TextField
      label={label}
      value={fields[name]}
      onChange={(e) => set({ [name]: e.target.value })}
      error={!!problems[name]}
      helperText={problems[name] ?? help}
      {...part}
    />
  );
  return (
    <Place title="Register a backend" question="What is at this address, and can it be used?">
      <Box sx={{ display: 'grid', gridTemplateColumns: '340px minmax(0, 1fr)', gap: 2, alignItems: 'start' }}>
        <Paper
          component="form"
          noValidate
          onSubmit={(e) => {
            e.preventDefault();
            void look();
          }}
          sx={{ p: 2, display: 'flex', flexDirection: 'column', gap: 1.5 }}
        >
          {field('address', 'Address', 'Such as https://10.40.8.5:8443', { autoFocus: true })}
          {field('username', 'User', 'An account that may configure components', { autoComplete: 'off' })}
          {field('password', 'Password', 'Kept sealed; never shown again', {
            type: 'password',
            autoComplete: 'new-password',
          })}
          {address.startsWith('https:') && (
            <TrustFields
              trust={trust}
              onChange={(t) => set({ trust: t })}
              problem={problems['trust.fingerprint'] ?? problems['trust.pem'] ?? problems.trust}
            />
          )}
          <Button
            type="submit"
            variant={probe?.outcome === 'ready' ? 'outlined' : 'contained'}
            disabled={busy !== undefined || !address || !username || !password}
          >
            {busy === 'looking' ? 'Looking…' : 'Look at it'}
          </Button>
          {probe?.outcome === 'ready' && (
            <>
              {field('id', 'Name', 'How it is called here; it stays')}
              {field('title', 'Title', 'A few words for people')}
              <NamesField
                label="Reached from"
                help={problems.sites ?? 'Sites whose platforms reach it'}
                error={!!problems.sites}
                value={fields.sites}
                known={known}
                onChange={(sites) => set({ sites })}
              />
              <Button variant="contained" disabled={busy !== undefined} onClick={() => void register()}>
                {busy === 'registering' ? 'Registering…' : 'Register'}
              </Button>
            </>
          )}
        </Paper>
        <Paper sx={{ p: 2, minHeight: 200 }}>
          {probe ? (
            <Probed
              probe={probe}
              pin={(fingerprint) => {
                const pinned: Trust = { kind: 'pinned', fingerprint };
                setFields({ ...fields, trust: pinned });
                void look(pinned);
              }}
            />
          ) : (
            <Empty title="Nothing was looked at yet">
              <Typography variant="body2">
                Give an address and credentials. What the backend can do is read from it, not typed in; nothing is
                stored until you register it.
              </Typography>
            </Empty>
          )}
        </Paper>
      </Box>
    </Place>
  );
}
