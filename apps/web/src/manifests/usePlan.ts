import type { ManifestPlan } from '@moorage/contract/manifests';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { ApiProblem, ask } from '../api/client';
import { keys } from '../api/keys';

const pauseMs = 350;

export interface PlanOfText {
  readonly plan: ManifestPlan | undefined;
  /** The plan is of the text as it is now. */
  readonly isFresh: boolean;
  /** Why there is none. */
  readonly problem: string | undefined;
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
  return {
    plan: isAsked ? data : undefined,
    isFresh: isAsked && data !== undefined && !isPlaceholderData && settled === text && !error,
    problem:
      !isAsked || !error
        ? undefined
        : error instanceof ApiProblem
          ? error.detail
          : 'The server does not answer. What you typed is still here.',
  };
}
