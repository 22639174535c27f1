import { Autocomplete, TextField } from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useGo, useSelected } from './address';
import { detailOf, placeOf } from './found-words';
import { besides, places } from './places';

interface Choice {
  readonly key: string;
  readonly label: string;
  readonly detail: string;
  readonly act: () => void;
}

/** Finds everything by any name or identifier of either world, and carries out commands. `/` or Ctrl-K leads here. */
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
  const [settled, setSettled] = useState('');
  useEffect(() => {
    const timer = setTimeout(() => setSettled(q), 120);
    return () => clearTimeout(timer);
  }, [q]);
  const { data } = useQuery({
    queryKey: keys.lookup(settled),
    queryFn: () => ask('lookUp', { query: { q: settled } }),
    enabled: settled.length > 1,
    placeholderData: keepPreviousData,
  });
  const commands: Choice[] = [
    ...[...places, ...besides].map(({ name, path }) => ({ label: `Go to ${name}`, detail: 'place', path })),
    { label: 'New claim', detail: 'command', path: '/claims?new=claim' },
    { label: 'New class', detail: 'command', path: '/classes/new' },
    { label: 'Register a backend', detail: 'command', path: '/backends/new' },
    { label: 'Node readiness', detail: 'command', path: '/backends/readiness' },
  ]
    .filter((c) => c.label.toLowerCase().includes(q.toLowerCase()))
    .map(({ path, ...c }) => ({ ...c, key: c.label, act: () => go(path) }));
  const found: Choice[] = (q.length > 1 ? (data ?? []) : []).map((f) => ({
    key: `${f.kind}/${f.of}/${f.name}`,
    label: f.kind === 'claim' ? `${f.of}/${f.name}` : f.name,
    detail: detailOf(f),
    // a claim fills the Line where one is; all others are shown at their place
    act: () => (f.kind === 'claim' ? select(`${f.of}/${f.name}`) : go(placeOf(f))),
  }));
  return (
    <Autocomplete<Choice>
      forcePopupIcon={false}
      openOnFocus
      noOptionsText="Nothing has this in its name or identifiers."
      options={[...found, ...commands]}
      filterOptions={(all) => all}
      getOptionLabel={(o) => o.label}
      getOptionKey={(o) => o.key}
      isOptionEqualToValue={(a, b) => a.key === b.key}
      inputValue={text}
      onInputChange={(_e, value, reason) => setText(reason === 'reset' ? '' : value)}
      value={null}
      onChange={(_e, choice) => {
        choice?.act();
        setText('');
        box.current?.querySelector('input')?.blur();
      }}
      ref={box}
      autoHighlight
      sx={{ width: 420, maxWidth: '40vw' }}
      renderOption={({ key: _key, ...props }, o) => (
        <li {...props} key={o.key}>
          <span style={{ flex: 1 }}>{o.label}</span>
          <span style={{ color: 'var(--second-ink)', fontSize: 12 }}>{o.detail}</span>
        </li>
      )}
      renderInput={(params) => (
        <TextField
          {...params}
          placeholder="Find anything by name or identifier, or a command   ( / )"
          slotProps={{
            ...params.slotProps,
            htmlInput: { ...params.slotProps?.htmlInput, 'aria-label': 'Find or command' },
          }}
        />
      )}
    />
  );
}
