import { Link, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { Past } from '@moorage/contract/past';
import { useMemo } from 'react';
import { Link as RouterLink } from 'react-router';
import { useAddress, useInAddress, useKeepLine } from '../frame/address';
import { ordinal } from '../moorings/ordinal';
import { Column, Sheet } from '../parts/layout';
import { Place } from '../parts/Place';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { VastMatrix, type Drawn } from '../parts/VastMatrix';
import { When } from '../parts/When';
import { depthStep } from '../theme/tokens';
import { usePast } from './usePast';

type Held = Past['held'][number];
const none = { claims: 0, bytes: 0, raw: 0 };
const added = (all: readonly Held[]) =>
  all.reduce((sum, h) => ({ claims: sum.claims + h.claims, bytes: sum.bytes + h.bytes, raw: sum.raw + h.raw }), none);
const claimWords = (n: number) => `${n.toLocaleString('en-GB')} ${n === 1 ? 'claim' : 'claims'}`;

function mooringWords(mooring: Past['moorings'][number] | undefined, past: Past): React.ReactNode {
  if (mooring) return mooring.enabled ? `Moored, ${ordinal(mooring.order)} in the order.` : 'Moored, but turned off.';
  if (past.mooringsSince !== null && past.at >= past.mooringsSince) return 'Not moored.';
  return past.mooringsSince === null ? (
    'No mooring was noted yet.'
  ) : (
    <>
      Moorings are noted since <When at={past.mooringsSince} />: whether it was moored is not known.
    </>
  );
}

function Then({ past }: { past: Past }) {
  const { chart } = useTheme();
  const change = useAddress();
  const keep = useKeepLine();
  const [chosenClass] = useInAddress('class');
  const [chosenPool] = useInAddress('pool');
  const { classes, pools, mooringAt, heldAt, ofClass, ofPool, largest } = useMemo(() => {
    const names = new Set([...past.moorings, ...past.held].map((m) => m.className));
    const known = past.pools.map((p) => p.id);
    // what lies on a pool of which nothing is noted is not left out
    const others = [...new Set([...past.moorings, ...past.held].map((m) => m.pool))].filter((p) => !known.includes(p));
    const byKey = new Map(past.held.map((h) => [`${h.className}/${h.pool}`, h]));
    return {
      classes: [...names].sort(),
      pools: [...known, ...others.sort()],
      mooringAt: new Map(past.moorings.map((m) => [`${m.className}/${m.pool}`, m])),
      heldAt: (className: string, pool: string) => byKey.get(`${className}/${pool}`),
      ofClass: new Map([...names].map((n) => [n, added(past.held.filter((h) => h.className === n))])),
      ofPool: (pool: string) => added(past.held.filter((h) => pool === '' || h.pool === pool)),
      largest: Math.max(1, ...past.held.map((h) => h.bytes)),
    };
  }, [past]);
  if (classes.length === 0)
    return <Empty title="No class was moored at that moment, and none kept anything">Choose a later one.</Empty>;
  const row = classes.includes(chosenClass) ? chosenClass : classes[0]!;
  const column = pools.includes(chosenPool) ? chosenPool : '';
  const cell = (at: { row: string; column: string }): Drawn => {
    const held = at.column === '' ? ofClass.get(at.row) : heldAt(at.row, at.column);
    const mooring = mooringAt.get(`${at.row}/${at.column}`);
    const place = mooring ? (mooring.enabled ? ordinal(mooring.order) : 'off') : '';
    if (!held || held.bytes === 0) return { content: place || '–', colour: chart.secondInk };
    const step = depthStep((0.8 * held.bytes) / largest);
    const tinted = at.column !== '';
    return {
      ...(tinted && { background: chart.depth[step], colour: chart.onDepth[step] }),
      content: (
        <>
          <span style={{ flex: 1, textAlign: 'left', fontSize: 12 }}>{place}</span>
          <Size bytes={held.bytes} />
        </>
      ),
    };
  };
  const here = column === '' ? ofClass.get(row)! : (heldAt(row, column) ?? none);
  return (
    <Column gap={1.5}>
      <VastMatrix
        most="max(300px, 100vh - 330px)"
        label="Classes by pools as they were, with what was provisioned"
        rows={classes}
        columns={pools}
        chosen={{ row, column }}
        choose={(at) => change({ class: at.row, pool: at.column || null })}
        corner="Class"
        wholeHead="All pools"
        columnHead={(pool) => pool}
        rowHead={(name) => <strong>{name || 'no class'}</strong>}
        cell={cell}
        foot={(pool) => <Size bytes={ofPool(pool).bytes} />}
      />
      <Sheet>
        <Typography variant="h2">
          {row || 'no class'}
          {column && ` on ${column}`}
        </Typography>
        <Typography variant="body2" sx={{ mt: 0.5 }}>
          {column && mooringWords(mooringAt.get(`${row}/${column}`), past)}{' '}
          <Link
            component={RouterLink}
            to={keep(`/claims?${new URLSearchParams({ class: row, ...(column && { pool: column }) })}`)}
          >
            {claimWords(here.claims)}
          </Link>{' '}
          had <Size bytes={here.bytes} /> on {column || 'all pools'}: <Size bytes={here.raw} /> of raw space with
          copies.
        </Typography>
      </Sheet>
    </Column>
  );
}

/** Where classes were moored at a moment of the past, and what they kept there. */
export default function PastMoorings() {
  const query = usePast();
  return (
    <Place title="Moorings" question="Which pools might a class use then, and how much did it keep on each?">
      <Fetched query={query}>{(past) => <Then past={past} />}</Fetched>
    </Place>
  );
}
