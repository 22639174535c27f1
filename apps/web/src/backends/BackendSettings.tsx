import { Button, TextField, Typography } from '@mui/material';
import { toCorePool } from '@moorage/contract/pool-state';
import type { BackendRow } from '@moorage/contract/backends';
import type { BackendChange, CredentialsChanged } from '@moorage/contract/registration';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity, parseQuantity } from '@moorage/core/sizes/quantity';
import { quantityWords } from '@moorage/contract/claims';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh, useSites } from '../api/queries';
import { useGo } from '../frame/address';
import { NamesField } from '../parts/NamesField';
import { Size } from '../parts/Size';
import { useMay } from '../parts/person';
import { useAct } from '../parts/useAct';
import { Column, Row } from '../parts/layout';

const oldWords: Record<CredentialsChanged['old'], string> = {
  refused: 'The old ones were tried and are refused: they are proven replaced.',
  'still-accepted': 'The backend still accepts the old ones: take them away there.',
  'not-known': 'Whether the backend still accepts the old ones could not be found out.',
  same: 'They are the ones that were in use.',
};

function General({ backend }: { backend: BackendRow }) {
  const [title, setTitle] = useState(backend.title);
  const [sites, setSites] = useState(backend.sites);
  const known = useSites();
  const [cap, setCap] = useState(backend.cap === null ? '' : formatQuantity(backend.cap as Bytes));
  const size = parseQuantity(cap);
  const capProblem = cap.trim() === '' || size.ok ? undefined : quantityWords[size.problem];
  const taken = backend.pools.reduce(
    (sum, p) => sum + toCorePool({ ...p, reachable: true, healthy: true, diskUse: {} }).taken,
    0,
  );
  const save = useAct(async () => {
    const change: BackendChange = {
      title,
      sites,
      cap: cap.trim() === '' ? null : size.ok ? size.bytes : undefined,
    };
    const send = async (version: number, body: BackendChange) => {
      const after = await ask('changeBackend', { params: { id: backend.id }, version, body });
      await refresh('backends');
      return after;
    };
    const before = { title: backend.title, sites: backend.sites, cap: backend.cap };
    const after = await send(backend.version, change);
    return { text: `${backend.id} is changed.`, undo: () => send(after.version, before) };
  });
  return (
    <Column gap={1.5} sx={{ width: 320 }}>
      <Typography variant="h3">What it is to us</Typography>
      <TextField label="Title" value={title} onChange={(e) => setTitle(e.target.value)} />
      <NamesField
        label="Reached from"
        help="Sites whose platforms reach it"
        value={sites}
        known={known}
        onChange={setSites}
      />
      <TextField
        label="Cap over all its pools, raw"
        value={cap}
        error={!!capProblem}
        helperText={
          capProblem ?? 'What a licence or a contract allows in raw bytes, copies counted, such as 40Ti; empty for none'
        }
        onChange={(e) => setCap(e.target.value)}
      />
      <Typography variant="caption" color="text.secondary">
        <Size bytes={taken} /> raw is promised on it now
        {size.ok && cap.trim() !== '' && (
          <>
            ;{' '}
            {size.bytes >= taken ? (
              <>
                that leaves <Size bytes={size.bytes - taken} /> for new claims
              </>
            ) : (
              'more than this cap: no new claim would bind'
            )}
          </>
        )}
        .
      </Typography>
      <Button
        variant="contained"
        disabled={!!capProblem || save.isPending || title.trim() === '' || sites.length === 0}
        onClick={() => save.mutate(undefined)}
      >
        Apply
      </Button>
    </Column>
  );
}

function Credentials({ backend }: { backend: BackendRow }) {
  const [username, setUsername] = useState(backend.username);
  const [password, setPassword] = useState('');
  const [old, setOld] = useState<CredentialsChanged['old']>();
  const change = useAct(async () => {
    const answer = await ask('changeCredentials', {
      params: { id: backend.id },
      body: { username, password },
    });
    setOld(answer.old);
    setPassword('');
    await refresh('backends');
    return { text: `${backend.id} is spoken to with the new credentials.` };
  });
  return (
    <Column
      component="form"
      onSubmit={(e) => (e.preventDefault(), change.mutate(undefined))}
      gap={1.5}
      sx={{ width: 320 }}
    >
      <Typography variant="h3">Credentials</Typography>
      <TextField label="User" value={username} autoComplete="off" onChange={(e) => setUsername(e.target.value)} />
      <TextField
        label="New password"
        type="password"
        autoComplete="new-password"
        value={password}
        onChange={(e) => setPassword(e.target.value)}
        helperText="Tried first; the ones in use stay until these are proven"
      />
      <Button type="submit" variant="contained" disabled={!username || !password || change.isPending}>
        {change.isPending ? 'Trying them…' : 'Change them'}
      </Button>
      {old && (
        <Typography variant="body2" role="status" color={old === 'still-accepted' ? 'warning.main' : 'text.primary'}>
          {oldWords[old]}
        </Typography>
      )}
    </Column>
  );
}

function Remove({ backend }: { backend: BackendRow }) {
  const go = useGo();
  const [name, setName] = useState('');
  const moored = backend.pools.length;
  const remove = useAct(async () => {
    await ask('removeBackend', { params: { id: backend.id } });
    await refresh('backends');
    go('/backends');
    return { text: `${backend.id} is forgotten. Nothing on it was touched.` };
  });
  const held = backend.pools.reduce((sum, p) => sum + p.reservedBytes, 0);
  return (
    <Column gap={1.5} sx={{ width: 320 }}>
      <Typography variant="h3">Forget it</Typography>
      <Typography variant="body2">
        {held > 0 ? (
          <>
            Claims keep <Size bytes={held} /> on it. Delete or move them first; a backend in use cannot be forgotten.
          </>
        ) : (
          `${moored} ${moored === 1 ? 'pool goes' : 'pools go'} from the screens with ${moored === 1 ? 'its' : 'their'} moorings and limits; nothing on the backend itself is touched.`
        )}
      </Typography>
      <TextField
        label={`Type ${backend.id} to confirm`}
        value={name}
        disabled={held > 0}
        onChange={(e) => setName(e.target.value)}
      />
      <Button disabled={name !== backend.id || remove.isPending} onClick={() => remove.mutate(undefined)}>
        Forget {backend.id}
      </Button>
    </Column>
  );
}

/** What we know of a backend that is not read from it. */
export function BackendSettings({ backend }: { backend: BackendRow }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  if (!may)
    return (
      <Typography variant="body2" sx={{ py: 2 }}>
        Settings of a backend are for storage engineers and operators.
      </Typography>
    );
  return (
    <Row gap={5} wraps sx={{ pt: 1.5 }}>
      <General key={backend.version} backend={backend} />
      <Credentials backend={backend} />
      <Remove backend={backend} />
    </Row>
  );
}
