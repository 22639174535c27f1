import { Box, Button, Typography } from '@mui/material';
import type { ClaimRow, DecisionRow } from '@moorage/contract/claims';
import type { Change } from '@moorage/core/placement/change';
import { ask } from '../api/client';
import { placementQuery, queryClient } from '../api/queries';
import type { Bytes } from '@moorage/core/sizes/bytes';
import { formatQuantity } from '@moorage/core/sizes/quantity';
import { useGo } from '../frame/address';
import { useMay } from '../parts/person';
import { useAct } from '../parts/useAct';
import { changeCost, changesSentence } from './change-words';
import { Fill, Row } from '../parts/layout';

/** A claim as far as another one can be made like it. */
type Asked = Pick<ClaimRow, 'namespace' | 'className'> & Partial<Pick<ClaimRow, 'requested' | 'modes' | 'volumeMode'>>;

/** What the form for a new claim begins with: this claim, with the change made. */
export function likeness(claim: Asked, change: Change): string {
  const { namespace, className, requested, modes, volumeMode } = claim;
  const size = change.kind === 'ask-less' ? change.size : requested;
  return JSON.stringify({
    namespace,
    ...(className && { className }),
    ...(size !== undefined && { size: formatQuantity(size as Bytes) }),
    modes: change.kind === 'ask-mode' ? [change.mode] : modes,
    volumeMode: change.kind === 'ask-volume-mode' ? change.volumeMode : volumeMode,
  });
}

/** Carries a change out where the product can do it at once; the others lead to the place where a person does it. */
export function useChange(claim: Asked) {
  const go = useGo();
  const { namespace, className } = claim;
  const moor = useAct(async (pool: string) => {
    const send = (enabled: boolean) =>
      ask('setMooring', { params: { className: className ?? '', pool }, body: { enabled } });
    await send(true);
    return {
      text: `${className} is moored to ${pool}. The claim is decided again.`,
      undo: () => send(false),
    };
  });
  const limit = useAct(async ({ scope, bytes }: { scope: 'namespace' | 'class'; bytes: number }) => {
    const send = (to: number | null) =>
      scope === 'class'
        ? ask('setClassLimit', { params: { namespace, className: className ?? '' }, body: { bytes: to } })
        : ask('setNamespaceLimit', { params: { namespace }, body: { bytes: to } });
    const state = await queryClient.fetchQuery(placementQuery);
    const before = state.limits.find(
      (l) => l.namespace === namespace && l.className === (scope === 'class' ? className : null),
    )?.bytes;
    await send(bytes);
    return {
      text: 'The limit is raised. The claim is decided again.',
      undo: () => send(before ?? null),
    };
  });
  const count = useAct(
    async ({ scope, of, amount }: { scope: 'namespace' | 'class'; of: 'claims' | 'iops'; amount: number }) => {
      const send = (to: number | null) =>
        scope === 'class'
          ? ask('setClassLimit', { params: { namespace, className: className ?? '' }, body: { [of]: to } })
          : ask('setNamespaceLimit', { params: { namespace }, body: { [of]: to } });
      const state = await queryClient.fetchQuery(placementQuery);
      const before = state.counts.find(
        (c) => c.namespace === namespace && c.of === of && c.className === (scope === 'class' ? className : null),
      )?.limit;
      await send(amount);
      return {
        text: 'The limit is raised. The claim is decided again.',
        undo: () => send(before ?? null),
      };
    },
  );
  const pool = useAct(
    async ({ id, member, value }: { id: string; member: 'allotment' | 'overcommit'; value: number }) => {
      const state = await queryClient.fetchQuery(placementQuery);
      const before = state.pools.find((p) => p.id === id)?.[member];
      await ask('changePool', { params: { pool: id }, body: { [member]: value } });
      return {
        text: `${id} is changed. The claim is decided again.`,
        ...(before !== undefined && {
          undo: () => ask('changePool', { params: { pool: id }, body: { [member]: before } }),
        }),
      };
    },
  );
  const grant = useAct(async (to: string) => {
    const send = (granted: boolean) =>
      ask('changeGrants', { params: { name: className ?? '' }, body: { set: [{ namespace: to, granted }] } });
    await send(true);
    return { text: `${className} is granted to ${to}.`, undo: () => send(false) };
  });
  return (change: Change): { words: string; act: () => void } | undefined => {
    switch (change.kind) {
      case 'moor':
      case 'enable-mooring':
        return { words: 'Moor it', act: () => moor.mutate(change.pool) };
      case 'raise-quota':
        return {
          words: 'Raise the limit',
          act: () => limit.mutate({ scope: change.scope, bytes: change.limit }),
        };
      case 'raise-count':
        return {
          words: 'Raise the limit',
          act: () => count.mutate({ scope: change.scope, of: change.of, amount: Math.ceil(change.limit) }),
        };
      case 'raise-allotment':
        return {
          words: 'Raise it',
          act: () => pool.mutate({ id: change.pool, member: 'allotment', value: change.limit }),
        };
      case 'raise-overcommit':
        return {
          words: 'Raise it',
          act: () => pool.mutate({ id: change.pool, member: 'overcommit', value: change.overcommit }),
        };
      case 'raise-cap':
        return { words: 'See the backend', act: () => go(`/backends/${change.backend}`) };
      case 'free-pool':
      case 'add-capacity':
        return { words: 'See the pool', act: () => go(`/backends?pool=${change.pool}`) };
      case 'grant':
        return { words: 'Grant it', act: () => grant.mutate(change.namespace) };
      case 'lower-throughput-floor':
      case 'drop-demand':
      case 'lower-copies':
      case 'drop-encryption':
      case 'lower-floor':
      case 'widen-zones':
      case 'drop-expansion':
        return { words: 'Make a class', act: () => go('/classes/new') };
      case 'tune-within':
      case 'tune-not':
      case 'ask-less':
      case 'ask-mode':
      case 'ask-volume-mode':
        return {
          words: 'Make such a claim',
          act: () => go(`/claims?new=claim&as=${encodeURIComponent(likeness(claim, change))}`),
        };
      case 'mend-backend':
        return { words: 'See the backend', act: () => go(`/backends/${change.backend}`) };
    }
  };
}

