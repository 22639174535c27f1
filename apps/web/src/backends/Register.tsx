import { Box, Button, TextField, Typography } from '@mui/material';
import { useSites } from '../api/queries';
import { NamesField } from '../parts/NamesField';
import { useMay } from '../parts/person';
import { Place } from '../parts/Place';
import { Empty } from '../parts/States';
import { Probed } from './Probed';
import { useRegistration } from './registration';
import { TrustFields } from './TrustFields';
import { Sheet } from '../parts/layout';

type Registration = ReturnType<typeof useRegistration>;

/** Address and credentials; and once it was looked at, what it is called. */
function AccessForm({ registration }: { registration: Registration }) {
  const known = useSites();
  const { fields, set, problems, probe, busy, look, register } = registration;
  const { address, username, password, trust } = fields;
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
    <Sheet
      component="form"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void look();
      }}
      sx={{ display: 'flex', flexDirection: 'column', gap: 1.5 }}
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
    </Sheet>
  );
}

/** Registering a backend. What it can do is read from it. */
export default function Register() {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const registration = useRegistration();
  if (!may)
    return (
      <Place title="Register a backend" question="">
        <Empty title="This is not for your role">
          Storage engineers and operators register backends; ask one of them.
        </Empty>
      </Place>
    );
  return (
    <Place title="Register a backend" question="What is at this address, and can it be used?">
      <Box sx={{ display: 'grid', gridTemplateColumns: '340px minmax(0, 1fr)', gap: 2, alignItems: 'start' }}>
        <AccessForm registration={registration} />
        <Sheet sx={{ minHeight: 200 }}>
          {registration.probe ? (
            <Probed probe={registration.probe} pin={registration.pin} />
          ) : (
            <Empty title="Nothing was looked at yet">
              <Typography variant="body2">
                Give an address and credentials. What the backend can do is read from it, not typed in; nothing is
                stored until you register it.
              </Typography>
            </Empty>
          )}
        </Sheet>
      </Box>
    </Place>
  );
}
