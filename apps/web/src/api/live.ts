import { liveEventSchema, type Topic } from '@moorage/contract/live';
import { useEffect } from 'react';
import { create } from 'zustand';
import type { Concept } from './keys';
import { makeOld } from './make-old';
import { queryClient } from './queries';

/** Queries that a topic makes old. */
const touched: Record<Topic, readonly Concept[]> = {
  backends: [
    'backends',
    'salvage',
    'placement',
    'line',
    'inventory',
    // where pods may go
    'applications',
    'readiness',
    'share',
    'copies',
    'growth',
    'round',
  ],
  pools: ['backends', 'placement', 'growth', 'round', 'instances'],
  classes: ['classes', 'placement', 'grants', 'growth', 'round'],
  moorings: ['placement', 'classes', 'plans'],
  claims: [
    'claims',
    'use',
    'salvage',
    'line',
    'growth',
    'candidates',
    'drift',
    'deletion',
    'proof',
    'share',
    'copies',
    'tuning',
    'plan',
    'round',
    'classes',
    'grants',
    'plans',
    'operations',
  ],
  namespaces: ['namespaces', 'use', 'rates', 'statement', 'placement', 'growth', 'round'],
  limits: ['limits', 'namespaces', 'use'],
  runways: ['runways', 'waste'],
  logbook: [],
  reshapes: ['reshapes', 'inventory', 'operations'],
  findings: ['findings'],
  operations: ['operations'],
  buckets: ['buckets'],
  applications: ['applications'],
};

interface LiveState {
  /** When the connection was lost; undefined while it stands. */
  readonly lostAt?: number;
}
export const useLiveState = create<LiveState>(() => ({}));

const gatherMs = 120;

/** What the one page with the connection tells itself and the other open pages. */
type Heard = { readonly kind: 'event'; readonly data: string } | { readonly kind: 'gap' | 'open' | 'lost' | 'stale' };

/**
 * Listens until stopped. Of all open pages one holds the connection and tells the others: a browser keeps only six
 * connections to a server, and every page with its own would soon leave none for anything else.
 */
function listen(hear: (heard: Heard) => void): () => void {
  const stop = new AbortController();
  const others = new BroadcastChannel('moorage-live');
  others.onmessage = ({ data }: MessageEvent<Heard>) => hear(data);
  const tell = (heard: Heard) => {
    hear(heard);
    others.postMessage(heard);
  };
  const hold = () =>
    new Promise<void>((release) => {
      if (stop.signal.aborted) return release();
      const source = new EventSource('/api/events');
      source.onmessage = ({ data }: MessageEvent<string>) => tell({ kind: 'event', data });
      source.addEventListener('gap', () => tell({ kind: 'gap' }));
      source.addEventListener('stale', () => tell({ kind: 'stale' }));
      source.onopen = () => tell({ kind: 'open' });
      source.onerror = () => tell({ kind: 'lost' });
      stop.signal.addEventListener('abort', () => {
        source.close();
        release();
      });
    });
  navigator.locks.request('moorage-live', { signal: stop.signal }, hold).catch(() => undefined); // refused only when stopped
  return () => {
    stop.abort();
    others.close();
  };
}

/** Fetches again what the server says has changed, gathered so that a burst asks once. */
export function useLiveChanges(): void {
  useEffect(() => {
    const old = new Set<Concept>();
    let timer: number | undefined;
    const mark = (concepts: readonly Concept[]) => {
      for (const concept of concepts) old.add(concept);
      timer ??= window.setTimeout(() => {
        timer = undefined;
        for (const concept of old) makeOld(queryClient, concept);
        old.clear();
      }, gatherMs);
    };
    const everything = () => mark([...new Set(Object.values(touched).flat())]);
    const hear = (heard: Heard) => {
      switch (heard.kind) {
        case 'event': {
          const event = liveEventSchema.safeParse(JSON.parse(heard.data));
          if (event.success) mark(touched[event.data.topic]);
          return;
        }
        case 'gap':
          useLiveState.setState({ lostAt: undefined });
          return everything();
        case 'open':
          if (useLiveState.getState().lostAt !== undefined) everything();
          return useLiveState.setState({ lostAt: undefined });
        case 'lost':
        case 'stale':
          return useLiveState.setState(({ lostAt }) => ({ lostAt: lostAt ?? Date.now() }));
      }
    };
    let stop = listen(hear);
    // a page that the browser keeps for the back button must not keep the connection
    const onHide = () => stop();
    const onShow = (event: PageTransitionEvent) => {
      if (!event.persisted) return;
      stop = listen(hear);
      everything();
    };
    window.addEventListener('pagehide', onHide);
    window.addEventListener('pageshow', onShow);
    return () => {
      window.removeEventListener('pagehide', onHide);
      window.removeEventListener('pageshow', onShow);
      stop();
      window.clearTimeout(timer);
    };
  }, []);
}
