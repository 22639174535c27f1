import type { BackendRow } from '@moorage/contract/backends';
import dayjs from 'dayjs';
import { useLiveState } from '../api/live';
import { MarkedWord } from '../marks/Mark';

/** How a backend is, as a mark with its word. What cannot be asked now is told as it was, with when that was. */
export function BackendState({ backend }: { backend: BackendRow }) {
  const { lostAt } = useLiveState();
  if (lostAt !== undefined)
    return (
      <MarkedWord
        kind="waiting"
        word={`not known now${backend.checkedAt ? `; last seen ${dayjs(backend.checkedAt).format('HH:mm:ss')}` : ''}`}
      />
    );
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
