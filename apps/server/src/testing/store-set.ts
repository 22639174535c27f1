import type { ApplicationSeen } from '@moorage/contract/applications';
import { eventually, type Caller } from './world';

/** A stateful set as a person asks for it, each of whose replicas has 4 GiB of the class `kept`. */
export const storeSet = (part: object = {}) => ({
  ...{ namespace: 'tide-gauges', name: 'store', replicas: 1, image: 'example/store', port: 8080, ordered: false },
  ...{ spread: 'nodes', whenScaled: 'Retain', whenDeleted: 'Retain' },
  templates: [{ name: 'data', className: 'kept', size: '4Gi', modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' }],
  ...part,
});

export const storeSeen = (caller: Caller): Promise<ApplicationSeen> =>
  caller.ok<ApplicationSeen>('GET', '/api/applications/tide-gauges/store');

/** Starts `store` with so many replicas, and waits until all of them run. */
export async function startStore(caller: Caller, replicas: number): Promise<void> {
  await caller.ok('POST', '/api/applications', storeSet({ replicas }));
  await eventually('it runs', async () => (await storeSeen(caller)).application.ready === replicas);
}
