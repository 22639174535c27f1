import { Button, MenuItem, Paper, TextField, Typography } from '@mui/material';
import type { SeenDisk } from '@moorage/contract/inventory';
import type { NewReshape, PoolShapeRow } from '@moorage/contract/reshapes';
import { predictGrowth, predictLeaving, type PoolDisk } from '@moorage/core/clusters/reshape';
import { sizeText } from '@moorage/core/sizes/display';
import { useMemo, useState } from 'react';
import { ask } from '../api/client';
import { usePoolShape } from '../api/cluster-queries';
import { refresh } from '../api/queries';
import { useInAddress } from '../frame/address';
import { Mark } from '../marks/Mark';
import { useMay } from '../parts/person';
import { Twice } from '../parts/Twice';
import { useAct } from '../parts/useAct';
import { durationText, leavingSentence } from './words';
import { Fill, Plain, Row } from '../parts/layout';

const percent = (share: number): string => `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;

function useBegin(backend: string, done: () => void) {
  const [, see] = useInAddress('see', 'pools');
  return useAct(async (body: NewReshape) => {
    const made = await ask('beginReshape', {
      params: { id: backend },
      body,
      key: crypto.randomUUID(),
    });
    await refresh('reshapes');
    done();
    see('changes');
    return { text: `${made.pool} is being changed; its progress is here.` };
  });
}

function Prediction({ lines, problems }: { lines: readonly string[]; problems: readonly string[] }) {
  return (
    <Plain aria-label="What this brings about" sx={{ fontSize: 13, flex: 1, minWidth: 280 }}>
      {problems.map((text) => (
        <Row component="li" key={text} sx={{ color: 'error.main' }}>
          <span style={{ paddingTop: 3 }}>
            <Mark kind="person" size={10} />
          </span>
          {text}
        </Row>
      ))}
      {lines.map((text) => (
        <li key={text}>{text}</li>
      ))}
    </Plain>
  );
}

const asPoolDisk = (d: SeenDisk, shape: PoolShapeRow): PoolDisk => ({
  id: d.id,
  node: d.node,
  domain: d[shape.level],
  capacity: d.capacity,
  provisioned: 0,
  written: 0,
});

function Grow({
  backend,
  free,
  pools,
  clear,
}: {
  backend: string;
  free: readonly SeenDisk[];
  pools: readonly string[];
  clear: () => void;
}) {
  const [pool, setPool] = useState(pools[0] ?? '');
  const { data: shape } = usePoolShape(backend, pool || undefined);
  const begin = useBegin(backend, clear);
  const grown = useMemo(
    () =>
      shape &&
      predictGrowth(
        shape,
        free.map((d) => asPoolDisk(d, shape)),
      ),
    [shape, free],
  );
  if (pools.length === 0) return null;
  return (
    <Row gap={2} align="center" wraps>
      <TextField select label="Add to" value={pool} onChange={(e) => setPool(e.target.value)} sx={{ width: 170 }}>
        {pools.map((p) => (
          <MenuItem key={p} value={p}>
            {p}
          </MenuItem>
        ))}
      </TextField>
      {grown && (
        <Prediction
          problems={[]}
          lines={[
            `Usable grows from ${sizeText(grown.usableBefore)} to ${sizeText(grown.usableAfter)}; the fill goes from ${percent(grown.fillBefore)} to ${percent(grown.fillAfter)}.`,
            grown.moved === 0
              ? 'Nothing has to move.'
              : `About ${sizeText(grown.moved)} moves until all are alike, at an estimated rate in ${durationText(grown.seconds)}.`,
          ]}
        />
      )}
      <Twice
        words={`Add ${free.length} ${free.length === 1 ? 'disk' : 'disks'}`}
        sure={`What is on ${free.length === 1 ? 'this disk' : `these ${free.length} disks`} is lost.`}
        disabled={!shape || begin.isPending}
        act={() => begin.mutate({ kind: 'grow', pool, add: free.map((d) => d.id) })}
      />
    </Row>
  );
}

/** What moves: shards are the backend's own affair and are not listed one by one. */
const movesOf = (copies: number): string =>
  copies === 0 ? 'of shards move' : copies === 1 ? 'in 1 copy moves' : `in ${copies} copies move`;

function TakeOut({
  backend,
  pool,
  owned,
  free,
  clear,
}: {
  backend: string;
  pool: string;
  owned: readonly SeenDisk[];
  free: readonly SeenDisk[];
  clear: () => void;
}) {
  const { data: shape } = usePoolShape(backend, pool);
  const begin = useBegin(backend, clear);
  const replacing = free.length > 0;
  const leaving = useMemo(() => {
    if (!shape) return undefined;
    const all = { ...shape, disks: [...shape.disks, ...free.map((d) => asPoolDisk(d, shape))] };
    return predictLeaving(all, new Set(owned.map((d) => d.id)));
  }, [shape, owned, free]);
  const ids = owned.map((d) => d.id);
  const body: NewReshape = replacing
    ? { kind: 'replace', pool, add: free.map((d) => d.id), remove: ids }
    : { kind: 'shrink', pool, remove: ids };
  return (
    <Row gap={2} align="center" wraps>
      <strong style={{ minWidth: 170 }}>{replacing ? `Replace in ${pool}` : `Take out of ${pool}`}</strong>
      {leaving && (
        <Prediction
          problems={leaving.problems.slice(0, 3).map((p) => leavingSentence(p, shape!.level))}
          lines={
            leaving.problems.length > 0
              ? [
                  leaving.problems.length > 3
                    ? `And ${leaving.problems.length - 3} more. It cannot be taken out now.`
                    : 'It cannot be taken out now.',
                ]
              : [
                  `Usable goes from ${sizeText(leaving.usableBefore)} to ${sizeText(leaving.usableAfter)}; the fill from ${percent(leaving.fillBefore)} to ${percent(leaving.fillAfter)}.`,
                  leaving.moved === 0
                    ? `Nothing written is on ${owned.length === 1 ? 'it' : 'them'}; ${leaving.moves.length === 0 ? 'nothing moves' : leaving.moves.length === 1 ? '1 empty copy moves' : `${leaving.moves.length} empty copies move`}.`
                    : `${sizeText(leaving.moved)} ${movesOf(leaving.moves.length)} first, at an estimated rate in ${durationText(leaving.seconds)}.`,
                ]
          }
        />
      )}
      {!replacing && (
        <Typography variant="caption" color="text.secondary">
          To replace {owned.length === 1 ? 'it' : 'them'}, choose free disks as well.
        </Typography>
      )}
      <Twice
        words={
          replacing
            ? `Replace ${owned.length} by ${free.length}`
            : `Take out ${owned.length} ${owned.length === 1 ? 'disk' : 'disks'}`
        }
        sure={
          owned.length + free.length > 4
            ? `${owned.length} leave ${pool}${replacing ? `, ${free.length} come in` : ''}.`
            : undefined
        }
        disabled={!leaving || leaving.problems.length > 0 || begin.isPending}
        act={() => begin.mutate(body)}
      />
    </Row>
  );
}

/** What can be done with the disks that are chosen in the drawing, and what it would bring about. */
export function Chosen({
  backend,
  chosen,
  pools,
  clear,
}: {
  backend: string;
  chosen: readonly SeenDisk[];
  pools: readonly string[];
  clear: () => void;
}) {
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const free = chosen.filter((d) => d.use === 'free');
  const owners = [...new Set(chosen.flatMap((d) => (d.owner && pools.includes(d.owner) ? [d.owner] : [])))];
  const bytes = chosen.reduce((sum, d) => sum + d.capacity, 0);
  return (
    <Paper
      component="section"
      aria-label="Chosen disks"
      sx={{
        p: 1.5,
        position: 'sticky',
        bottom: 0,
        maxHeight: '32vh',
        overflow: 'auto',
        display: 'flex',
        flexDirection: 'column',
        gap: 1,
      }}
    >
      <Row gap={2} align="center">
        <Typography variant="h3">
          {chosen.length} {chosen.length === 1 ? 'disk' : 'disks'} chosen, {sizeText(bytes)}, in{' '}
          {[...new Set(chosen.map((d) => d.node))].slice(0, 6).join(', ')}
        </Typography>
        <Fill />
        <Button onClick={clear}>Let go</Button>
      </Row>
      {!may && <Typography variant="body2">Changing disks is for storage engineers and operators.</Typography>}
      {may && owners.length === 0 && free.length > 0 && (
        <Grow backend={backend} free={free} pools={pools} clear={clear} />
      )}
      {may &&
        owners.map((pool) => (
          <TakeOut
            key={pool}
            backend={backend}
            pool={pool}
            owned={chosen.filter((d) => d.owner === pool)}
            free={owners.length === 1 ? free : []}
            clear={clear}
          />
        ))}
    </Paper>
  );
}
