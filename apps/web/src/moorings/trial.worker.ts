import type { PlacementState } from '@moorage/contract/moorings';
import { tryEverywhere, type TriedClaim } from './trial';

/** Tries claims off the page's own thread, so that typing never waits for the grid. */
self.onmessage = ({ data }: MessageEvent<{ id: number; state: PlacementState; tried: TriedClaim }>) => {
  self.postMessage({ id: data.id, answers: tryEverywhere(data.state, data.tried) });
};
