import type { ManifestPlan } from '@moorage/contract/manifests';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { ApiProblem, ask } from '../api/client';
import { keys } from '../api/keys';
import { usePlacement } from '../api/queries';
import { landText, type TextLanding } from './landing';

const pauseMs = 350;

export interface PlanOfText {
  readonly plan: ManifestPlan | undefined;
  /** The plan is of the text as it is now. */
  readonly isFresh: boolean;
  /** Why there is none. */
  readonly problem: string | undefined;
  /** Where its new claims would land; undefined while that is not known. */
  readonly landing: TextLanding | undefined;
}

function useLanding(plan: ManifestPlan | undefined): TextLanding | undefined {
  const isAsked = plan?.objects.some((o) => o.asked !== null) ?? false;
  const { data: state } = usePlacement(isAsked);
  return useMemo(() => (isAsked && plan && state ? landText(state, plan) : undefined), [isAsked, plan, state]);
}

/** What a text would do, asked for when typing pauses. */
export function usePlan(text: string, enabled = true): PlanOfText {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), pauseMs);
    return () => clearTimeout(timer);
  }, [text]);
  const isAsked = enabled && settled.trim() !== '' && text.trim() !== '';
  const { data, error, isPlaceholderData } = useQuery({
    queryKey: keys.plan(settled),
    queryFn: () => ask('planManifest', { body: { text: settled } }),
    enabled: isAsked,
    placeholderData: keepPreviousData,
    // what it rests on changes by others' hands
    staleTime: 0,
  });
  const plan = isAsked ? data : undefined;
  return {
    plan,
    landing: useLanding(plan),
    isFresh: isAsked && data !== undefined && !isPlaceholderData && settled === text && !error,
    problem:
      !isAsked || !error
        ? undefined
        : error instanceof ApiProblem
          ? error.detail
          : 'The server does not answer. What you typed is still here.',
  };
}
