import type { BackendRow } from '@moorage/contract/backends';
import { MarkedWord } from '../marks/Mark';

/** How a backend is, as a mark with its word. */
export function BackendState({ backend }: { backend: BackendRow }) {
  const kind = !backend.reachable ? 'person' : backend.degradedVolumes > 0 || !backend.healthy ? 'degraded' : 'settled';
  const words = !backend.reachable
    ? (backend.problem?.detail ?? 'not looked at yet')
    : backend.degradedVolumes > 0
      ? `${backend.degradedVolumes} ${backend.degradedVolumes === 1 ? 'volume misses' : 'volumes miss'} copies`
      : !backend.healthy
        ? 'says it is not healthy'
        : backend.serves
          ? 'answers, healthy'
          : `answers, serves ${backend.sites.join(', ')}`;
  return <MarkedWord kind={kind} word={words} />;
}