type Step = (change: Change) => { words: string; act: () => void } | undefined;

/** Changes that would be enough, cheapest first, each one step away for who may take it. */
export function RemedyList({
  remedies,
  claim,
  label,
  then,
  stepFor,
  costOf = changeCost,
}: {
  remedies: DecisionRow['remedies'];
  claim: Pick<ClaimRow, 'namespace' | 'className'>;
  label: string;
  /** What comes of it, with the pool. */
  then: (pool: string) => string;
  stepFor: Step;
  costOf?: (change: Change) => string;
}) {
  const context = { className: claim.className ?? '', namespace: claim.namespace };
  return (
    <Box component="ol" aria-label={label} sx={{ m: 0, p: 0, listStyle: 'none' }}>
      {remedies.map((remedy) => {
        const changes = remedy.changes as unknown as Change[];
        return (
          <Row
            component="li"
            key={JSON.stringify(changes)}
            gap={2}
            align="center"
            sx={{ borderTop: 1, borderColor: 'divider', py: 0.75 }}
          >
            <Fill>
              <div>
                {changesSentence(changes, context)}
                <Typography component="span" variant="body2" color="text.secondary">
                  {' '}
                  → {then(remedy.pool)}
                </Typography>
              </div>
              <Typography variant="caption" color="text.secondary">
                {[...new Set(changes.map(costOf))].join(' ')}
              </Typography>
            </Fill>
            {changes.map((change) => {
              const step = stepFor(change);
              return (
                step && (
                  <Button key={change.kind} onClick={step.act}>
                    {step.words}
                  </Button>
                )
              );
            })}
          </Row>
        );
      })}
    </Box>
  );
}

/** What would bind the claim. */
export function Remedies({ claim, decision }: { claim: ClaimRow; decision: DecisionRow }) {
  const may = useMay('administrator', 'operator');
  const stepFor = useChange(claim);
  if (decision.remedies.length === 0)
    return (
      <Typography variant="body2">No one or two changes would be enough; the trace shows all that is short.</Typography>
    );
  return (
    <RemedyList
      remedies={decision.remedies}
      claim={claim}
      label="What would bind it"
      then={(pool) => `lands on ${pool}`}
      stepFor={(change) => (may ? stepFor(change) : undefined)}
    />
  );
}
