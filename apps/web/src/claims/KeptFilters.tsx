import { Button, TextField } from '@mui/material';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { useAddress } from '../frame/address';
import { OneOf } from '../parts/OneOf';
import { Row } from '../parts/layout';
import { filterParts } from '@moorage/contract/filters';
import { filterIn, sameFilter, useKeptFilters } from './kept-filters';

/** A filter kept by name: taken up again, kept anew, or dropped. */
export function KeptFilters() {
  const [search] = useSearchParams();
  const change = useAddress();
  const { filters, keep, drop } = useKeptFilters();
  const [name, setName] = useState<string>();
  const now = filterIn(search);
  const isFiltered = Object.keys(now).length > 0;
  const current = filters.find((f) => sameFilter(f.filter, now));
  const takeUp = (wanted: string) => {
    const filter = filters.find((f) => f.name === wanted)?.filter ?? {};
    change(Object.fromEntries(filterParts.map((part) => [part, filter[part] ?? ''])));
  };
  if (name !== undefined)
    return (
      <Row
        component="form"
        gap={1}
        align="center"
        onSubmit={(e: React.FormEvent) => {
          e.preventDefault();
          keep.mutate({ name: name.trim(), filter: now });
          setName(undefined);
        }}
      >
        <TextField
          label="Keep it as"
          autoFocus
          value={name}
          onChange={(e) => setName(e.target.value.slice(0, 40))}
          onKeyDown={(e) => e.key === 'Escape' && setName(undefined)}
          sx={{ width: 160 }}
        />
        <Button type="submit" disabled={name.trim() === ''}>
          Keep
        </Button>
      </Row>
    );
  return (
    <Row gap={1} align="center">
      {filters.length > 0 && (
        <OneOf
          label="Kept filters"
          value={current?.name ?? ''}
          options={[['', 'none'], ...filters.map((f) => f.name)]}
          choose={takeUp}
          width={150}
        />
      )}
      {current && <Button onClick={() => drop.mutate(current)}>Drop it</Button>}
      {isFiltered && !current && <Button onClick={() => setName('')}>Keep this filter</Button>}
    </Row>
  );
}
