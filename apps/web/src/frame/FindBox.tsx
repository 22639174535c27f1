import { Autocomplete, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useBackends } from '../api/queries';
import { stateWords } from '../claims/words';
import { useGo, useSelected } from './address';
import { besides, places } from './places';

interface Found {
  readonly label: string;
  readonly detail: string;
  readonly act: () => void;
}

/** Finds claims by any name or identifier of either world, and carries out commands. `/` or Ctrl-K leads here. */
export function FindBox() {
  const [text, setText] = useState('');
  const box = useRef<HTMLDivElement>(null);
  const [, select] = useSelected();
  const go = useGo();
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
      if ((event.key === '/' && !typing) || (event.key.toLowerCase() === 'k' && event.ctrlKey)) {
        event.preventDefault();
        box.current?.querySelector('input')?.focus();
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
  const q = text.trim();
  const { data } = useQuery({
    queryKey: keys.claims.found(q),
    queryFn: () => ask('listClaims', { query: { limit: 8, sort: 'name', direction: 'asc', q } }),
    enabled: q.length > 1,
  });
  const { data: backends } = useBackends();
  const commands: Found[] = [
    ...[...places, ...besides].map(({ name, path }) => ({
      label: `Go to ${name}`,
      detail: 'place',
      act: () => go(path),
    })),
    { label: 'New claim', detail: 'command', act: () => go('/claims?new=claim') },
    { label: 'New class', detail: 'command', act: () => go('/classes/new') },
    { label: 'Register a backend', detail: 'command', act: () => go('/backends/new') },
    { label: 'Node readiness', detail: 'command', act: () => go('/backends/readiness') },
    ...(backends ?? []).map(({ id }) => ({ label: `See ${id}`, detail: 'backend', act: () => go(`/backends/${id}`) })),
  ].filter((c) => c.label.toLowerCase().includes(q.toLowerCase()));
  const claims: Found[] = (q.length > 1 ? (data?.claims ?? []) : []).map((c) => ({
    label: `${c.namespace}/${c.name}`,
    detail: `claim, ${stateWords[c.state]}`,
    act: () => select(`${c.namespace}/${c.name}`),
  }));
  return (
    <Autocomplete<Found>
      forcePopupIcon={false}
      openOnFocus
      noOptionsText="Nothing has this in its name or identifiers."
      options={[...claims, ...commands]}
      filterOptions={(all) => all}
      getOptionLabel={(o) => o.label}
      getOptionKey={(o) => o.label + o.detail}
      isOptionEqualToValue={(a, b) => a.label === b.label}
      inputValue={text}
      onInputChange={(_e, value, reason) => setText(reason === 'reset' ? '' : value)}
      value={null}
      onChange={(_e, found) => {
        found?.act();
        setText('');
        box.current?.querySelector('input')?.blur();
      }}
      ref={box}
      autoHighlight
      sx={{ width: 420, maxWidth: '40vw' }}
      renderOption={({ key: _key, ...props }, o) => (
        <li {...props} key={o.label + o.detail}>
          <span style={{ flex: 1 }}>{o.label}</span>
          <span style={{ color: 'var(--second-ink)', fontSize: 12 }}>{o.detail}</span>
        </li>
      )}
      renderInput={(params) => (
        <TextField
          {...params}
          placeholder="Find a claim, a volume, an identifier, or a command   ( / )"
          slotProps={{
            ...params.slotProps,
            htmlInput: { ...params.slotProps?.htmlInput, 'aria-label': 'Find or command' },
          }}
        />
      )}
    />
  );
}
