import type { PlacementState } from '@moorage/contract/moorings';
import { compareSites } from '@moorage/core/placement/outlook';
import { prepare, type Prepared, type TriedClaim } from '@moorage/contract/placement-input';
import { explain, outlooks, siteOf, tryEverywhere } from './trial';

export type TrialQuestion =
  /** The state to try on; with a draft, the one without it as well. */
  | { readonly ask: 'state'; readonly state: PlacementState; readonly live?: PlacementState }
  | { readonly ask: 'try'; readonly id: number; readonly tried: TriedClaim }
  | {
      readonly ask: 'explain';
      readonly id: number;
      readonly tried: TriedClaim;
      readonly className: string;
      readonly pool: string;
    };

let prepared: Prepared | undefined;

/** Tries claims off the page's own thread, so that typing never waits for the grid. */
self.onmessage = ({ data }: MessageEvent<TrialQuestion>) => {
  if (data.ask === 'state') {
    prepared = prepare(data.state);
    const compared = data.live ? compareSites(siteOf(prepare(data.live)), siteOf(prepared)) : [];
    self.postMessage({ answer: 'state', outlooks: outlooks(prepared), compared });
  } else if (!prepared) return;
  else if (data.ask === 'try')
    self.postMessage({ answer: 'try', id: data.id, answers: tryEverywhere(prepared, data.tried) });
  else
    self.postMessage({
      answer: 'explain',
      id: data.id,
      explained: explain(prepared, data.tried, data.className, data.pool),
    });
};
