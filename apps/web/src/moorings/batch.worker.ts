import type { PlacementState } from '@moorage/contract/moorings';
import { fit, type BatchLine } from './batch';

/** Fits batches off the page's own thread, and says how far it has come. */
self.onmessage = ({ data }: MessageEvent<{ id: number; state: PlacementState; lines: BatchLine[] }>) => {
  const watching = {
    progress: (done: number, of: number) => self.postMessage({ id: data.id, done, of }),
    stopped: false,
  };
  self.postMessage({ id: data.id, answer: fit(data.state, data.lines, watching) });
};
