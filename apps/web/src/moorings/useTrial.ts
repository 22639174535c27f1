import type { PlacementState } from '@moorage/contract/moorings';
import { useEffect, useRef, useState } from 'react';
import type { TriedClaim, TriedClass } from './trial';

/** The grid's answers to a claim, worked out in a worker; answers to older questions are dropped. */
export function useTrial(
  state: PlacementState | undefined,
  tried: TriedClaim | undefined,
): Record<string, TriedClass> | undefined {
  const worker = useRef<Worker>(undefined);
  const asked = useRef(0);
  const [answers, setAnswers] = useState<Record<string, TriedClass>>();
  useEffect(() => {
    const made = new Worker(new URL('./trial.worker.ts', import.meta.url), { type: 'module' });
    made.onmessage = ({ data }: MessageEvent<{ id: number; answers: Record<string, TriedClass> }>) => {
      if (data.id === asked.current) setAnswers(data.answers);
    };
    worker.current = made;
    return () => made.terminate();
  }, []);
  useEffect(() => {
    if (!state || !tried) return;
    asked.current += 1;
    worker.current?.postMessage({ id: asked.current, state, tried });
  }, [state, tried]);
  return answers;
}
