import type { PlacementState } from '@moorage/contract/moorings';
import type { ClassChange, Outlook } from '@moorage/core/placement/outlook';
import { useEffect, useRef, useState } from 'react';
import type { TriedClaim } from '@moorage/contract/placement-input';
import type { Explained, TriedClass } from './trial';
import type { TrialQuestion } from './trial.worker';

type Answer =
  | { answer: 'state'; outlooks: Record<string, Outlook>; compared: ClassChange[] }
  | { answer: 'try'; id: number; answers: Record<string, TriedClass> }
  | { answer: 'explain'; id: number; explained?: Explained };

export interface Trial {
  readonly outlooks?: Record<string, Outlook>;
  /** What the draft changes, class by class. */
  readonly compared?: readonly ClassChange[];
  readonly answers?: Record<string, TriedClass>;
  readonly explained?: Explained;
}

/** The grid's answers to a claim, and one cell in full, worked out in a worker; answers to older questions are dropped. */
export function useTrial(
  state: PlacementState | undefined,
  tried: TriedClaim | undefined,
  cell?: { readonly className: string; readonly pool: string },
  live?: PlacementState,
): Trial {
  const worker = useRef<Worker>(undefined);
  const asked = useRef({ try: 0, explain: 0 });
  const [trial, setTrial] = useState<Trial>({});
  const ask = (question: TrialQuestion) => worker.current?.postMessage(question);
  useEffect(() => {
    const made = new Worker(new URL('./trial.worker.ts', import.meta.url), { type: 'module' });
    made.onmessage = ({ data }: MessageEvent<Answer>) => {
      if (data.answer === 'state') setTrial((t) => ({ ...t, outlooks: data.outlooks, compared: data.compared }));
      else if (data.answer === 'try' && data.id === asked.current.try)
        setTrial((t) => ({ ...t, answers: data.answers }));
      else if (data.answer === 'explain' && data.id === asked.current.explain)
        setTrial((t) => ({ ...t, explained: data.explained }));
    };
    worker.current = made;
    return () => made.terminate();
  }, []);
  useEffect(() => {
    if (state) ask({ ask: 'state', state, ...(live && live !== state && { live }) });
  }, [state, live]);
  useEffect(() => {
    if (state && tried) ask({ ask: 'try', id: ++asked.current.try, tried });
  }, [state, tried]);
  const className = cell?.className;
  const pool = cell?.pool;
  useEffect(() => {
    if (state && tried && className !== undefined && pool !== undefined)
      ask({ ask: 'explain', id: ++asked.current.explain, tried, className, pool });
  }, [state, tried, className, pool]);
  return trial;
}
