import {
  Box,
  ButtonBase,
  FormControlLabel,
  LinearProgress,
  Switch,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  Typography,
} from '@mui/material';
import type { LimitMeasure, NamespaceLimits } from '@moorage/contract/limits';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { Fetched } from '../parts/States';
import { useMay } from '../parts/person';
import { useAct } from '../parts/useAct';
import { Column, Row } from '../parts/layout';
import { LimitForm } from './LimitForm';
import { LimitRequests } from './LimitRequests';
import { amountText, measureTitles } from './limit-words';

type Scope = NamespaceLimits['scopes'][number];
const measures = ['bytes', 'claims', 'iops', 'snapshots'] as const;
const nearlyFull = 0.9;

/** What a limit says, in words. */
function limitText(of: LimitMeasure, scope: Scope): readonly [used: string, limit: string] {
  if (of === 'snapshots')
    return ['', scope.snapshots === null ? 'no limit' : `at most ${scope.snapshots.toLocaleString('en-GB')}`];
  const { limit, used } = scope[of];
  return [amountText(of, used), limit === null ? '· no limit' : `of ${amountText(of, limit)}`];
}

function UsedOf({ of, scope }: { of: LimitMeasure; scope: Scope }) {
  const [usedText, ofLimit] = limitText(of, scope);
  if (of === 'snapshots')
    return (
      <Typography variant="body2" sx={{ color: scope.snapshots === null ? 'var(--second-ink)' : undefined }}>
        {ofLimit}
      </Typography>
    );
  const { limit, used } = scope[of];
  const share = limit === null ? null : limit === 0 ? 1 : used / limit;
  return (
    <Box sx={{ minWidth: 120 }}>
      <Typography variant="body2" sx={{ whiteSpace: 'nowrap' }}>
        {usedText}{' '}
        <Box component="span" sx={{ color: 'var(--second-ink)' }}>
          {ofLimit}
        </Box>
      </Typography>
      {share !== null && (
        <LinearProgress
          variant="determinate"
          aria-hidden
          color={share > 1 ? 'error' : share >= nearlyFull ? 'warning' : 'primary'}
          value={Math.min(100, share * 100)}
        />
      )}
    </Box>
  );
}

/** How the platform keeps the limits, and whether it is to. */
function Enforcement({ limits: { namespace, platform }, may }: { limits: NamespaceLimits; may: boolean }) {
  const set = useAct(async (byPlatform: boolean) => {
    const send = (to: boolean) => ask('setEnforcement', { params: { namespace }, body: { byPlatform: to } });
    await send(byPlatform);
    await refresh('limits');
    return {
      text: byPlatform
        ? `The platform refuses claims beyond the limits of ${namespace}.`
        : `Claims beyond the limits of ${namespace} are made, and wait here with their reason.`,
      undo: async () => {
        await send(!byPlatform);
        await refresh('limits');
      },
    };
  });
  const states: Record<NamespaceLimits['platform']['state'], string> = {
    none: platform.byPlatform ? 'Nothing is limited there.' : 'They are made, and wait here with their reason.',
    settled: `It does, by its quota object ${platform.object}; what is changed there is taken over.`,
    due: 'It is being told.',
    refused: `It does not yet: ${platform.problem ?? ''} It is asked again.`,
  };
  return (
    <Box>
      <FormControlLabel
        control={
          <Switch
            size="small"
            checked={platform.byPlatform}
            disabled={!may || set.isPending}
            onChange={(e) => set.mutate(e.target.checked)}
          />
        }
        label="The platform refuses claims beyond the limits"
      />
      <Typography variant="body2" color={platform.state === 'refused' ? 'error' : 'text.secondary'}>
        {states[platform.state]}
      </Typography>
    </Box>
  );
}

/** What a namespace may use, what it uses of that, and what was asked for. */
export function Limits({ namespace, className }: { namespace: string; className: string | null }) {
  const may = useMay('administrator', 'operator');
  const mayAsk = useMay('administrator', 'operator', 'namespace-owner');
  const query = useQuery({
    queryKey: keys.limits.of(namespace),
    queryFn: () => ask('getLimits', { params: { namespace } }),
  });
  const [chosen, setChosen] = useState<{ className: string | null; of: LimitMeasure }>();
  const isChosen = (scope: Scope, of: LimitMeasure) => chosen?.className === scope.className && chosen.of === of;
  return (
    <Fetched query={query}>
      {(limits) => {
        const shown = limits.scopes.filter(
          (s) =>
            s.className === null ||
            s.className === className ||
            [s.bytes, s.claims, s.iops].some((m) => m.limit !== null) ||
            className === null,
        );
        const scope = chosen && limits.scopes.find((s) => s.className === chosen.className);
        return (
          <Column gap={1.5}>
            <Box sx={{ overflowX: 'auto' }}>
              <Table size="small" aria-label={`Limits of ${namespace}`}>
                <TableHead>
                  <TableRow>
                    <TableCell>Limits of {namespace}</TableCell>
                    {measures.map((of) => (
                      <TableCell key={of}>{measureTitles[of]}</TableCell>
                    ))}
                  </TableRow>
                </TableHead>
                <TableBody>
                  {shown.map((s) => (
                    <TableRow key={s.className ?? ''}>
                      <TableCell component="th" scope="row">
                        {s.className ?? 'in all'}
                      </TableCell>
                      {measures.map((of) => (
                        <TableCell key={of} sx={{ p: 0.5 }}>
                          {(of !== 'snapshots' || s.className === null) && (
                            <ButtonBase
                              disabled={!may && !mayAsk}
                              data-limit={`${of}/${s.className ?? ''}`}
                              aria-label={`${measureTitles[of]} ${s.className === null ? 'in all' : `in ${s.className}`}: ${limitText(of, s).join(' ').trim()}`}
                              aria-pressed={isChosen(s, of)}
                              onClick={() => setChosen(isChosen(s, of) ? undefined : { className: s.className, of })}
                              sx={{
                                ...{ display: 'block', width: '100%', textAlign: 'left', p: 0.5, borderRadius: 1 },
                                outline: isChosen(s, of) ? '2px solid' : 'none',
                                outlineColor: 'primary.main',
                                '&:hover': { bgcolor: 'action.hover' },
                              }}
                            >
                              <UsedOf of={of} scope={s} />
                            </ButtonBase>
                          )}
                        </TableCell>
                      ))}
                    </TableRow>
                  ))}
                </TableBody>
              </Table>
            </Box>
            {chosen && scope ? (
              <LimitForm
                key={`${chosen.className ?? ''}/${chosen.of}`}
                namespace={namespace}
                className={chosen.className}
                of={chosen.of}
                value={chosen.of === 'snapshots' ? scope.snapshots : scope[chosen.of].limit}
                may={may}
                done={() => setChosen(undefined)}
              />
            ) : (
              (may || mayAsk) && (
                <Typography variant="body2" color="text.secondary">
                  {may ? 'Choose a figure to change its limit.' : 'Choose a figure to ask for more.'}
                </Typography>
              )
            )}
            <Row gap={4} wraps align="flex-start">
              <Enforcement limits={limits} may={may} />
            </Row>
            {limits.requests.length > 0 && <LimitRequests requests={limits.requests} />}
          </Column>
        );
      }}
    </Fetched>
  );
}
