import type { Query, QueryClient } from '@tanstack/react-query';

/** Queries whose fetch was under way when something changed: each is asked once more when it ends. */
const askedAgain = new WeakSet<Query>();

/**
 * Fetches again, of all queries under a key, those that are looked at. A fetch under way may have read what was before the change:
 * it is neither believed to be new nor broken off, so that a burst of changes cannot keep a slow answer from ever being shown, but
 * followed by one more.
 */
export function makeOld(client: QueryClient, key: string): void {
  const underWay = client.getQueryCache().findAll({ queryKey: [key], fetchStatus: 'fetching' });
  void client.invalidateQueries({ queryKey: [key] }, { cancelRefetch: false });
  for (const query of underWay) {
    if (askedAgain.has(query)) continue;
    askedAgain.add(query);
    const ask = () => {
      askedAgain.delete(query);
      void client.invalidateQueries({ queryKey: query.queryKey, exact: true }, { cancelRefetch: false });
    };
    // one that failed is asked again as well
    Promise.resolve(query.promise).then(ask, ask);
  }
}
