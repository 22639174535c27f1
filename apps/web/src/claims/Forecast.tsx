import type { NewClaim } from '@moorage/contract/claims';
import { sizeText } from '@moorage/core/sizes/display';
import { parseQuantity } from '@moorage/core/sizes/quantity';
import { useMemo } from 'react';
import { usePlacement } from '../api/queries';
import { Mark } from '../marks/Mark';
import type { TriedClaim } from '../moorings/trial';
import { useTrial } from '../moorings/useTrial';
import { failureSentence } from '../moorings/check-words';
import { Row } from '../parts/layout';

/** Where the claim would land if it were made now. */
export function Forecast({ draft }: { draft: NewClaim }) {
  const { data: state } = usePlacement();
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
  if (!tried || !state) return null;
  if (!className)
    return <Line kind="person" text="It would name no class, and there is no default class: it would stay pending." />;
  if (!decision) return null;
  if (decision.winner) {
    const got = decision.provisioned!;
    const waits = cls?.binding === 'WaitForFirstConsumer';
    return (
      <Line
        kind={waits ? 'waiting' : 'settled'}
        text={`${waits ? 'Once its first pod is scheduled, it' : 'It'} would land on ${decision.winner}, provisioned as ${sizeText(got)}${got > bytes ? ` (asked ${sizeText(bytes)}; the pool gives whole GiB)` : ''}.`}
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
