import { Box, Button, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import { newBucketClassSchema, type BucketClassRow } from '@moorage/contract/buckets';
import { protocolOf } from '@moorage/core/classes/protocol';
import type { ReclaimPolicy } from '@moorage/core/classes/storage-class';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh, useBackends } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Confirm } from '../parts/Confirm';
import { Column, Row, Sheet } from '../parts/layout';
import { NamesField } from '../parts/NamesField';
import { OneOf } from '../parts/OneOf';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { useBucketClasses } from './useBuckets';

const endWords: Readonly<Record<ReclaimPolicy, string>> = {
  Delete: 'emptied and removed',
  Retain: 'kept',
};

/** Pools that speak S3: a bucket class can use no others. */
function useObjectPools(): readonly string[] {
  const { data } = useBackends();
  return (data ?? []).flatMap((b) =>
    b.pools.filter((p) => p.facts.protocols.some((name) => protocolOf(name) === 'S3')).map((p) => p.id),
  );
}

function NewClass() {
  const pools = useObjectPools();
  const [name, setName] = useState('');
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [deletion, setDeletion] = useState<ReclaimPolicy>('Retain');
  const [limit, setLimit] = useState('');
  const asked = { name, pools: [...chosen], deletion, ...(limit && { limit }) };
  const read = newBucketClassSchema.safeParse(asked);
  const problemOf = (field: string) =>
    read.success ? undefined : read.error.issues.find((i) => i.path[0] === field)?.message;
  const make = useAct(async () => {
    await ask('createBucketClass', { body: asked });
    void refresh('buckets');
    setName('');
    setLimit('');
    return { text: `Bucket class ${name} is made.` };
  });
  return (
    <Sheet component="form" onSubmit={(e: React.FormEvent) => (e.preventDefault(), make.mutate(undefined))}>
      <Typography variant="h2" sx={{ mb: 1.5 }}>
        New bucket class
      </Typography>
      {pools.length === 0 ? (
        <Typography variant="body2">No pool of a registered backend speaks S3.</Typography>
      ) : (
        <Row gap={2} align="flex-start" wraps>
          <TextField
            label="Name"
            value={name}
            onChange={(e) => setName(e.target.value.trim())}
            error={name !== '' && problemOf('name') !== undefined}
            helperText={name === '' ? undefined : problemOf('name')}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 180 }}
          />
          <Box sx={{ width: 300 }}>
            <NamesField label="Pools, the first that fits is taken" value={chosen} known={pools} onChange={setChosen} />
          </Box>
          <TextField
            label="May hold, where a claim says nothing"
            placeholder="for example 50Gi"
            value={limit}
            onChange={(e) => setLimit(e.target.value.trim())}
            error={limit !== '' && problemOf('limit') !== undefined}
            helperText={limit === '' ? undefined : problemOf('limit')}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 250 }}
          />
          <OneOf
            label="Without its claim, a bucket is"
            value={deletion}
            options={[
              ['Retain', endWords.Retain],
              ['Delete', endWords.Delete],
            ]}
            choose={setDeletion}
            width={210}
          />
          <Button type="submit" variant="contained" disabled={!read.success || make.isPending}>
            Make it
          </Button>
        </Row>
      )}
    </Sheet>
  );
}

function ClassRow({ cls, remove }: { cls: BucketClassRow; remove: (name: string) => void }) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const speaks = new Set(useObjectPools());
  return (
    <TableRow>
      <TableCell component="th" scope="row">
        {cls.problems.length > 0 && <Mark kind="person" />} <strong>{cls.name}</strong>
        {cls.problems.map((p) => (
          <div key={p.field + p.value}>
            {p.field === 'unknown' ? `does not know ${p.value}` : `${p.field} cannot be read: ${p.value || 'nothing'}`}
          </div>
        ))}
      </TableCell>
      <TableCell>
        {cls.pools.map((pool, i) => (
          <div key={pool}>
            {i + 1}. {pool}
            {!speaks.has(pool) && ' (speaks no S3, or is not known)'}
          </div>
        ))}
      </TableCell>
      <TableCell align="right">
        <Size bytes={cls.limit} />
      </TableCell>
      <TableCell>{endWords[cls.deletion]}</TableCell>
      <TableCell align="right">{cls.buckets.toLocaleString('en-GB')}</TableCell>
      <TableCell align="right">
        {may && cls.buckets === 0 && (
          <Confirm word="Delete" title={`Delete ${cls.name}`} act={() => remove(cls.name)}>
            No bucket names it. Claims that name it later wait for a class of that name.
          </Confirm>
        )}
      </TableCell>
    </TableRow>
  );
}

/** What teams may ask for: which pools, how much, and what becomes of a bucket without its claim. */
export function BucketClasses() {
  const query = useBucketClasses();
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const remove = useAct(async (name: string) => {
    await ask('deleteBucketClass', { params: { name } });
    void refresh('buckets');
    return { text: `Bucket class ${name} is deleted.` };
  });
  return (
    <Column gap={1.5}>
      <Fetched query={query}>
        {(classes) =>
          classes.length === 0 ? (
            <Empty title="No bucket classes">
              A class says which pools hold its buckets, and what becomes of them at the end.
            </Empty>
          ) : (
            <Table size="small" aria-label="Bucket classes">
              <TableHead>
                <TableRow>
                  <TableCell>Class</TableCell>
                  <TableCell>Pools in order</TableCell>
                  <TableCell align="right">May hold</TableCell>
                  <TableCell>Without its claim, a bucket is</TableCell>
                  <TableCell align="right">Buckets</TableCell>
                  <TableCell />
                </TableRow>
              </TableHead>
              <TableBody>
                {classes.map((cls) => (
                  <ClassRow key={cls.name} cls={cls} remove={(name) => remove.mutate(name)} />
                ))}
              </TableBody>
            </Table>
          )
        }
      </Fetched>
      {may && <NewClass />}
    </Column>
  );
}
