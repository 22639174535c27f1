import { useMutation } from '@tanstack/react-query';
import { create } from 'zustand';
import { ApiProblem } from '../api/client';

export interface Notice {
  readonly text: string;
  readonly kind: 'done' | 'refused';
  /** The way back; what refuses it is told. */
  readonly undo?: () => Promise<unknown>;
}

/** The last thing that was done or refused, shown at the bottom until the next. */
export const useNotice = create<{ notice?: Notice; show(notice: Notice | undefined): void }>((set) => ({
  show: (notice) => set({ notice }),
}));

const refusalOf = (error: unknown): string =>
  error instanceof ApiProblem
    ? `${error.title}: ${error.detail}`
    : 'The server does not answer; whether anything changed is not known.';

/** Takes back what was done, and says whether that was done or why not. */
export async function takeBack(undo: () => Promise<unknown>): Promise<void> {
  const { show } = useNotice.getState();
  try {
    await undo();
    show({ kind: 'done', text: 'Taken back.' });
  } catch (error) {
    show({ kind: 'refused', text: `It was not taken back. ${refusalOf(error)}` });
  }
}

/** Does something that changes the world; what is refused is told, with the server's reason. Acts `inTurn` under one name wait for each other. */
export function useAct<T>(act: (input: T) => Promise<Omit<Notice, 'kind'> | void>, inTurn?: string) {
  const show = useNotice((s) => s.show);
  return useMutation({
    mutationFn: act,
    ...(inTurn && { scope: { id: inTurn } }),
    onSuccess: (done) => done && show({ kind: 'done', ...done }),
    onError: (error) => show({ kind: 'refused', text: refusalOf(error) }),
  });
}
