import type { NewClaim } from '@moorage/contract/claims';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { useContext, useMemo } from 'react';
import { usePlacement } from '../api/queries';
import { poolLines } from '../classes/pool-lines';
import { Mark } from '../marks/Mark';
import type { TriedClaim } from '@moorage/contract/placement-input';
import { useTrial } from '../moorings/useTrial';
import { failureSentence } from '../moorings/check-words';
import { Row } from '../parts/layout';
import { PersonContext } from '../parts/person';
import { landSet, setSentence } from './set-landing';
import { landingSentence } from './words';

/** Where the claim would land if it were made now. */
export function Forecast({ draft, replicas = 0 }: { draft: NewClaim; replicas?: number }) {
  const { data: state } = usePlacement();
  const currency = useContext(PersonContext)?.currency ?? '';
  const size = parseQuantity(draft.size);
  const bytes = size.ok ? size.bytes : 0;
  const mode = draft.modes[0]!;
  const tried = useMemo<TriedClaim | undefined>(
    () =>
      bytes > 0
        ? {
            size: bytes,
            mode,
            volumeMode: draft.volumeMode,
            namespace: draft.namespace,
            zone: '',
            tuned: draft.tuned,
          }
        : undefined,
    [bytes, mode, draft.volumeMode, draft.namespace, draft.tuned],
  );
  const className = draft.className || state?.defaultClass || undefined;
  const { explained } = useTrial(state, tried, className ? { className, pool: state?.pools[0]?.id ?? '' } : undefined);
  const decision = explained?.className === className ? explained?.decision : undefined;
  const cls = state?.classes.find((c) => c.name === className);
  const set = useMemo(
    () => (replicas > 0 && state && tried && className ? landSet(state, className, tried, replicas) : undefined),
    [replicas, state, tried, className],
  );
  if (!tried || !state) return null;
  if (!className)
    return <Line kind="person" text="It would name no class, and there is no default class: it would stay pending." />;
  if (set) return <Line kind={set.refused > 0 ? 'person' : 'settled'} text={setSentence(set, bytes, replicas)} />;
  if (!decision) return null;
  if (decision.winner) {
    const waits = cls?.binding === 'WaitForFirstConsumer';
    const name = state.pools.find((p) => p.id === decision.winner)?.name;
    const per100GiB = cls ? poolLines(cls, state).find((l) => l.pool === name)?.price : null;
    return (
      <Line
        kind={waits ? 'waiting' : 'settled'}
        text={landingSentence(decision, bytes, waits, per100GiB ?? null, currency)}
      />
    );
  }
  const [first] = decision.candidates;
  const failed = first?.checks.find((c) => !c.passed);
  return (
    <Line
      kind="person"
      text={
        first && failed
          ? `Nothing fits. ${first.pool}: ${failureSentence(failed)}`
          : `Class ${className} is moored to no pool.`
      }
    />
  );
}

function Line({ kind, text }: { kind: 'settled' | 'waiting' | 'person'; text: string }) {
  return (
    <Row aria-live="polite" align="baseline" sx={{ border: 1, borderColor: 'divider', p: 1.25, fontSize: 13 }}>
      <Mark kind={kind} />
      <span>{text}</span>
    </Row>
  );
}
