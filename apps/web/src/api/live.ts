import { liveEventSchema, type Topic } from '@moorage/contract/live';
import { useEffect } from 'react';
import { create } from 'zustand';
import { queryClient } from './queries';

/** Queries that a topic makes old. */
const madeOld: Record<Topic, readonly string[]> = {
  backends: ['backends', 'placement', 'line'],
  pools: ['backends', 'placement'],
  classes: ['classes', 'placement'],
  moorings: ['placement', 'classes'],
  claims: ['claims', 'line', 'classes'],
  namespaces: ['namespaces', 'placement'],
  logbook: [],
};

interface LiveState {
  /** When the connection was lost; undefined while it stands. */
  readonly lostAt?: number;
}
export const useLiveState = create<LiveState>(() => ({}));

const gatherMs = 120;

/** Fetches again what the server says has changed, gathered so that a burst asks once. */
export function useLiveChanges(): void {
  useEffect(() => {
    const old = new Set<string>();
    let timer: number | undefined;
    const mark = (keys: readonly string[]) => {
      for (const key of keys) old.add(key);
      timer ??= window.setTimeout(() => {
        timer = undefined;
        for (const key of old) void queryClient.invalidateQueries({ queryKey: [key] });
        old.clear();
      }, gatherMs);
    };
    const source = new EventSource('/api/events');
    source.onmessage = ({ data }: MessageEvent<string>) => {
      const event = liveEventSchema.safeParse(JSON.parse(data));
      if (event.success) mark(madeOld[event.data.topic]);
    };
    const everything = () => mark([...new Set(Object.values(madeOld).flat())]);
    source.addEventListener('gap', everything);
    source.onopen = () => {
      if (useLiveState.getState().lostAt !== undefined) everything();
      useLiveState.setState({ lostAt: undefined });
    };
    source.onerror = () => useLiveState.setState(({ lostAt }) => ({ lostAt: lostAt ?? Date.now() }));
    return () => {
      source.close();
      window.clearTimeout(timer);
    };
  }, []);
}
